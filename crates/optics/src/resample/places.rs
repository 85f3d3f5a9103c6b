//! Positions of the pixels of a region in a frame, without the displacement of its lens.

use super::layout::FINE;
use super::map::Map;
use super::to_samples::{Scale, ToSamples};
use crate::motion::Backward;
use crate::space::InReference;
use jade_pixels::tiled::Region;

/// Positions in a frame of the pixels of a region of the reference frame.
pub struct SourcePositions {
    map: Map,
    region: Region,
}

impl SourcePositions {
    /// Positions in the frame that `backward` leads to.
    pub fn new(backward: &Backward, InReference(region): InReference<Region>) -> Self {
        let way = ToSamples { backward, scale: Scale::FULL, lens: None };
        Self { map: Map::new(&way, region), region }
    }

    /// Bounds of all positions as (left, top, right, bottom); `None` where they are no numbers.
    pub fn bounds(&self) -> Option<[f64; 4]> {
        self.map.bounds(u32::MAX, u32::MAX)
    }

    /// Calls `visit` for runs of pixels along rows, with the index of the first pixel in the
    /// region, the number of pixels, and their columns and rows in the frame.
    pub fn rows(&self, mut visit: impl FnMut(usize, usize, &[f32; FINE], &[f32; FINE])) {
        let (width, across) = (self.region.width as usize, self.map.across);
        for y in 0..self.region.height as usize {
            let nodes = y / FINE * across;
            let part = (y % FINE) as f64 / FINE as f64;
            let node = |i: usize| {
                let (here, next) = (self.map.nodes[nodes + i], self.map.nodes[nodes + across + i]);
                [0, 1].map(|axis| here[axis] + part * (next[axis] - here[axis]))
            };
            for x in (0..width).step_by(FINE) {
                let (from, to) = (node(x / FINE), node(x / FINE + 1));
                let along = |axis: usize| -> [f32; FINE] {
                    let (from, to) = (from[axis] as f32, to[axis] as f32);
                    let step = (to - from) / FINE as f32;
                    std::array::from_fn(|i| from + step * i as f32)
                };
                visit(y * width + x, FINE.min(width - x), &along(0), &along(1));
            }
        }
    }
}
