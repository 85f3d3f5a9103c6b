//! Names and forms of the files of a scene.

use crate::SceneError;
use jade_pixels::PictureError;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::Facts;
use jade_pixels::write::{Picture, Target, write_picture, write_whole};
use serde::Serialize;
use std::io::Write;
use std::path::Path;

/// `f01.tif` for the first of fewer than a hundred frames.
pub fn frame_name(index: u32, frames: u32) -> String {
    let digits = if frames > 99 { 3 } else { 2 };
    format!("f{:0digits$}.tif", index + 1)
}

/// Writes 16-bit samples, row by row, as PNG or TIFF by the path's ending.
pub fn save(
    path: &Path,
    (width, height): (u32, u32),
    samples: &[u16],
    facts: Option<&Facts>,
    deflate: bool,
) -> Result<(), SceneError> {
    let channels = samples.len() / (width as usize * height as usize);
    let encoding = Encoding::srgb();
    let picture = Picture { width, height, channels, encoding: &encoding, facts };
    let row = width as usize * channels;
    let target = match path.extension().is_some_and(|e| e == "png") {
        true => Target::Png { wide: true },
        false => Target::Tiff { wide: true, deflate },
    };
    write_picture(path, target, &picture, &mut |y, out| {
        let from = y as usize * row;
        out.copy_from_slice(&samples[from..from + out.len()]);
        Ok(())
    })?;
    Ok(())
}

/// Writes a value as JSON.
pub fn json(path: &Path, value: &impl Serialize) -> Result<(), SceneError> {
    write_whole(path, |file| {
        let text = serde_json::to_string(value).expect("plain numbers serialise");
        file.write_all(text.as_bytes()).map_err(PictureError::io(path))
    })?;
    Ok(())
}
