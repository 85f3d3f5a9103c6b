//! The samples of all frames in a region, side by side, for methods that sort them.

use super::network::{LANES, Network, Row};
use jade_pixels::tiled::Region;

/// Samples of all frames in a region.
#[derive(Default)]
pub struct HeldSamples {
    samples: Vec<f32>,
    frames: usize,
    /// The region that is held.
    pub region: Option<Region>,
    /// For each frame, which positions it covers; `None` where it covers all.
    pub covered: Vec<Option<Vec<bool>>>,
}

impl HeldSamples {
    /// Prepares for `frames` frames over `region`.
    pub fn begin(&mut self, frames: usize, region: Region) {
        self.samples.resize(frames * 3 * region.area(), 0.0);
        self.frames = frames;
        self.region = Some(region);
        self.covered.clear();
    }

    /// Number of positions.
    pub fn area(&self) -> usize {
        self.region.map_or(0, |r| r.area())
    }

    /// The three planes of a frame, to be filled.
    pub fn planes(&mut self, frame: usize) -> [&mut [f32]; 3] {
        let area = self.area();
        let (red, rest) = self.samples[frame * 3 * area..(frame + 1) * 3 * area].split_at_mut(area);
        let (green, blue) = rest.split_at_mut(area);
        [red, green, blue]
    }

    /// One plane of a frame.
    pub fn plane(&self, frame: usize, channel: usize) -> &[f32] {
        let area = self.area();
        &self.samples[(frame * 3 + channel) * area..][..area]
    }

    /// Number of frames.
    pub fn frames(&self) -> usize {
        self.frames
    }

    /// Whether a frame covers a position.
    pub fn covers(&self, frame: usize, position: usize) -> bool {
        self.covered[frame].as_ref().is_none_or(|c| c[position])
    }

    /// Whether all frames cover `length` positions from `start` on.
    pub fn whole(&self, start: usize, length: usize) -> bool {
        self.covered.iter().flatten().all(|c| c[start..start + length].iter().all(|v| *v))
    }

    /// The frames that cover `length` positions from `start` on, where all others cover none of
    /// them.
    pub fn present_in_all(&self, start: usize, length: usize) -> Option<Vec<usize>> {
        let mut some = Vec::with_capacity(self.frames);
        for (frame, covered) in self.covered.iter().enumerate() {
            let Some(covered) = covered else {
                some.push(frame);
                continue;
            };
            let here = &covered[start..start + length];
            if here.iter().any(|covered| *covered != here[0]) {
                return None;
            }
            if here[0] {
                some.push(frame);
            }
        }
        Some(some)
    }

    /// Copies the samples of up to [`LANES`] positions, one row for each frame.
    pub fn rows(&self, channel: usize, start: usize, length: usize, rows: &mut [Row]) {
        let area = self.area();
        for (frame, row) in rows.iter_mut().enumerate() {
            let from = (frame * 3 + channel) * area + start;
            row[..length].copy_from_slice(&self.samples[from..from + length]);
        }
    }

    /// The sorted samples of the frames that cover a position.
    pub fn present(&self, channel: usize, position: usize) -> Vec<f32> {
        let mut values: Vec<f32> = (0..self.frames)
            .filter(|&f| self.covers(f, position))
            .map(|f| self.plane(f, channel)[position])
            .collect();
        values.sort_by(f32::total_cmp);
        values
    }

    /// Appends how many frames cover each position of `part`.
    pub fn coverage(&self, part: Region, out: &mut Vec<u16>) {
        let Some(region) = self.region else { return };
        if self.covered.iter().all(Option::is_none) {
            out.resize(out.len() + part.area(), self.frames as u16);
            return;
        }
        let (left, width) = ((part.x - region.x) as usize, part.width as usize);
        for y in part.y..part.y + part.height {
            let at = (y - region.y) as usize * region.width as usize + left;
            let from = out.len();
            out.resize(from + width, self.frames as u16);
            for covered in self.covered.iter().flatten() {
                let here = &covered[at..at + width];
                out[from..].iter_mut().zip(here).for_each(|(n, covered)| *n -= u16::from(!covered));
            }
        }
    }
}

/// The median of sorted values, 0 without values.
pub fn middle(sorted: &[f32]) -> f32 {
    if sorted.is_empty() {
        return 0.0;
    }
    let [low, high] = Network::median_rows(sorted.len());
    0.5 * (sorted[low] + sorted[high])
}

/// Appends the median of each position in the region, interleaved; `network` brings the median's
/// rows to their places.
pub fn median(held: &HeldSamples, network: &Network, light: &mut Vec<f32>) {
    let frames = held.frames();
    let [low, high] = Network::median_rows(frames);
    let mut rows: Vec<Row> = vec![[0.0; LANES]; frames];
    let first = light.len();
    let area = held.area();
    light.resize(first + area * 3, 0.0);
    let out = &mut light[first..];
    for start in (0..area).step_by(LANES) {
        let length = LANES.min(area - start);
        if !held.whole(start, length) {
            for i in start..start + length {
                for c in 0..3 {
                    out[i * 3 + c] = middle(&held.present(c, i));
                }
            }
            continue;
        }
        for c in 0..3 {
            held.rows(c, start, length, &mut rows);
            network.run(&mut rows);
            for lane in 0..length {
                out[(start + lane) * 3 + c] = 0.5 * (rows[low][lane] + rows[high][lane]);
            }
        }
    }
}
