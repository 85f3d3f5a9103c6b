//! Combined pictures as files for elsewhere.

use crate::CoreError;
use crate::progress::{Stage, Watch};
use jade_pixels::PictureError;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::Facts;
use jade_pixels::tiled::{Region, TiledFile};
use jade_pixels::write::{Picture, Target, write_picture};
use rayon::prelude::*;
use std::path::Path;

/// Quality of JPEG results, 1 to 100.
pub const JPEG_QUALITY: u8 = 94;

/// Writes a combined picture (a tiled file of linear light) to `path`, encoded with `profile`, the
/// ICC profile of the reference frame. Light beyond white is clipped.
///
/// # Errors
/// [`CoreError`]; nothing is left behind then.
pub fn write(
    path: &Path,
    target: Target,
    picture: &Path,
    profile: &[u8],
    facts: Option<&Facts>,
    watch: &dyn Watch,
) -> Result<(), CoreError> {
    let light = TiledFile::<f32>::open(picture)?;
    let encoding = Encoding::from_icc(path, Some(profile))?;
    let (width, height) = (light.width(), light.height());
    watch.begin(Stage::Export, height as u64);
    let form = Picture { width, height, channels: 3, encoding: &encoding, facts };
    write_picture(path, target, &form, &mut |y, rows| {
        if watch.cancelled() {
            return Err(PictureError::Cancelled);
        }
        let tall = (rows.len() / (width as usize * 3)) as u32;
        let band = light.read_region(Region { x: 0, y, width, height: tall })?;
        rows.par_chunks_mut(3 * 1024).zip(band.par_chunks(3 * 1024)).for_each(|(out, light)| {
            for (i, (code, &v)) in out.iter_mut().zip(light).enumerate() {
                *code = encoding.encode(i % 3, v);
            }
        });
        watch.advance(tall as u64);
        Ok(())
    })?;
    Ok(())
}
