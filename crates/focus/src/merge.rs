//! Merges the frames of a sweep into one picture.
//!
//! By pyramids (Burt and Adelson 1983): at each level and place, frames are weighted by the energy
//! of their detail above noise, so that hairs in front of something else are kept. Where all frames
//! show only noise, they are weighted by how near they are to the sharpest frame around, or
//! equally. By the depth map: every place is taken as a whole from its sharpest frames.

use super::depth_map::DepthMap;
use super::pyramid::{Plane, double, halve, spread_squares};
use jade_optics::light::Light;
use jade_optics::motion::{Backward, Motion};
use jade_optics::resample;
use jade_optics::space::InReference;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::MergeMethod;

/// Levels of detail above the base of the pyramid.
const LEVELS: usize = 2;
/// Pixels around a region that influence it; regions begin at multiples of what the pyramid halves.
const MARGIN: u32 = 16;
const WHOLE: u32 = 1 << LEVELS;
/// Energy that is subtracted as noise, relative to the mean energy of noise.
const NOISE: f32 = 1.5;
/// Weight of being near the sharpest frame, in the energy of noise.
const NEAR: f32 = 40.0;
/// Energy beyond which a frame counts no more.
const MOST: f32 = 3e5;
/// Least nearness to the sharpest frame of a frame that covers a place.
const LEAST: f32 = 1e-3;
/// Squares along the longer side of the picture in which noise is measured.
const SQUARES: u32 = 6;
const SQUARE: u32 = 64;

/// A frame of the sweep with its motion and gain.
pub struct Sight<'a> {
    /// The frame's light.
    pub light: &'a dyn Light,
    /// The motion.
    pub motion: Motion,
    /// Factor that brings its light to that of the other frames.
    pub gain: f32,
}

/// A frame of the sweep and the way back to it.
struct Prepared<'a> {
    light: &'a dyn Light,
    backward: Backward,
    gain: f32,
}

/// Merges frames, region by region.
pub struct Merger<'a> {
    frames: Vec<Prepared<'a>>,
    map: &'a DepthMap,
    way: MergeMethod,
    /// Weight of each frame in each cell: for being near the sharpest frame when merging by
    /// pyramids, in all when merging by the depth map.
    weights: Vec<Vec<f32>>,
    /// Energy of noise at each level.
    noise: [f32; LEVELS],
}

/// Memory of one thread that is used again for every region.
#[derive(Default)]
pub struct Scratch {
    resampling: resample::Scratch,
    light: [Plane; 3],
    even: Plane,
    halves: [Plane; LEVELS],
    doubled: Plane,
    energy: [Plane; LEVELS],
    weight: [Plane; LEVELS + 1],
    /// Weighted sums of the detail at each level and of the base, in three colours.
    sums: [[Plane; 3]; LEVELS + 1],
    weights: [Plane; LEVELS + 1],
    rows: Vec<f32>,
}

