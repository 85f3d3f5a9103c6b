//! What stands still, or is near: the land in many kinds, lamps, water, and clouds over it.

mod bare_tree;
mod bars;
mod clouds;
mod ground;
mod hills;
mod lamp;
mod lamps;
mod pan;
mod pylon;
mod roofs;
mod shapes;

pub use ground::Ground;

use super::options::Options;
use crate::random::stream;
use clouds::Clouds;
use rand::Rng;
use rayon::prelude::*;
use shapes::{Shapes, Surface};

/// What the camera stands before.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Land {
    /// A salt pan with heaps of salt and a lattice mast.
    #[default]
    Pan,
    /// Ridges one behind the other, wooded at the top.
    Hills,
    /// Gabled and flat roofs with chimneys and lit windows.
    Roofs,
    /// Bare trees before the sky.
    Branches,
    /// A large lattice pylon with wires across the picture.
    Pylon,
    /// Lamps on poles with haze around them.
    Lamps,
    /// Still water that mirrors the stars, with a low far bank.
    Water,
    /// Hills below a drifting bank of clouds.
    Clouds,
    /// Rocks in bright moonlight, brighter than the sky.
    Moonlit,
    /// Roofs and hills that are all but black.
    Dark,
}

impl Land {
    /// All kinds.
    pub const ALL: [Self; 10] = [
        Self::Pan,
        Self::Hills,
        Self::Roofs,
        Self::Branches,
        Self::Pylon,
        Self::Lamps,
        Self::Water,
        Self::Clouds,
        Self::Moonlit,
        Self::Dark,
    ];

    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Pan => "pan",
            Self::Hills => "hills",
            Self::Roofs => "roofs",
            Self::Branches => "branches",
            Self::Pylon => "pylon",
            Self::Lamps => "lamps",
            Self::Water => "water",
            Self::Clouds => "clouds",
            Self::Moonlit => "moonlit",
            Self::Dark => "dark",
        }
    }
}

impl Ground {
    /// Makes up the land before a camera.
    pub fn new(options: &Options, land: Land) -> Self {
        let (shapes, surface) = match land {
            Land::Pan => pan::make(options),
            Land::Hills | Land::Clouds => hills::make(options, hills::WOODED),
            Land::Moonlit => hills::make(options, hills::MOONLIT),
            Land::Roofs => roofs::make(options, 1.0),
            Land::Dark => roofs::make(options, 0.06),
            Land::Branches => bare_tree::make(options),
            Land::Pylon => pylon::make(options),
            Land::Lamps => lamps::make(options),
            Land::Water => hills::make(options, hills::FAR_BANK),
        };
        let area = options.width as usize * options.height as usize;
        let mut random = stream(options.seed, "land", 0, 0);
        let mut ground = Self {
            width: options.width as usize,
            sky: vec![0.0; area],
            light: vec![[0.0; 3]; area],
            horizon: shapes.horizon,
            haze: vec![],
            mirror: (land == Land::Water).then(|| random.random_range(0.45..0.75)),
            clouds: (land == Land::Clouds).then(|| Clouds::new(options, shapes.horizon)),
            airglow: if land == Land::Moonlit { random.random_range(1.5..2.6) } else { 1.0 },
        };
        ground.draw(&shapes, &surface);
        drop(surface);
        ground
    }

    fn draw(&mut self, shapes: &Shapes, surface: &Surface) {
        let width = self.width;
        let rows = self.sky.par_chunks_mut(width).zip(self.light.par_chunks_mut(width));
        rows.enumerate().for_each(|(y, (sky, light))| {
            let y = y as f64;
            let bars = bars::cover_row(&shapes.bars, y, width);
            for x in 0..width {
                let top = shapes.tops[x];
                let hill = (y - top + 0.5).clamp(0.0, 1.0);
                let bar = bars[x];
                let solid = hill.max(bar);
                sky[x] = 1.0 - solid as f32;
                if solid > 0.0 {
                    light[x] = match bar > hill {
                        true => shapes.bar_light,
                        false => surface(x as f64, y, top),
                    };
                }
            }
        });
        for lamp in &shapes.lamps {
            lamp.shine(self);
        }
    }
}
