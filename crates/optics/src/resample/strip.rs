//! A strip: some columns of a region, all its rows.

use super::layout::NODES;
use super::map::{self, Map};
use super::row_scratch::RowScratch;
use super::source::Source;
use crate::kernel::RUN;

/// A strip: some columns of a region, all its rows.
pub struct Strip<'a> {
    pub map: &'a Map,
    pub source: &'a Source<'a>,
    pub x: usize,
    pub width: usize,
    /// The map's nodes along both axes, relative to the source's top-left pixel.
    pub nodes: [Vec<[f32; NODES]>; 2],
    /// The frame's last column and row.
    pub last: [f32; 2],
}

impl Strip<'_> {
    /// Puts the source positions of row `y` into `scratch`: the rows, and the columns too where
    /// `columns` is set or cover is asked for.
    pub fn place(
        &self,
        y: usize,
        columns: bool,
        scratch: &mut RowScratch,
        covered: Option<&mut [bool]>,
    ) {
        let RowScratch { xs, ys, .. } = scratch;
        // The last run may reach beyond the last column.
        let (width, length) = (self.width, self.width.next_multiple_of(RUN));
        map::row(&self.nodes[1], y, ys);
        let low = ys[width - 1];
        ys[width..length].fill(low);
        if columns || covered.is_some() {
            map::row(&self.nodes[0], y, xs);
            for i in width..length {
                xs[i] = xs[width - 1] + (i + 1 - width) as f32;
            }
        }
        if let Some(covered) = covered {
            let [left, top] = [self.source.left, self.source.top].map(|v| v as f32);
            cover(&mut xs[..length], left, self.last[0], covered);
            cover(&mut ys[..length], top, self.last[1], covered);
        }
    }
}

/// Marks positions along one axis outside 0..=`last` as uncovered and moves them to the edge.
/// Positions are relative to `origin`.
fn cover(places: &mut [f32], origin: f32, last: f32, covered: &mut [bool]) {
    const CLOSE: f32 = 0.01;
    let (low, high) = (-origin, last - origin);
    for (i, place) in places.iter_mut().enumerate() {
        let inside = *place >= low - CLOSE && *place <= high + CLOSE;
        if let Some(covered) = covered.get_mut(i) {
            *covered &= inside;
        }
        *place = place.clamp(low, high);
    }
}
