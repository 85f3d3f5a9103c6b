//! Maps that come with a combined picture: how many frames cover each pixel, and how many of its
//! samples were rejected.

use crate::request::Request;
use jade_combine::reduced::Reduced;
use jade_frames::cache::{Key, MapKind};
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, TileWriter};
use jade_plan::frame_index::{PerFrame, Used};
use jade_plan::{Edges, Method};
use std::sync::Mutex;

/// Which pixels of a block, by their index in it, a picture of a map is noted for.
pub enum Noted<'a> {
    All,
    Some(&'a dyn Fn(usize) -> bool),
}

/// Share of rejected samples of each used frame; `None` where the method does not reject.
pub type RejectedShares = Option<PerFrame<Used, f32>>;

/// Maps of one picture while it is made.
pub struct Maps {
    coverage: Option<TileWriter<u16>>,
    rejected: Option<TileWriter<u16>>,
    /// Rejected samples of each used frame.
    by_frame: Mutex<Vec<u64>>,
    /// Number of used frames.
    frames: u16,
    area: f32,
}

impl Maps {
    /// Begins the maps that the plan asks for: coverage where edges are kept, rejected samples where
    /// the method rejects. `frames` is the number of used frames.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn create(
        request: &Request,
        key: &Key,
        (width, height): (u32, u32),
        frames: usize,
    ) -> Result<Self, PictureError> {
        let plan = &request.plan.combine;
        let map = |kind: MapKind, channels: u32| {
            let path = request.cache.map(key, kind);
            TileWriter::<u16>::create(&path, width, height, channels)
        };
        let rejects = plan.method == Method::Clipped;
        Ok(Self {
            coverage: (plan.edges == Edges::Keep).then(|| map(MapKind::Coverage, 1)).transpose()?,
            rejected: rejects.then(|| map(MapKind::Rejected, 2)).transpose()?,
            by_frame: Mutex::new(vec![0; frames]),
            frames: frames as u16,
            area: width as f32 * height as f32,
        })
    }

    /// Notes how many frames cover the pixels of a block.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn note_coverage(
        &self,
        block: Region,
        noted: &Noted,
        made: &Reduced,
    ) -> Result<(), PictureError> {
        let Some(coverage) = &self.coverage else { return Ok(()) };
        let count = |i: usize| made.coverage.get(i).copied().unwrap_or(self.frames);
        match noted {
            Noted::All => {
                coverage.write_region(block, &(0..block.area()).map(count).collect::<Vec<_>>())
            }
            Noted::Some(counts) => update(coverage, block, counts, |i| [count(i)]),
        }
    }

    /// Notes how many samples of the pixels of a block were rejected, and of which frame.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn note_rejected(
        &self,
        block: Region,
        noted: &Noted,
        made: &Reduced,
    ) -> Result<(), PictureError> {
        let Some(rejected) = &self.rejected else { return Ok(()) };
        let of = |i: usize| made.rejected.get(i).copied().unwrap_or_default();
        let sums = || self.by_frame.lock().expect("no thread fails with the lock");
        match noted {
            Noted::All => {
                let all: Vec<u16> = (0..block.area()).flat_map(of).collect();
                rejected.write_region(block, &all)?;
                sums().iter_mut().zip(&made.by_frame).for_each(|(sum, n)| *sum += n);
            }
            Noted::Some(counts) => {
                update(rejected, block, counts, of)?;
                let mut sums = sums();
                for [_, worst] in (0..block.area()).filter(|&i| counts(i)).map(of) {
                    // Where samples of several frames were rejected, the map names one frame.
                    if worst > 0 && usize::from(worst) <= sums.len() {
                        sums[usize::from(worst) - 1] += 1;
                    }
                }
            }
        }
        Ok(())
    }

    /// Finishes the maps. Returns the share of rejected samples of each used frame, where the method
    /// rejects.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn finish(self) -> Result<RejectedShares, PictureError> {
        let rejects = self.rejected.is_some();
        for map in [self.coverage, self.rejected].into_iter().flatten() {
            map.finish(false)?;
        }
        let by_frame = self.by_frame.into_inner().expect("no thread fails with the lock");
        Ok(rejects.then(|| by_frame.into_iter().map(|n| n as f32 / self.area).collect()))
    }
}

/// Writes the numbers of some pixels of a block, which are `N` each, and leaves the others.
fn update<const N: usize>(
    map: &TileWriter<u16>,
    block: Region,
    counts: &dyn Fn(usize) -> bool,
    of: impl Fn(usize) -> [u16; N],
) -> Result<(), PictureError> {
    let mut now = map.so_far()?.read_region(block)?;
    for (i, value) in now.as_chunks_mut::<N>().0.iter_mut().enumerate().filter(|(i, _)| counts(*i))
    {
        *value = of(i);
    }
    map.write_region(block, &now)
}
