//! The skylines that pages see.

use crate::searches::Searches;
use crate::types::SkylineSeen;
use jade_combine::mask::Mask;
use jade_engine::SkylineFound;
use jade_frames::cache::Key;
use jade_optics::grid::Grid;
use jade_skyline::Live;
use std::sync::Arc;
use std::time::Instant;

/// Most places along the skyline that are shown enlarged.
const PLACES: usize = 400;

/// The skylines of all shoots.
pub type Skylines = Searches<Kept>;

/// The kept state of a shoot's skyline.
#[derive(Default)]
pub struct Kept {
    /// The session that strokes are applied to; only for the shoot used last, as it takes memory
    /// for each pixel.
    pub session: Option<Session>,
    /// The mask that the page saw last, and when.
    pub open: Option<(Instant, Arc<OpenSkyline>)>,
}

/// A skyline of a shoot that strokes are added to.
pub struct Session {
    /// Identifies the frames it was found in, and their alignment.
    pub key: Key,
    pub found: SkylineFound,
    pub live: Live,
}

/// A mask as pages see it.
pub struct OpenSkyline {
    /// Changes whenever anything else here does.
    pub version: String,
    /// The mask as a run would use it, and smaller levels of it.
    pub levels: Vec<Mask>,
    /// Probability of sky in each cell of a grid, where the skyline was found in the frames.
    pub likely: Option<(Grid, Vec<f32>)>,
    /// Frames that it was found in; 0 where a mask was loaded.
    pub frames: usize,
}

/// A mask and halved sizes of it, down to one that fits a tile.
pub fn levels(mask: Mask) -> Vec<Mask> {
    let (width, height) = mask.size();
    let count = jade_pixels::pyramid::level_sizes(width, height).len();
    std::iter::successors(Some(mask), |last| Some(last.halved())).take(count).collect()
}

impl OpenSkyline {
    /// The mask.
    pub fn mask(&self) -> &Mask {
        &self.levels[0]
    }

    /// Figures about it for the page.
    pub fn summary(&self, current: bool) -> SkylineSeen {
        let sky = self.mask().sky_of_all();
        let unsure = self.likely.as_ref().map_or(0.0, |(_, sky)| {
            sky.iter().filter(|sky| (0.1..0.9).contains(*sky)).count() as f32 / sky.len() as f32
        });
        let frames = self.frames as u32;
        let (version, places) = (self.version.clone(), self.places());
        SkylineSeen { version, current, sky, unsure, frames, places }
    }

    /// Places along the skyline from left to right, spaced by the width at which they are shown,
    /// each with its uncertainty: `[x, y, unsure]`.
    fn places(&self) -> Vec<[f32; 3]> {
        let small = self.levels.iter().find(|mask| mask.size().0 <= 1024);
        let small = small.unwrap_or(self.mask());
        let (width, height) = (small.size().0 as usize, small.size().1 as usize);
        let shares = small.shares();
        let scale = self.mask().size().0 as f32 / width as f32;
        let apart = (80.0 / scale).max(width as f32 / PLACES as f32);
        let above = |i: usize| shares[i] > 127;
        let mut places: Vec<[f32; 2]> = Vec::new();
        for x in 0..width {
            for y in 0..height - 1 {
                let i = y * width + x;
                let edge =
                    above(i) != above(i + width) || (x + 1 < width && above(i) != above(i + 1));
                if !edge {
                    continue;
                }
                let here = [x as f32, y as f32];
                let near = |other: &[f32; 2]| {
                    (other[0] - here[0]).abs() < apart && (other[1] - here[1]).abs() < apart
                };
                // Earlier places lie further left; only the last ones can be near.
                if !places.iter().rev().take(40).any(near) {
                    places.push(here);
                }
            }
        }
        places.truncate(PLACES);
        let unsure = |x: f32, y: f32| {
            self.likely.as_ref().map_or(0.0, |(grid, sky)| {
                let reach = grid.step as f32 * 2.0;
                let around = [-reach, 0.0, reach];
                let all =
                    around.iter().flat_map(|dy| around.iter().map(move |dx| [x + dx, y + dy]));
                let of = |at: [f32; 2]| {
                    let sky = grid.at(sky, at.map(f64::from));
                    1.0 - (2.0 * sky - 1.0).abs()
                };
                all.map(of).sum::<f32>() / 9.0
            })
        };
        let full = |[x, y]: [f32; 2]| [(x + 0.5) * scale, (y + 1.0) * scale];
        places.into_iter().map(full).map(|[x, y]| [x.round(), y.round(), unsure(x, y)]).collect()
    }
}
