//! Pictures as files for other programs.

use crate::outcome::Outcome;
use jade_frames::cache::{Cache, MapKind};
use jade_pixels::PictureError;
use jade_pixels::colour::{Encoding, Space};
use jade_pixels::facts::Facts;
use jade_pixels::tiled::{Region, TiledFile};
use jade_pixels::write::{Exposures, Picture, Stack, Taken, Target, write_light, write_picture};
use jade_plan::CoreError;
use jade_plan::progress::{Stage, Watch};
use jade_plan::report::Report;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::path::Path;

/// Quality of JPEG results, 1 to 100.
pub const JPEG_QUALITY: u8 = 94;

/// Writes a map (coverage, rejected samples) as a grey picture of 16 bits.
///
/// # Errors
/// [`CoreError`]; nothing is left behind then.
pub fn write_map(
    path: &Path,
    target: Target,
    cache: &Cache,
    outcome: &Outcome,
    kind: MapKind,
) -> Result<(), CoreError> {
    let file = cache.map(&outcome.combined, kind);
    let used = outcome.report.frames.iter().filter(|f| f.used).count() as u16;
    // A result that every frame covers everywhere has no map of coverage.
    let map = if file.exists() { Some(TiledFile::<u16>::open(&file)?) } else { None };
    let [width, height] = outcome.report.size;
    let encoding = Encoding::srgb();
    let out = Picture { width, height, channels: 1, encoding: &encoding, taken: None };
    write_picture(path, target, &out, &mut |y, out| {
        let Some(map) = &map else {
            out.fill(used);
            return Ok(());
        };
        let rows = out.len() as u32 / width;
        let counts = map.read_region(Region { x: 0, y, width, height: rows })?;
        out.iter_mut().zip(counts.chunks_exact(map.channels())).for_each(|(to, c)| *to = c[0]);
        Ok(())
    })?;
    Ok(())
}

/// Writes a tiled file of one 16-bit number for each pixel, such as a mask, as a grey picture.
///
/// # Errors
/// [`CoreError`]; nothing is left behind then.
pub fn write_grey(path: &Path, target: Target, tiles: &Path) -> Result<(), CoreError> {
    let file = TiledFile::<u16>::open(tiles)?;
    let (width, height) = (file.width(), file.height());
    let encoding = Encoding::srgb();
    let out = Picture { width, height, channels: 1, encoding: &encoding, taken: None };
    write_picture(path, target, &out, &mut |y, out| {
        let rows = out.len() as u32 / width;
        out.copy_from_slice(&file.read_region(Region { x: 0, y, width, height: rows })?);
        Ok(())
    })?;
    Ok(())
}

/// Writes the mask of a result at `origin` as a grey picture as large as the reference frame, so
/// that it can be loaded again. Beyond the result, the nearest edge pixel is repeated.
///
/// # Errors
/// [`CoreError`]; nothing is left behind then.
pub fn write_mask(
    path: &Path,
    target: Target,
    tiles: &Path,
    origin: [u32; 2],
    (width, height): (u32, u32),
) -> Result<(), CoreError> {
    let file = TiledFile::<u16>::open(tiles)?;
    let inside = |at: u32, origin: u32, length: u32| at.saturating_sub(origin).min(length - 1);
    let encoding = Encoding::srgb();
    let out = Picture { width, height, channels: 1, encoding: &encoding, taken: None };
    write_picture(path, target, &out, &mut |y, out| {
        for (y, row) in (y..).zip(out.chunks_exact_mut(width as usize)) {
            let y = inside(y, origin[1], file.height());
            let codes = file.read_region(Region { x: 0, y, width: file.width(), height: 1 })?;
            for (x, to) in (0..width).zip(row) {
                *to = codes[inside(x, origin[0], file.width()) as usize];
            }
        }
        Ok(())
    })?;
    Ok(())
}

/// The form in which a result is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// Encoded samples; light beyond white is clipped.
    Encoded(Target),
    /// A TIFF of 32-bit floats: linear light, including light beyond white.
    Light,
}

/// The colours in which a result is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Colours {
    /// Those of the reference frame. Integers of linear frames get a curve, so that dark tones keep
    /// enough steps.
    #[default]
    Input,
    /// sRGB.
    Srgb,
    /// Display P3.
    DisplayP3,
    /// A98 RGB.
    A98,
    /// ProPhoto RGB.
    Prophoto,
    /// The reference frame's primaries with linear numbers.
    Linear,
}

