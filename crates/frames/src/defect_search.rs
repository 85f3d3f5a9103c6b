//! Finds hot and cold photosites, in dark frames or in the lights alone.

use super::defects::{Defects, RING, middle};
use super::recorded::Recorded;
use super::shape::Shape;
use jade_optics::statistics::median;
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, SIDE};
use rayon::prelude::*;

/// Standard deviations of one frame's noise by which a faulty sample stands out of the master dark.
const IN_DARK: f32 = 5.0;
/// Standard deviations by which a faulty sample stands out of a light frame.
const IN_LIGHT: f32 = 6.0;
/// Share of the light frames in which a faulty sample must stand out.
const SEEN: f32 = 0.6;
/// Least distance of a faulty sample from its neighbours of the same colour, relative to their
/// range.
const ALONE: f32 = 1.5;
/// Most share of its light that its neighbours of other colours may have: no image through a lens
/// is this narrow.
const NARROW: f32 = 0.3;

/// Reads light of a region.
pub type Read<'a> = &'a (dyn Fn(Region) -> Result<Vec<f32>, PictureError> + Sync);

/// Samples that stand out of a master dark; `noise` is that of one frame.
///
/// # Errors
/// [`PictureError::Io`].
pub fn in_dark(shape: Shape, dark: Read, noise: f32) -> Result<Defects, PictureError> {
    let found: Result<Vec<Defects>, PictureError> = tiles(shape)
        .into_par_iter()
        .map(|tile| {
            let patch = TileAndMargin::read(shape, tile, dark)?;
            Ok(patch.samples(tile).filter(|at| patch.excess(*at).abs() > IN_DARK * noise).collect())
        })
        .collect();
    Ok(sorted(found?.concat()))
}

/// Samples that stand out alone at the same place in most of some light frames. Images move, or are
/// wider.
///
/// # Errors
/// [`PictureError::Io`].
pub fn in_lights(frames: &[Recorded]) -> Result<Defects, PictureError> {
    let shape = frames[0].shape();
    let wanted = ((frames.len() as f32 * SEEN).ceil() as u8).max(2);
    let found: Result<Vec<Defects>, PictureError> = tiles(shape)
        .into_par_iter()
        .map(|tile| {
            let mut isolated: Vec<(u32, u32)> = Vec::new();
            for frame in frames {
                let patch = TileAndMargin::read(shape, tile, &|region| frame.light(region))?;
                let noise = patch.noise(tile);
                let may_be = |at: &(u32, u32)| patch.may_be_isolated(*at, noise);
                let all = patch.samples(tile).filter(may_be);
                isolated.extend(all.filter(|at| patch.is_isolated(*at, noise)));
            }
            let mut often = Vec::new();
            for same in sorted(isolated).chunk_by(|a, b| a == b) {
                if same.len() >= wanted.into() {
                    often.push(same[0]);
                }
            }
            Ok(often)
        })
        .collect();
    Ok(sorted(found?.concat()))
}

fn sorted(mut faults: Defects) -> Defects {
    faults.sort_unstable();
    faults
}

fn tiles(shape: Shape) -> Vec<Region> {
    Region::covering(shape.width, shape.height, [SIDE; 2])
}

/// A tile with its surroundings.
struct TileAndMargin {
    region: Region,
    channels: u32,
    light: Vec<f32>,
}

/// Rows and columns around a tile.
const AROUND: u32 = 4;

impl TileAndMargin {
    fn read(shape: Shape, tile: Region, read: Read) -> Result<Self, PictureError> {
        let (x, y) = (tile.x.saturating_sub(AROUND), tile.y.saturating_sub(AROUND));
        let region = Region {
            x,
            y,
            width: (tile.x + tile.width + AROUND).min(shape.width) - x,
            height: (tile.y + tile.height + AROUND).min(shape.height) - y,
        };
        Ok(Self { region, channels: shape.channels, light: read(region)? })
    }

    /// Rows and samples of a tile.
    fn samples(&self, tile: Region) -> impl Iterator<Item = (u32, u32)> + use<> {
        let columns = tile.x * self.channels..(tile.x + tile.width) * self.channels;
        (tile.y..tile.y + tile.height).flat_map(move |y| columns.clone().map(move |x| (y, x)))
    }

