//! Names and forms of the files of a scene.

use crate::error::SceneError;
use jade_pixels::PictureError;
use jade_pixels::colour::Encoding;
use jade_pixels::facts::Facts;
use jade_pixels::write::{Picture, Taken, Target, write_picture, write_whole};
use serde::Serialize;
use std::io::Write;
use std::path::{Path, PathBuf};

/// `f01.tif` for the first of fewer than a hundred frames.
pub fn frame_name(index: u32, frames: u32) -> String {
    let digits = if frames > 99 { 3 } else { 2 };
    format!("f{:0digits$}.tif", index + 1)
}

/// A frame: its samples, and what the camera writes into its file.
type Shot = (Vec<u16>, Facts);

/// Writes `f01.tif` ... into `folder`, and makes its folder `truth`, which is returned. `step` is called
/// before each frame, and once more before the truth, with the number made and the total; it stops
/// the work by returning false.
pub fn frames(
    folder: &Path,
    frames: u32,
    deflate: bool,
    mut step: impl FnMut(u32, u32) -> bool,
    take: impl Fn(u32) -> Shot,
) -> Result<PathBuf, SceneError> {
    let truth = folder.join("truth");
    std::fs::create_dir_all(&truth).map_err(PictureError::io(&truth))?;
    for index in 0..=frames {
        if !step(index, frames + 1) {
            return Err(SceneError::Cancelled);
        }
        if index < frames {
            let (samples, facts) = take(index);
            let size = (facts.width, facts.height);
            let path = folder.join(frame_name(index, frames));
            save(&path, size, &samples, Some(&facts), deflate)?;
        }
    }
    Ok(truth)
}

/// Places all over a frame, each with where it stands in the reference frame.
pub fn grid((width, height): (u32, u32), to: impl Fn([f64; 2]) -> [f64; 2]) -> Vec<[f64; 4]> {
    let [w, h] = [width, height].map(|n| f64::from(n) - 1.0);
    (0..17 * 11)
        .map(|i| [w * f64::from(i % 17) / 16.0, h * f64::from(i / 17) / 10.0])
        .map(|[x, y]| {
            let [to_x, to_y] = to([x, y]);
            [x, y, to_x, to_y]
        })
        .collect()
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
    let taken = facts.map(|facts| Taken { facts, stack: None, place: true });
    let picture = Picture { width, height, channels, encoding: &encoding, taken };
    let row = width as usize * channels;
    let target = match path.extension().is_some_and(|e| e == "png") {
        true => Target::Png { sixteen_bit: true },
        false => Target::Tiff { sixteen_bit: true, deflate },
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
