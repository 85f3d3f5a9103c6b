//! The samples of all frames at each position, reduced to one.

use super::network::{LANES, Network, Row};
use super::resample::{self, Samples};
use crate::align::Motion;
use crate::frames::{Frame, Light};
use crate::plan::{Edges, Method};
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;

/// Bytes of samples that one thread holds at a time for methods that order them.
const HELD: usize = 4 << 20;

/// A frame with its place.
pub struct Placed<'a> {
    /// The decoded frame.
    pub frame: &'a Frame,
    /// Its motion.
    pub motion: &'a Motion,
}

/// Reduces frames to one picture, region by region.
pub struct Reducer<'a> {
    frames: Vec<Placed<'a>>,
    method: Method,
    fill: bool,
    network: Network,
}

impl<'a> Reducer<'a> {
    /// Prepares for these frames, of which there must be at least one.
    pub fn new(frames: Vec<Placed<'a>>, method: Method, edges: Edges) -> Self {
        let network = Network::new(frames.len(), &Network::median_rows(frames.len()));
        Self { frames, method, fill: edges == Edges::Fill, network }
    }

    /// The combined light of a region of the reference frame, interleaved. Positions that no frame
    /// covers are black.
    ///
    /// # Errors
    /// [`PictureError::Io`]; [`PictureError::Cancelled`] when `stop` says so.
    pub fn reduce(
        &self,
        region: Region,
        stop: &dyn Fn() -> bool,
    ) -> Result<Vec<f32>, PictureError> {
        let mut out = vec![0.0; region.area() * 3];
        let rows = match self.method {
            Method::Mean => region.height as usize,
            Method::Median => (HELD / (self.frames.len() * region.width as usize * 12))
                .clamp(8, region.height as usize),
        };
        let pieces = out.chunks_mut(rows * region.width as usize * 3).enumerate();
        for (i, piece) in pieces {
            let part = Region {
                y: region.y + (i * rows) as u32,
                height: (piece.len() / 3) as u32 / region.width,
                ..region
            };
            match self.method {
                Method::Mean => self.mean(part, piece, stop)?,
                Method::Median => self.median(part, piece, stop)?,
            }
        }
        Ok(out)
    }

    fn read(&self, placed: &Placed, region: Region) -> Result<Samples, PictureError> {
        let mut samples = resample::read(placed.frame as &dyn Light, placed.motion, region)?;
        if self.fill {
            samples.covered = None;
        }
        Ok(samples)
    }

    fn mean(
        &self,
        region: Region,
        out: &mut [f32],
        stop: &dyn Fn() -> bool,
    ) -> Result<(), PictureError> {
        let mut counts = vec![0u16; region.area()];
        for placed in &self.frames {
            if stop() {
                return Err(PictureError::Cancelled);
            }
            let Samples { planes, covered } = self.read(placed, region)?;
            let pixels = out.chunks_exact_mut(3).zip(&mut counts).enumerate();
            match covered {
                None => pixels.for_each(|(i, (pixel, count))| {
                    *count += 1;
                    for c in 0..3 {
                        pixel[c] += planes[c][i];
                    }
                }),
                Some(covered) => {
                    for (i, (pixel, count)) in pixels.filter(|(i, _)| covered[*i]) {
                        *count += 1;
                        for c in 0..3 {
                            pixel[c] += planes[c][i];
                        }
                    }
                }
            }
        }
        for (pixel, &count) in out.chunks_exact_mut(3).zip(&counts) {
            let share = 1.0 / count.max(1) as f32;
            pixel.iter_mut().for_each(|v| *v *= share);
        }
        Ok(())
    }

    fn median(
        &self,
        region: Region,
        out: &mut [f32],
        stop: &dyn Fn() -> bool,
    ) -> Result<(), PictureError> {
        let mut held = Vec::with_capacity(self.frames.len());
        for placed in &self.frames {
            if stop() {
                return Err(PictureError::Cancelled);
            }
            held.push(self.read(placed, region)?);
        }
        let [low, high] = Network::median_rows(held.len());
        let area = region.area();
        let mut rows: Vec<Row> = vec![[0.0; LANES]; held.len()];
        let whole = |start: usize, long: usize| {
            held.iter().all(|s| {
                s.covered.as_ref().is_none_or(|c| c[start..start + long].iter().all(|v| *v))
            })
        };
        for start in (0..area).step_by(LANES) {
            let long = LANES.min(area - start);
            if !whole(start, long) {
                (start..start + long)
                    .for_each(|i| median_of_present(&held, i, &mut out[i * 3..i * 3 + 3]));
                continue;
            }
            for c in 0..3 {
                for (row, samples) in rows.iter_mut().zip(&held) {
                    row[..long].copy_from_slice(&samples.planes[c][start..start + long]);
                }
                self.network.run(&mut rows);
                for lane in 0..long {
                    out[(start + lane) * 3 + c] = 0.5 * (rows[low][lane] + rows[high][lane]);
                }
            }
        }
        Ok(())
    }
}

/// The median of those samples of a position that are covered; black when there are none.
fn median_of_present(held: &[Samples], i: usize, pixel: &mut [f32]) {
    for (c, out) in pixel.iter_mut().enumerate() {
        let present = held.iter().filter(|s| s.covered.as_ref().is_none_or(|v| v[i]));
        let mut values: Vec<f32> = present.map(|s| s.planes[c][i]).collect();
        if values.is_empty() {
            continue;
        }
        values.sort_by(f32::total_cmp);
        let [low, high] = Network::median_rows(values.len());
        *out = 0.5 * (values[low] + values[high]);
    }
}
