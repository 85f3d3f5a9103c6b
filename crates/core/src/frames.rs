//! Frames as the later steps read them: decoded samples in a tiled file, turned to linear light
//! where they are needed.

use crate::CoreError;
use crate::cache::{Cache, Key};
use bytemuck::{cast_slice, cast_slice_mut};
use jade_pixels::PictureError;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::Facts;
use jade_pixels::read::PictureFile;
use jade_pixels::tiled::{Region, TiledFile};
use memmap2::{Advice, MmapMut};
use std::path::PathBuf;

/// A picture file to be stacked.
#[derive(Debug, Clone)]
pub struct FrameInput {
    /// The file.
    pub path: PathBuf,
    /// The name it is reported under.
    pub name: String,
    /// BLAKE3 of its content.
    pub blake3: String,
}

impl FrameInput {
    /// The key of its decoded samples.
    pub fn key(&self) -> Key {
        Key::of("frames", &self.blake3, &[])
    }
}

/// Where linear light of a picture can be read, region by region, from any thread.
pub trait Light: Sync {
    /// Width and height in pixels.
    fn size(&self) -> (u32, u32);

    /// Writes the light of `region`, which must lie inside the picture, into three planes (red,
    /// green, blue): row `r` of the region begins at `r * stride` of each plane.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn fill(
        &self,
        region: Region,
        planes: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError>;

    /// The light of `region` as three planes of `region.area()` values each.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn planes(&self, region: Region) -> Result<[Vec<f32>; 3], PictureError> {
        let mut planes = [(); 3].map(|()| vec![0.0; region.area()]);
        self.fill(region, planes.each_mut().map(Vec::as_mut_slice), region.width as usize)?;
        Ok(planes)
    }

    /// The mean of the three colours in every `step`-th column of every `step`-th row of `region`,
    /// row by row.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn thinned_mean(&self, region: Region, step: u32) -> Result<Vec<f32>, PictureError> {
        let [red, green, blue] = self.planes(region)?;
        let (width, step) = (region.width as usize, step as usize);
        let places = (0..region.height as usize).step_by(step).flat_map(|y| {
            let row = y * width;
            (row..row + width).step_by(step)
        });
        Ok(places.map(|i| (red[i] + green[i] + blue[i]) / 3.0).collect())
    }

    /// Writes the mean of the three colours in `region`, row by row, into `out`, which holds
    /// `region.area()` values.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn fill_mean(&self, region: Region, out: &mut [f32]) -> Result<(), PictureError> {
        let [red, green, blue] = self.planes(region)?;
        for (i, value) in out.iter_mut().enumerate() {
            *value = (red[i] + green[i] + blue[i]) / 3.0;
        }
        Ok(())
    }

    /// The mean of the three colours in `region`, row by row.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn mean(&self, region: Region) -> Result<Vec<f32>, PictureError> {
        let mut out = vec![0.0; region.area()];
        self.fill_mean(region, &mut out)?;
        Ok(out)
    }
}

/// A frame: its header, and its samples once they are decoded.
pub struct Frame {
    /// The name it is reported under.
    pub name: String,
    /// What the file tells about itself.
    pub facts: Facts,
    /// How its samples relate to light.
    pub encoding: Encoding,
    size: (u32, u32),
    samples: Samples,
}

/// Where a frame's samples are.
enum Samples {
    /// In the cache.
    Tiles(TiledFile<u16>),
    /// In memory, as interleaved rows.
    Memory(MmapMut),
    /// Nowhere yet: only the header was read.
    Undecoded,
}

impl Frame {
    /// Bytes that a pixel takes in memory.
    pub const BYTES: u64 = 6;

    /// Decodes a frame into the cache, or finds it there. `watch` sees the rows of a frame that is
    /// decoded and may stop it.
    ///
    /// # Errors
    /// [`CoreError::Picture`] when the file cannot be read.
    pub fn decode(
        input: &FrameInput,
        cache: &Cache,
        watch: &mut dyn FnMut() -> Result<(), PictureError>,
    ) -> Result<Self, CoreError> {
        let (frame, file) = Self::header(input)?;
        let path = cache.frame(&input.key());
        let samples = match TiledFile::open(&path) {
            Ok(samples) => samples,
            Err(_) => file.decode_to(&path, &mut |_, _| watch())?,
        };
        Ok(Self { samples: Samples::Tiles(samples), ..frame })
    }

    /// Decodes a frame into memory: [`Frame::BYTES`] for each pixel.
    ///
    /// # Errors
    /// As for [`Frame::decode`].
    pub fn load(
        input: &FrameInput,
        watch: &mut dyn FnMut() -> Result<(), PictureError>,
    ) -> Result<Self, CoreError> {
        let (frame, file) = Self::header(input)?;
        let (width, height) = frame.size;
        let io = PictureError::io(&input.path);
        let bytes = (u64::from(width) * u64::from(height) * Self::BYTES) as usize;
        let mut memory = MmapMut::map_anon(bytes).map_err(&io)?;
        // Regions of rows far apart are read from it, which takes large pages to be fast; a system
        // without them is only slower.
        let _ = memory.advise(Advice::HugePage);
        let rows: &mut [u16] = cast_slice_mut(&mut memory);
        file.rows(&mut |y, samples| {
            rows[y as usize * width as usize * 3..][..samples.len()].copy_from_slice(samples);
            watch()
        })?;
        Ok(Self { samples: Samples::Memory(memory), ..frame })
    }

