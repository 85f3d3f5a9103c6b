//! The written truth of a night sky.

use super::scene::NightSky;
use super::star::Star;
use crate::SceneError;
use crate::files::{frame_name, json};
use crate::geometry::{Lens, Rotation, Vec3};
use serde::Serialize;
use std::path::Path;

#[derive(Serialize)]
struct Motion<'a> {
    reference: String,
    size: [u32; 2],
    lens: &'a Lens,
    pole: Vec3,
    frames: Vec<FrameMotion>,
}

#[derive(Serialize)]
struct FrameMotion {
    file: String,
    /// The sky's turn since the reference frame.
    turn: Rotation,
    /// Positions in the frame and in the reference frame: `[x, y, X, Y]`.
    grid: Vec<[f64; 4]>,
}

pub fn write(scene: &NightSky, folder: &Path) -> Result<(), SceneError> {
    let frames = scene.options.frames;
    let [w, h] = [scene.options.width, scene.options.height].map(|n| n as f64 - 1.0);
    let motion = Motion {
        reference: frame_name(scene.reference(), frames),
        size: [scene.options.width, scene.options.height],
        lens: &scene.lens,
        pole: scene.pole,
        frames: (0..frames)
            .map(|index| FrameMotion {
                file: frame_name(index, frames),
                turn: scene.turn(index, 0.0),
                grid: (0..17 * 11)
                    .map(|i| [w * (i % 17) as f64 / 16.0, h * (i / 17) as f64 / 10.0])
                    .filter_map(|[x, y]| {
                        let [to_x, to_y] = scene.to_reference(index, [x, y])?;
                        Some([x, y, to_x, to_y])
                    })
                    .collect(),
            })
            .collect(),
    };
    json(&folder.join("motion.json"), &motion)?;
    let stars: &[Star] = scene.stars();
    json(&folder.join("stars.json"), &stars)?;
    let codes = |shares: &[f32]| -> Vec<u16> {
        shares.iter().map(|v| (v * 65535.0).round() as u16).collect()
    };
    scene.save(&folder.join("sky-mask.png"), &codes(scene.sky_mask()), None)?;
    let streak = codes(&scene.streak_in_reference());
    scene.save(&folder.join("streak.png"), &streak, None)?;
    scene.save(&folder.join("reference.tif"), &scene.clean_reference(), None)
}