impl Colours {
    /// Checks that files of a form can have these colours.
    ///
    /// # Errors
    /// [`CoreError::Setting`] for linear light in 8 bits, which has too few steps for dark tones.
    pub fn check(self, form: Form) -> Result<(), CoreError> {
        match form {
            Form::Encoded(target) if self == Self::Linear && target.bits() < 16 => {
                Err(CoreError::Setting(
                    "Linear light needs 16 bits or floating-point numbers; choose one of these, or other colours.".to_owned(),
                ))
            }
            _ => Ok(()),
        }
    }

    /// The encoding of files in these colours, of a picture in another encoding.
    fn encoding(self, of: &Encoding) -> Encoding {
        let space = match self {
            Self::Input => return of.for_whole_numbers(),
            Self::Linear => return of.linear(),
            Self::Srgb => Space::Srgb,
            Self::DisplayP3 => Space::DisplayP3,
            Self::A98 => Space::A98,
            Self::Prophoto => Space::Prophoto,
        };
        Encoding::of_space(space)
    }
}

/// How a result is written, and what is written with it.
#[derive(Clone, Copy)]
pub struct Written<'a> {
    /// The kind of file.
    pub form: Form,
    /// Its colours.
    pub colours: Colours,
    /// Facts from the file of the reference frame, where they are known.
    pub facts: Option<&'a Facts>,
    /// The report of the run.
    pub report: &'a Report,
    /// Whether to write where it was taken.
    pub place: bool,
}

impl Written<'_> {
    fn taken(&self) -> Option<Taken<'_>> {
        let frames = &self.report.frames;
        let exposures = self.report.exposures().map(|seconds| Exposures {
            total: seconds.total_s,
            longest: seconds.longest_s,
            shortest: seconds.shortest_s,
        });
        let used = frames.iter().filter(|frame| frame.used).count() as u32;
        let stack = Some(Stack { given: frames.len() as u32, used, exposures });
        self.facts.map(|facts| Taken { facts, stack, place: self.place })
    }
}

/// Writes a combined picture (a tiled file of linear light) to `path`. `profile` is the ICC profile of
/// the reference frame, in whose primaries the light is.
///
/// # Errors
/// [`CoreError`]; nothing is left behind then.
pub fn write(
    path: &Path,
    how: &Written,
    picture: &Path,
    profile: &[u8],
    watch: &dyn Watch,
) -> Result<(), CoreError> {
    let light = TiledFile::<f32>::open(picture)?;
    let stored = Encoding::from_icc(path, Some(profile))?;
    how.colours.check(how.form)?;
    let encoding = how.colours.encoding(&stored);
    let turn = stored.to(&encoding);
    let (width, height) = (light.width(), light.height());
    watch.begin(Stage::Export, height as u64);
    let out = Picture { width, height, channels: 3, encoding: &encoding, taken: how.taken() };
    let row = width as usize * 3;
    // A few rows for each thread at a time, which stay in the processor's cache.
    let part = row * 16;
    let read = |y: u32, part_index: usize, samples: usize| {
        let top = y + (part_index * part / row) as u32;
        let region = Region { x: 0, y: top, width, height: (samples / row) as u32 };
        let mut light = light.read_region(region)?;
        if let Some(turn) = &turn {
            for pixel in light.as_chunks_mut::<3>().0 {
                let [r, g, b] = *pixel;
                *pixel = turn.map(|row| row[0] * r + row[1] * g + row[2] * b);
            }
        }
        Ok::<_, PictureError>(light)
    };
    let begin = |samples: usize| match watch.cancelled() {
        true => Err(PictureError::Cancelled),
        false => {
            watch.advance((samples / row) as u64);
            Ok(())
        }
    };
    match how.form {
        Form::Encoded(target) => write_picture(path, target, &out, &mut |y, rows| {
            begin(rows.len())?;
            rows.par_chunks_mut(part).enumerate().try_for_each(|(i, codes)| {
                encoding.encode_pixels(&read(y, i, codes.len())?, codes);
                Ok(())
            })
        })?,
        Form::Light => write_light(path, &out, &mut |y, rows| {
            begin(rows.len())?;
            rows.par_chunks_mut(part).enumerate().try_for_each(|(i, out)| {
                out.copy_from_slice(&read(y, i, out.len())?);
                Ok(())
            })
        })?,
    }
    Ok(())
}
