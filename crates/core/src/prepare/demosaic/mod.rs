//! From one colour at each photosite to three at each pixel.

mod fast;
mod fine;

use jade_pixels::mosaic::Pattern;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How missing colours are found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum Demosaic {
    /// By gradients in straight lines: for a quick look, and for very noisy frames.
    Fast,
    /// Along edges rather than across them.
    #[default]
    Fine,
}

/// Rows and columns about a band that are needed to find its colours, and photosites beyond them
/// that hold nothing; even, so that the pattern begins alike.
pub const MARGIN: usize = 12;

/// Bytes of [`Room`] for each pixel of a band at most.
pub const BYTES_FOR_PIXEL: u64 = 6 * 4 + 1;

/// A band of a mosaic: balanced light, with [`MARGIN`] photosites around it.
pub struct Band<'a> {
    /// Columns and rows without the margin.
    pub size: [usize; 2],
    /// `(columns + 2 * MARGIN) * (rows + 2 * MARGIN)` values, row by row.
    pub light: &'a [f32],
    /// Colours, counted from the first photosite of the margin.
    pub pattern: Pattern,
}

impl Band<'_> {
    /// Values of a row with its margins.
    fn stride(&self) -> usize {
        self.size[0] + 2 * MARGIN
    }

    fn colour(&self, x: usize, y: usize) -> usize {
        self.pattern.colour(x as u32, y as u32)
    }
}

/// Memory that is used again for every band.
#[derive(Default)]
pub struct Room {
    fine: fine::Room,
}

/// Finds the colours of a band: interleaved red, green and blue into `out`, row by row.
pub fn demosaic(band: &Band, way: Demosaic, room: &mut Room, out: &mut [f32]) {
    match way {
        Demosaic::Fast => fast::demosaic(band, out),
        Demosaic::Fine => fine::demosaic(band, &mut room.fine, out),
    }
}

/// A place beyond an edge comes from as far within, where the colours are the same.
pub fn mirrored(place: isize, count: usize) -> usize {
    let last = count as isize - 1;
    let round = place.rem_euclid((2 * last).max(1));
    round.min(2 * last - round).max(0) as usize
}