    /// Light at an offset from a sample, if it lies inside.
    fn at(&self, (y, x): (u32, u32), [dx, dy]: [i32; 2]) -> Option<f32> {
        let (column, channel) = (x / self.channels, x % self.channels);
        let column = column.checked_add_signed(dx)?.checked_sub(self.region.x)?;
        let row = y.checked_add_signed(dy)?.checked_sub(self.region.y)?;
        (column < self.region.width && row < self.region.height).then(|| {
            let pixel = row as usize * self.region.width as usize + column as usize;
            self.light[pixel * self.channels as usize + channel as usize]
        })
    }

    /// Excess of a sample over its neighbours of the same colour.
    fn excess(&self, at: (u32, u32)) -> f32 {
        let here = self.at(at, [0, 0]).unwrap_or(0.0);
        here - middle(RING.iter().filter_map(|off| self.at(at, *off))).unwrap_or(here)
    }

    /// Typical noise of one sample.
    fn noise(&self, tile: Region) -> f32 {
        let some = self.samples(tile).step_by(13);
        let mut off: Vec<f32> = some.map(|at| self.excess(at).abs()).collect();
        // The median of eight is itself slightly off.
        if off.is_empty() { 0.0 } else { 1.4826 * median(&mut off) / 1.09 }
    }

    /// A quick test whether a sample may be isolated. An isolated sample is off by more than the
    /// range of its neighbours of the same colour, so it is off the mean of any two of them by at
    /// least a third of that.
    #[inline]
    fn may_be_isolated(&self, (y, x): (u32, u32), noise: f32) -> bool {
        let row = self.region.width as usize * self.channels as usize;
        let at = (x - self.region.x * self.channels) as usize;
        let light = &self.light[(y - self.region.y) as usize * row..][..row];
        let apart = 2 * self.channels as usize;
        match (at.checked_sub(apart).map(|before| light[before]), light.get(at + apart)) {
            (Some(before), Some(after)) => {
                (light[at] - (before + after) / 2.0).abs() > IN_LIGHT / 3.0 * noise
            }
            _ => true,
        }
    }

    /// Whether a sample stands out and its neighbours do not, as they would in an image.
    fn is_isolated(&self, at: (u32, u32), noise: f32) -> bool {
        let excess = self.excess(at);
        if excess.abs() <= IN_LIGHT * noise.max(1e-7) {
            return false;
        }
        // Where its neighbours differ a lot, there is something in the picture.
        let ring = || RING.iter().filter_map(|off| self.at(at, *off));
        let range = ring().fold(f32::MIN, f32::max) - ring().fold(f32::MAX, f32::min);
        if excess.abs() < ALONE * range {
            return false;
        }
        let near: f32 = match self.channels {
            // Other colours are right beside it.
            1 => {
                const BESIDE: [[i32; 2]; 4] = [[-1, 0], [1, 0], [0, -1], [0, 1]];
                let place = |[dx, dy]: [i32; 2]| {
                    let there = (at.0.checked_add_signed(dy)?, at.1.checked_add_signed(dx)?);
                    self.at(there, [0, 0]).map(|_| self.excess(there))
                };
                let beside: Vec<f32> = BESIDE.into_iter().filter_map(place).collect();
                beside.iter().sum::<f32>() / beside.len().max(1) as f32
            }
            // Other colours of the same pixel.
            channels => {
                let pixel = at.1 / channels * channels;
                let others = (pixel..pixel + channels).filter(|x| *x != at.1);
                others.map(|x| self.excess((at.0, x))).sum::<f32>() / (channels - 1) as f32
            }
        };
        near * excess.signum() < NARROW * excess.abs()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// The quick test never rejects what the thorough test accepts.
        #[test]
        fn what_is_isolated_may_be_isolated(
            light in prop::collection::vec(0.0f32..0.1, 144),
            spike in 0.0f32..2.0,
            noise in 0.001f32..0.1,
            channels in prop::sample::select(vec![1u32, 3]),
        ) {
            let region = Region { x: 8, y: 6, width: 12 / channels, height: 12 };
            let mut patch = TileAndMargin { region, channels, light };
            patch.light[6 * 12 + 6] += spike;
            for at in patch.samples(region) {
                prop_assert!(patch.may_be_isolated(at, noise) || !patch.is_isolated(at, noise));
            }
        }
    }
}