    /// Reads a frame's header only; its samples cannot be read from what comes out.
    ///
    /// # Errors
    /// As for [`Frame::decode`].
    pub fn undecoded(input: &FrameInput) -> Result<Self, CoreError> {
        Ok(Self::header(input)?.0)
    }

    /// Whether its samples can be read.
    pub fn is_decoded(&self) -> bool {
        !matches!(self.samples, Samples::Undecoded)
    }

    fn header(input: &FrameInput) -> Result<(Self, PictureFile), CoreError> {
        let file = PictureFile::open(&input.path)?;
        let (facts, encoding) = (file.facts().clone(), file.encoding().clone());
        let size = (facts.width, facts.height);
        let name = input.name.clone();
        Ok((Self { name, facts, encoding, size, samples: Samples::Undecoded }, file))
    }

    /// Calls `visit(x, y, samples)` for runs of pixels that make up a region.
    fn visit(
        &self,
        region: Region,
        mut visit: impl FnMut(u32, u32, &[u16]),
    ) -> Result<(), PictureError> {
        match &self.samples {
            Samples::Tiles(tiles) => {
                with_buffer(|buffer| tiles.visit_region(region, buffer, visit))
            }
            Samples::Memory(memory) => {
                let rows: &[u16] = cast_slice(memory);
                for y in region.y..region.y + region.height {
                    let from = (y as usize * self.size.0 as usize + region.x as usize) * 3;
                    visit(region.x, y, &rows[from..from + region.width as usize * 3]);
                }
                Ok(())
            }
            Samples::Undecoded => unreachable!("a frame is decoded before it is read"),
        }
    }
}

impl Light for Frame {
    fn size(&self) -> (u32, u32) {
        self.size
    }

    fn fill(
        &self,
        region: Region,
        [red, green, blue]: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        self.visit(region, |x, y, samples| {
            let at = (y - region.y) as usize * stride + (x - region.x) as usize;
            let range = at..at + samples.len() / 3;
            let [red, green, blue] = [&mut *red, &mut *green, &mut *blue];
            let planes = [red, green, blue].map(|plane| &mut plane[range.clone()]);
            self.encoding.decode_pixels(samples, planes);
        })
    }

    fn fill_mean(&self, region: Region, out: &mut [f32]) -> Result<(), PictureError> {
        let width = region.width as usize;
        self.visit(region, |x, y, samples| {
            let at = (y - region.y) as usize * width + (x - region.x) as usize;
            self.encoding.decode_means(samples, &mut out[at..at + samples.len() / 3]);
        })
    }

    fn thinned_mean(&self, region: Region, step: u32) -> Result<Vec<f32>, PictureError> {
        let curves = [0, 1, 2].map(|c| self.encoding.curve(c));
        let across = region.width.div_ceil(step) as usize;
        let mut out = vec![0.0; across * region.height.div_ceil(step) as usize];
        self.visit(region, |x, y, samples| {
            let (x, y) = (x - region.x, y - region.y);
            if !y.is_multiple_of(step) {
                return;
            }
            // The first wanted column at or after the run's beginning.
            let first = x.div_ceil(step);
            let skip = (first * step - x) as usize * 3;
            let at = (y / step) as usize * across + first as usize;
            let pixels = samples.get(skip..).unwrap_or_default().chunks(3 * step as usize);
            for (value, pixel) in out[at..].iter_mut().zip(pixels) {
                let [r, g, b] = [0, 1, 2].map(|c| curves[c][pixel[c] as usize]);
                *value = (r + g + b) / 3.0;
            }
        })?;
        Ok(out)
    }
}

/// Lends this thread's buffer of raw samples, so that reading takes no new memory.
fn with_buffer<T>(work: impl FnOnce(&mut Vec<u16>) -> T) -> T {
    thread_local! {
        static BUFFER: std::cell::Cell<Vec<u16>> = const { std::cell::Cell::new(Vec::new()) };
    }
    BUFFER.with(|cell| {
        let mut buffer = cell.take();
        let done = work(&mut buffer);
        cell.set(buffer);
        done
    })
}

/// A combined picture: linear light in a tiled file.
pub struct Combined(pub TiledFile<f32>);

impl Light for Combined {
    fn size(&self) -> (u32, u32) {
        (self.0.width(), self.0.height())
    }

    fn fill(
        &self,
        region: Region,
        [red, green, blue]: [&mut [f32]; 3],
        stride: usize,
    ) -> Result<(), PictureError> {
        self.0.visit_region(region, &mut Vec::new(), |x, y, samples| {
            let at = (y - region.y) as usize * stride + (x - region.x) as usize;
            for (i, pixel) in samples.chunks_exact(3).enumerate() {
                red[at + i] = pixel[0];
                green[at + i] = pixel[1];
                blue[at + i] = pixel[2];
            }
        })
    }
}