impl<'a> Merger<'a> {
    /// Prepares to merge frames in the order of focus.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn new(
        frames: Vec<Sight<'a>>,
        map: &'a DepthMap,
        way: MergeMethod,
    ) -> Result<Self, PictureError> {
        let back = |Sight { light, motion, gain }: Sight<'a>| Prepared {
            light,
            backward: motion.backward(),
            gain,
        };
        let frames: Vec<Prepared> = frames.into_iter().map(back).collect();
        let near = |frame| map.near(frame);
        let mut weights: Vec<Vec<f32>> = (0..frames.len()).map(near).collect();
        if way == MergeMethod::DepthMap {
            for (frame, values) in weights.iter_mut().enumerate() {
                let energy = map.energy(frame).iter();
                values
                    .iter_mut()
                    .zip(energy)
                    .for_each(|(value, energy)| *value = weight(*energy, *value));
            }
            for cell in 0..weights[0].len() {
                let sum: f32 = weights.iter().map(|values| values[cell]).sum();
                weights.iter_mut().for_each(|values| values[cell] /= sum.max(f32::MIN_POSITIVE));
            }
        }
        let mut merger = Self { frames, map, way, weights, noise: [1.0; LEVELS] };
        if way == MergeMethod::Pyramid {
            merger.noise = merger.measured_noise()?;
        }
        Ok(merger)
    }

    /// The mean energy of noise at each level: of the least sharp frame in plain places.
    fn measured_noise(&self) -> Result<[f32; LEVELS], PictureError> {
        let (width, height) = self.frames[0].light.size();
        let apart = (width.max(height) / SQUARES).max(SQUARE);
        let mut scratch = Scratch::default();
        let mut found: [Vec<f32>; LEVELS] = Default::default();
        for square in Region::covering(width, height, [apart; 2]) {
            let fits = square.width.min(square.height) >= SQUARE;
            let middle = [square.x + (square.width - 1) / 2, square.y + (square.height - 1) / 2];
            let [x, y] = middle.map(|v| v.saturating_sub(SQUARE / 2) & !(WHOLE - 1));
            let square = Region { x, y, width: SQUARE, height: SQUARE };
            if !fits || x + SQUARE > width || y + SQUARE > height {
                continue;
            }
            let mut least = [f32::MAX; LEVELS];
            for frame in &self.frames {
                if scratch.read(frame, square)?.is_some() {
                    continue;
                }
                scratch.measure();
                for (least, energy) in least.iter_mut().zip(&scratch.energy) {
                    let sum: f32 = energy.values.iter().sum();
                    *least = least.min(sum / energy.values.len() as f32);
                }
            }
            for (all, least) in found.iter_mut().zip(least).filter(|(_, value)| *value < f32::MAX) {
                all.push(least);
            }
        }
        Ok(found.map(|mut all| {
            let third = all.len() / 3;
            match all.is_empty() {
                true => 1e-12,
                false => all.select_nth_unstable_by(third, f32::total_cmp).1.max(1e-12),
            }
        }))
    }

    /// Merges a region of the reference frame; light of three channels, interleaved.
    ///
    /// # Errors
    /// [`PictureError::Io`]; [`PictureError::Cancelled`] when `stop` says so.
    pub fn merge(
        &self,
        InReference(region): InReference<Region>,
        scratch: &mut Scratch,
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<Vec<f32>, PictureError> {
        match self.way {
            MergeMethod::Pyramid => self.fine(region, scratch, stop),
            MergeMethod::DepthMap => self.smooth(region, scratch, stop),
        }
    }

    fn fine(
        &self,
        region: Region,
        scratch: &mut Scratch,
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<Vec<f32>, PictureError> {
        let outer = region.widened(MARGIN, self.frames[0].light.size());
        // Neighbouring regions must be halved on the same grid.
        let [left, top] = [outer.x, outer.y].map(|v| v % WHOLE);
        let outer = Region {
            x: outer.x - left,
            y: outer.y - top,
            width: outer.width + left,
            height: outer.height + top,
        };
        scratch.clear(outer);
        for (frame, near) in self.frames.iter().zip(&self.weights) {
            if stop() {
                return Err(PictureError::Cancelled);
            }
            let covered = scratch.read(frame, outer)?;
            scratch.measure();
            scratch.weigh(self.map, near, outer, covered.as_deref(), &self.noise);
            scratch.add();
        }
        Ok(scratch.finish(outer, region))
    }

    fn smooth(
        &self,
        region: Region,
        scratch: &mut Scratch,
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<Vec<f32>, PictureError> {
        let mut out = vec![0.0; 3 * region.area()];
        let mut sums = vec![0.0; region.area()];
        for (frame, weights) in self.frames.iter().zip(&self.weights) {
            if stop() {
                return Err(PictureError::Cancelled);
            }
            let shares = &mut scratch.weight[0].values;
            self.map.lay(weights, region, shares);
            if shares.iter().all(|weight| *weight < 1e-4) {
                continue;
            }
            let covered = scratch.read(frame, region)?;
            let shares = &mut scratch.weight[0].values;
            if let Some(covered) = covered {
                shares
                    .iter_mut()
                    .zip(covered)
                    .filter(|(_, c)| !c)
                    .for_each(|(share, _)| *share = 0.0);
            }
            let [red, green, blue] = scratch.light.each_ref().map(|plane| &plane.values);
            for (i, (out, share)) in out.as_chunks_mut::<3>().0.iter_mut().zip(shares).enumerate() {
                for (out, light) in out.iter_mut().zip([red[i], green[i], blue[i]]) {
                    *out += *share * light;
                }
                sums[i] += *share;
            }
        }
        for (out, sum) in out.as_chunks_mut::<3>().0.iter_mut().zip(sums) {
            out.iter_mut().for_each(|v| *v /= sum.max(1e-12));
        }
        Ok(out)
    }
}

/// Weight of a frame: by its energy relative to noise, and by its nearness to the sharpest frame.
fn weight(energy: f32, near: f32) -> f32 {
    let strength = ((energy - NOISE).max(0.0) + NEAR * near.max(LEAST)).min(MOST);
    (strength * strength * strength).powi(2)
}

impl Scratch {
    /// Prepares for a region.
    fn clear(&mut self, outer: Region) {
        let (mut width, mut height) = (outer.width as usize, outer.height as usize);
        for (sums, weights) in self.sums.iter_mut().zip(&mut self.weights) {
            sums.iter_mut().for_each(|plane| plane.clear(width, height));
            weights.clear(width, height);
            (width, height) = (width.div_ceil(2), height.div_ceil(2));
        }
    }

    /// Reads a region of a frame as it lies on the reference frame; returns which pixels it covers,
    /// `None` for all.
    fn read(
        &mut self,
        frame: &Prepared,
        region: Region,
    ) -> Result<Option<Vec<bool>>, PictureError> {
        let (width, height) = (region.width as usize, region.height as usize);
        self.light.iter_mut().for_each(|plane| plane.resize(width, height));
        let planes = self.light.each_mut().map(|plane| plane.values.as_mut_slice());
        let covered = resample::read(
            frame.light,
            &frame.backward,
            InReference(region),
            planes,
            &mut self.resampling,
        )?;
        if frame.gain != 1.0 {
            let values = self.light.iter_mut().flat_map(|plane| &mut plane.values);
            values.for_each(|v| *v *= frame.gain);
        }
        Ok(covered)
    }

    /// The energy of the region at each level, of the square root of light.
    fn measure(&mut self) {
        let Self { light: [red, green, blue], even, halves, doubled, energy, rows, .. } = self;
        even.resize(red.width, red.height);
        let colours = red.values.iter().zip(&green.values).zip(&blue.values);
        for (even, ((red, green), blue)) in even.values.iter_mut().zip(colours) {
            *even = ((red + green + blue) * (1.0 / 3.0)).max(0.0).sqrt();
        }
        for (level, energy) in energy.iter_mut().enumerate() {
            let (before, after) = halves.split_at_mut(level);
            let plane = before.last_mut().unwrap_or(even);
            halve(plane, &mut after[0], rows);
            double(&after[0], (plane.width, plane.height), doubled, rows);
            let detail = plane.values.iter_mut().zip(&doubled.values);
            detail.for_each(|(value, doubled)| *value -= doubled);
            spread_squares(plane, energy, rows);
        }
    }

    /// Weights of the frame at each level and place.
    fn weigh(
        &mut self,
        map: &DepthMap,
        near: &[f32],
        region: Region,
        covered: Option<&[bool]>,
        noise: &[f32; LEVELS],
    ) {
        let Self { weight: weights, energy, even, rows, .. } = self;
        // Nearness to the sharpest frame, halved from level to level; `even` is overwritten.
        let mut near_here = std::mem::take(even);
        map.lay(near, region, &mut near_here.values);
        if let Some(covered) = covered {
            let not = near_here.values.iter_mut().zip(covered).filter(|(_, covered)| !**covered);
            not.for_each(|(near, _)| *near = -1.0);
        }
        for level in 0..LEVELS {
            let plane = &mut weights[level];
            plane.resize(near_here.width, near_here.height);
            let energies = energy[level].values.iter().zip(&near_here.values);
            for (share, (energy, near)) in plane.values.iter_mut().zip(energies) {
                // Nothing counts outside the frame.
                *share = match *near < 0.0 {
                    true => 0.0,
                    false => weight(energy / noise[level], *near),
                };
            }
            if level + 1 < LEVELS {
                let mut half = Plane::default();
                halve(&near_here, &mut half, rows);
                near_here = half;
            }
        }
        *even = near_here;
        let (levels, left) = weights.split_at_mut(LEVELS);
        halve(&levels[LEVELS - 1], &mut left[0], rows);
    }

    /// Adds the weighted detail and base of the frame.
    fn add(&mut self) {
        let Self { light, halves, doubled, weight, sums, weights, rows, .. } = self;
        for (colour, light) in light.iter_mut().enumerate() {
            for level in 0..LEVELS {
                let (before, after) = halves.split_at_mut(level);
                let plane = before.last_mut().unwrap_or(light);
                halve(plane, &mut after[0], rows);
                double(&after[0], (plane.width, plane.height), doubled, rows);
                let detail = plane.values.iter().zip(&doubled.values).zip(&weight[level].values);
                let sums = sums[level][colour].values.iter_mut();
                sums.zip(detail)
                    .for_each(|(sum, ((value, low), weight))| *sum += weight * (value - low));
            }
            let left = halves[LEVELS - 1].values.iter().zip(&weight[LEVELS].values);
            let sums = sums[LEVELS][colour].values.iter_mut();
            sums.zip(left).for_each(|(sum, (value, weight))| *sum += weight * value);
        }
        for (sums, added) in weights.iter_mut().zip(weight) {
            sums.values.iter_mut().zip(&added.values).for_each(|(sum, value)| *sum += value);
        }
    }

    /// The merged light of a part of the region.
    fn finish(&mut self, outer: Region, region: Region) -> Vec<f32> {
        let Self { doubled, sums, weights, rows, .. } = self;
        for (sums, weights) in sums.iter_mut().zip(weights) {
            for plane in sums {
                let values = plane.values.iter_mut().zip(&weights.values);
                values.for_each(|(sum, weight)| *sum /= weight.max(f32::MIN_POSITIVE));
            }
        }
        let mut out = vec![0.0; 3 * region.area()];
        let [left, top] = [region.x - outer.x, region.y - outer.y].map(|v| v as usize);
        for colour in 0..3 {
            for level in (0..LEVELS).rev() {
                let (finer, coarser) = sums.split_at_mut(level + 1);
                let plane = &mut finer[level][colour];
                double(&coarser[0][colour], (plane.width, plane.height), doubled, rows);
                plane.values.iter_mut().zip(&doubled.values).for_each(|(value, low)| *value += low);
            }
            let plane = &sums[0][colour];
            let width = region.width as usize;
            for (y, row) in out.chunks_exact_mut(3 * width).enumerate() {
                let from = &plane.values[(top + y) * plane.width + left..][..width];
                row.iter_mut().skip(colour).step_by(3).zip(from).for_each(|(to, v)| *to = *v);
            }
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_align::sharpness::Sharpness;
    use jade_optics::drawn::Drawn;

    const SIZE: (u32, u32) = (420, 300);

    /// Nearly uniform noise from -1 to 1, reproducible for each place of each frame.
    fn noise(frame: u32, [x, y]: [u32; 2], colour: usize) -> f32 {
        let bytes = [frame, x, y, colour as u32].map(u32::to_le_bytes).concat();
        let hash = blake3::hash(&bytes);
        f32::from(hash.as_bytes()[0]) / 127.5 - 1.0
    }

    /// A frame that is sharp on the left or on the right; the other side is even.
    fn frame(left: bool) -> Drawn<impl Fn([u32; 2], usize) -> f32 + Sync> {
        let of = move |[x, y]: [u32; 2], colour: usize| {
            let fine = if (x / 3 + y / 3) % 2 == 0 { 0.1 } else { -0.1 };
            let sharp = (x < 210) == left;
            0.3 + 0.05 * colour as f32 + if sharp { fine } else { 0.0 }
        };
        Drawn { size: SIZE, of }
    }

    fn merged(lights: &[&dyn Light], way: MergeMethod, parts: &[Region]) -> Vec<f32> {
        let sharp: Vec<Sharpness> =
            lights.iter().map(|light| Sharpness::of(*light, &|| false).unwrap()).collect();
        let map = DepthMap::of(&sharp, &vec![Motion::Still; lights.len()]);
        let sights =
            lights.iter().map(|light| Sight { light: *light, motion: Motion::Still, gain: 1.0 });
        let merger = Merger::new(sights.collect(), &map, way).unwrap();
        let (mut scratch, width) = (Scratch::default(), SIZE.0 as usize);
        let mut out = vec![0.0; width * SIZE.1 as usize * 3];
        for part in parts {
            let made = merger.merge(InReference(*part), &mut scratch, &|| false).unwrap();
            for (y, row) in made.chunks_exact(3 * part.width as usize).enumerate() {
                let at = ((part.y as usize + y) * width + part.x as usize) * 3;
                out[at..at + row.len()].copy_from_slice(row);
            }
        }
        out
    }

    fn whole() -> Region {
        Region { x: 0, y: 0, width: SIZE.0, height: SIZE.1 }
    }

    #[test]
    fn each_side_is_taken_from_where_it_is_sharp() {
        let (left, right) = (frame(true), frame(false));
        for way in [MergeMethod::Pyramid, MergeMethod::DepthMap] {
            let made = merged(&[&left, &right], way, &[whole()]);
            for (i, pixel) in made.as_chunks::<3>().0.iter().enumerate() {
                let at = [i as u32 % SIZE.0, i as u32 / SIZE.0];
                if (180..240).contains(&at[0]) {
                    continue;
                }
                let sharp = if at[0] < 210 { &left } else { &right };
                for (colour, value) in pixel.iter().enumerate() {
                    // Frames that are not sharp count next to nothing; by the depth map a little.
                    let off = (value - (sharp.of)(at, colour)).abs();
                    assert!(off < 0.004, "{way:?} {at:?}: {off}");
                }
            }
        }
    }

    #[test]
    fn regions_merged_apart_are_those_of_the_whole() {
        let (left, right) = (frame(true), frame(false));
        for way in [MergeMethod::Pyramid, MergeMethod::DepthMap] {
            let all = merged(&[&left, &right], way, &[whole()]);
            // Not where the pyramid halves.
            let columns = [0, 45, 203, 310, SIZE.0];
            let rows = [0, 130, 131, SIZE.1];
            let parts = rows.windows(2).flat_map(|row| {
                columns.windows(2).map(|column| Region {
                    x: column[0],
                    y: row[0],
                    width: column[1] - column[0],
                    height: row[1] - row[0],
                })
            });
            let apart = merged(&[&left, &right], way, &parts.collect::<Vec<_>>());
            let off = all.iter().zip(&apart).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
            assert!(off < 1e-4, "{way:?}: {off}");
        }
    }

    #[test]
    fn noise_without_detail_becomes_the_mean_of_all_frames() {
        let noisy = |frame: u32| Drawn {
            size: SIZE,
            of: move |at: [u32; 2], colour: usize| 0.2 + 0.01 * noise(frame, at, colour),
        };
        let frames: Vec<_> = (0..9).map(noisy).collect();
        let lights: Vec<&dyn Light> = frames.iter().map(|frame| frame as &dyn Light).collect();
        let spread = |light: &[f32]| {
            let mean = light.iter().sum::<f32>() / light.len() as f32;
            (light.iter().map(|v| (v - mean).powi(2)).sum::<f32>() / light.len() as f32).sqrt()
        };
        let single: Vec<f32> = frames[0].planes(whole()).unwrap().concat();
        for way in [MergeMethod::Pyramid, MergeMethod::DepthMap] {
            let made = merged(&lights, way, &[whole()]);
            let gain = spread(&single) / spread(&made);
            // Three is the ideal.
            assert!(gain > 2.6, "{way:?}: {gain}");
        }
    }
}
