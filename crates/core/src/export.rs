//! Combined pictures as files for elsewhere.

use crate::CoreError;
use crate::cache::{Cache, MapKind};
use crate::engine::Outcome;
use crate::progress::{Stage, Watch};
use jade_pixels::PictureError;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::Facts;
use jade_pixels::tiled::{Region, TiledFile};
use jade_pixels::write::{Picture, Target, write_light, write_picture};
use rayon::prelude::*;
use std::path::Path;

/// Quality of JPEG results, 1 to 100.
pub const JPEG_QUALITY: u8 = 94;

/// Writes the counts of a map (how many frames cover a pixel, how many samples were rejected) as a
/// grey picture of 16 bit.
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
    // A result that every frame covers everywhere has no map of it.
    let map = if file.exists() { Some(TiledFile::<u16>::open(&file)?) } else { None };
    let [width, height] = outcome.report.size;
    let encoding = Encoding::srgb();
    let out = Picture { width, height, channels: 1, encoding: &encoding, facts: None };
    write_picture(path, target, &out, &mut |y, rows| {
        let Some(map) = &map else {
            rows.fill(used);
            return Ok(());
        };
        let tall = rows.len() as u32 / width;
        let counts = map.read_region(Region { x: 0, y, width, height: tall })?;
        rows.iter_mut().zip(counts.chunks_exact(map.channels())).for_each(|(to, c)| *to = c[0]);
        Ok(())
    })?;
    Ok(())
}

/// Writes a tiled file of one 16-bit number for each pixel, as a mask is, as a grey picture.
///
/// # Errors
/// [`CoreError`]; nothing is left behind then.
pub fn write_grey(path: &Path, target: Target, tiles: &Path) -> Result<(), CoreError> {
    let file = TiledFile::<u16>::open(tiles)?;
    let (width, height) = (file.width(), file.height());
    let encoding = Encoding::srgb();
    let out = Picture { width, height, channels: 1, encoding: &encoding, facts: None };
    write_picture(path, target, &out, &mut |y, rows| {
        let tall = rows.len() as u32 / width;
        rows.copy_from_slice(&file.read_region(Region { x: 0, y, width, height: tall })?);
        Ok(())
    })?;
    Ok(())
}

/// The same of a mask that was cut with its result, which begins at `origin` in a frame of this size:
/// as large as the frame, so that it can be loaded again. What was cut off is as its nearest edge.
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
    let inside = |at: u32, origin: u32, long: u32| at.saturating_sub(origin).min(long - 1);
    let encoding = Encoding::srgb();
    let out = Picture { width, height, channels: 1, encoding: &encoding, facts: None };
    write_picture(path, target, &out, &mut |y, rows| {
        for (y, row) in (y..).zip(rows.chunks_exact_mut(width as usize)) {
            let y = inside(y, origin[1], file.height());
            let own = file.read_region(Region { x: 0, y, width: file.width(), height: 1 })?;
            for (x, to) in (0..width).zip(row) {
                *to = own[inside(x, origin[0], file.width()) as usize];
            }
        }
        Ok(())
    })?;
    Ok(())
}

/// What a result is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// Encoded samples; light beyond white is clipped.
    Encoded(Target),
    /// A TIFF of 32-bit floats: linear light, beyond white too.
    Light,
}

/// Writes a combined picture (a tiled file of linear light) to `path`, encoded with `profile`, the
/// ICC profile of the reference frame.
///
/// # Errors
/// [`CoreError`]; nothing is left behind then.
pub fn write(
    path: &Path,
    form: Form,
    picture: &Path,
    profile: &[u8],
    facts: Option<&Facts>,
    watch: &dyn Watch,
) -> Result<(), CoreError> {
    let light = TiledFile::<f32>::open(picture)?;
    let encoding = Encoding::from_icc(path, Some(profile))?;
    let (width, height) = (light.width(), light.height());
    watch.begin(Stage::Export, height as u64);
    let out = Picture { width, height, channels: 3, encoding: &encoding, facts };
    let row = width as usize * 3;
    // Few rows at a time and thread: they stay in the processor's cache.
    let part = row * 16;
    let read = |y: u32, part_index: usize, samples: usize| {
        let top = y + (part_index * part / row) as u32;
        light.read_region(Region { x: 0, y: top, width, height: (samples / row) as u32 })
    };
    let begin = |samples: usize| match watch.cancelled() {
        true => Err(PictureError::Cancelled),
        false => {
            watch.advance((samples / row) as u64);
            Ok(())
        }
    };
    match form {
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
