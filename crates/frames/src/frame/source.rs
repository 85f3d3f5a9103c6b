//! Where a frame's samples are stored, and how they are read.

use super::lazy::Lazy;
use crate::decoding::Decoding;
use crate::samples::Samples;
use jade_optics::light::{Ahead, Rows};
use jade_pixels::PictureError;
use jade_pixels::read::InPlace;
use jade_pixels::tiled::{Part, Region};

/// Where a frame's light comes from.
pub enum Source {
    /// Decoded codes.
    Codes(Samples<u16>),
    /// Light, decoded from floating-point numbers.
    Light(Samples<f32>),
    /// Codes in the picture's own file.
    InPlace(InPlace),
    /// Codes that are decoded when they are first read.
    Lazy(Lazy),
    /// Only the header was read.
    Undecoded,
}

impl Source {
    /// Rows before noise reduction.
    pub fn rows<'a>(
        &'a self,
        decoding: &'a Decoding,
        region: Region,
        ahead: &'a mut Ahead,
    ) -> Result<Box<dyn Rows + 'a>, PictureError> {
        Ok(match self {
            Self::Codes(samples) => Box::new(Codes::of(samples, decoding, region, ahead)?),
            Self::Lazy(later) => Box::new(Codes::of(later.samples()?, decoding, region, ahead)?),
            Self::Light(samples) => {
                let part = samples.part(region, &mut ahead.light)?;
                Box::new(Apart { part, decoding })
            }
            Self::InPlace(file) => {
                let codes = &mut ahead.codes;
                codes.resize(region.area() * 3, 0);
                file.read_region(region, codes)?;
                let part = Part::of_rows(codes.as_slice(), region, 3);
                Box::new(Codes { part, decoding })
            }
            Self::Undecoded => unreachable!("a frame is decoded before it is read"),
        })
    }

    /// Calls `codes(x, y, samples)` or `light(x, y, samples)`, depending on what is stored, for
    /// runs of pixels that make up a region.
    pub fn visit(
        &self,
        region: Region,
        mut codes: impl FnMut(u32, u32, &[u16]),
        light: impl FnMut(u32, u32, &[f32]),
    ) -> Result<(), PictureError> {
        match self {
            Self::Codes(samples) => {
                with_buffer(|buffer| samples.visit(region, &mut buffer.codes, codes))
            }
            Self::Lazy(later) => {
                let samples = later.samples()?;
                with_buffer(|buffer| samples.visit(region, &mut buffer.codes, codes))
            }
            Self::Light(samples) => {
                with_buffer(|buffer| samples.visit(region, &mut buffer.light, light))
            }
            Self::InPlace(file) => with_buffer(|buffer| {
                let row = &mut buffer.codes;
                row.resize(region.width as usize * 3, 0);
                for y in region.y..region.y + region.height {
                    file.read_region(Region { y, height: 1, ..region }, row)?;
                    codes(region.x, y, row);
                }
                Ok(())
            }),
            Self::Undecoded => unreachable!("a frame is decoded before it is read"),
        }
    }

    /// Reads the codes of a region, red, green and blue of each pixel, row by row; `out` holds as
    /// many.
    ///
    /// # Errors
    /// [`PictureError`] of what is read.
    pub fn read_codes(&self, region: Region, out: &mut [u16]) -> Result<(), PictureError> {
        if let Self::InPlace(file) = self {
            return file.read_region(region, out);
        }
        let codes = |x: u32, y: u32, samples: &[u16]| {
            let row = (y - region.y) as usize * region.width as usize;
            let at = (row + (x - region.x) as usize) * 3;
            out[at..at + samples.len()].copy_from_slice(samples);
        };
        self.visit(region, codes, |_, _, _| ())
    }
}

/// Rows that are converted to light when they are read.
struct Codes<'a> {
    part: Part<'a, u16>,
    decoding: &'a Decoding,
}

impl<'a> Codes<'a> {
    fn of(
        samples: &'a Samples<u16>,
        decoding: &'a Decoding,
        region: Region,
        ahead: &'a mut Ahead,
    ) -> Result<Self, PictureError> {
        Ok(Self { part: samples.part(region, &mut ahead.codes)?, decoding })
    }
}

impl Rows for Codes<'_> {
    fn row(&self, x: u32, y: u32, mut planes: [&mut [f32]; 3]) {
        let mut done = 0;
        for run in self.part.runs(x, y, planes[0].len() as u32) {
            let here = done..done + run.len() / 3;
            self.decoding.pixels(run, planes.each_mut().map(|p| &mut p[here.clone()]));
            done = here.end;
        }
    }
}

/// Rows of interleaved light.
struct Apart<'a> {
    part: Part<'a, f32>,
    decoding: &'a Decoding,
}

impl Rows for Apart<'_> {
    fn row(&self, x: u32, y: u32, mut planes: [&mut [f32]; 3]) {
        let mut done = 0;
        for run in self.part.runs(x, y, planes[0].len() as u32) {
            let here = done..done + run.len() / 3;
            self.decoding.apart(run, planes.each_mut().map(|p| &mut p[here.clone()]));
            done = here.end;
        }
    }
}

#[derive(Default)]
struct Buffer {
    codes: Vec<u16>,
    light: Vec<f32>,
}

/// Lends a thread-local buffer of raw samples, so that reading allocates no memory.
fn with_buffer<T>(work: impl FnOnce(&mut Buffer) -> T) -> T {
    thread_local! {
        static BUFFER: std::cell::Cell<Option<Buffer>> = const { std::cell::Cell::new(None) };
    }
    BUFFER.with(|cell| {
        let mut buffer = cell.take().unwrap_or_default();
        let done = work(&mut buffer);
        cell.set(Some(buffer));
        done
    })
}
