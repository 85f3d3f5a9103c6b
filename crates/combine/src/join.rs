//! Joins sky and ground.
//!
//! Near the skyline each pixel is a mix of sky and ground by the mask's share. The ground there is
//! what remains of the unaligned stack without the sky's share (as in Smith & Blinn 1996), extended
//! from pure ground where little of it remains. The mask is never exact, so whatever the unaligned
//! stack shows beyond its noise is added back: neither a dark nor a bright rim can stay.

use super::backdrop::{Backdrop, Extended, extend};
use super::reduce::{Reducer, Scratch};
use crate::mask::Mask;
use jade_optics::light::Light;
use jade_optics::space::InReference;
use jade_optics::statistics::median;
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, TiledFile};

/// Pixels around a tile that influence it.
pub const MARGIN: u32 = 16;
/// Distance in pixels from mixed pixels within which the unaligned stack corrects the mask.
const NEAR: usize = 6;
/// Shares of sky beyond which too little ground remains to measure it.
const MOST_SKY: f32 = 0.7;

/// The sky behind the edge of the ground in the unaligned stack.
pub enum Passing<'a> {
    /// The sky of the same frames, at its place in each of them.
    Moved(&'a Reducer<'a>),
    /// The sky of other frames, without its stars.
    Backdrop(&'a Backdrop),
}

/// Joins layers of one size.
pub struct Joiner<'a> {
    /// The mask of the reference frame.
    pub mask: &'a Mask,
    /// The aligned sky.
    pub sky: &'a Extended<'a>,
    /// The unaligned stack, wherever there is ground and around it.
    pub ground: &'a TiledFile<f32>,
    /// The sky behind it in the unaligned stack.
    pub passing: Passing<'a>,
    /// The ground's light where no ground is near.
    pub backdrop: &'a Backdrop,
}

/// A joined tile.
pub struct Joined {
    /// The picture.
    pub picture: Vec<f32>,
    /// The ground alone, extended behind the sky.
    pub ground: Vec<f32>,
}

impl Joiner<'_> {
    /// Joins a region of the layers: near the skyline both of them, elsewhere one or the other.
    ///
    /// # Errors
    /// [`PictureError::Io`]; [`PictureError::Cancelled`] when `stop` says so.
    pub fn join(
        &self,
        tile: Region,
        scratch: &mut Scratch,
        stop: &dyn Fn() -> bool,
    ) -> Result<Joined, PictureError> {
        let there = tile.moved(self.sky.origin);
        let near = self.near(tile);
        if near == Some(there) {
            return self.join_near(tile, scratch, stop);
        }
        let sky = self.sky.planes(there)?;
        let mut picture = self.ground.read_region(tile)?;
        let mut ground = picture.clone();
        for (i, share) in self.mask.region(InReference(there)).into_iter().enumerate() {
            if share > 0 {
                picture[3 * i..3 * i + 3].copy_from_slice(&[sky[0][i], sky[1][i], sky[2][i]]);
                ground[3 * i..3 * i + 3].fill(0.0);
            }
        }
        if let Some(near) = near {
            let [left, top] = self.sky.origin;
            let inner = Region { x: near.x - left, y: near.y - top, ..near };
            let joined = self.join_near(inner, scratch, stop)?;
            let width = inner.width as usize * 3;
            for y in 0..inner.height as usize {
                let row = (inner.y - tile.y) as usize + y;
                let to = (row * tile.width as usize + (inner.x - tile.x) as usize) * 3;
                let from = y * width;
                picture[to..to + width].copy_from_slice(&joined.picture[from..from + width]);
                ground[to..to + width].copy_from_slice(&joined.ground[from..from + width]);
            }
        }
        Ok(Joined { picture, ground })
    }

    /// The part of a region of the layers that lies near the skyline, in the reference frame.
    fn near(&self, tile: Region) -> Option<Region> {
        let size = (self.ground.width(), self.ground.height());
        let there = tile.moved(self.sky.origin);
        let around = tile.widened(MARGIN, size).moved(self.sky.origin);
        let border = self.mask.border(InReference(around))?;
        border.widened(MARGIN, self.sky.size).shared_with(there)
    }

    /// Number of pixels that are read to join a region of the layers.
    pub fn cost(&self, tile: Region) -> usize {
        let near = self.near(tile);
        near.map_or(0, |near| near.widened(MARGIN, self.sky.size).area())
    }

    fn join_near(
        &self,
        tile: Region,
        scratch: &mut Scratch,
        stop: &dyn Fn() -> bool,
    ) -> Result<Joined, PictureError> {
        let size = (self.ground.width(), self.ground.height());
        let outer = tile.widened(MARGIN, size);
        let [left, top] = self.sky.origin;
        let there = outer.moved([left, top]);
        let mut shares: Vec<f32> = self
            .mask
            .region(InReference(there))
            .into_iter()
            .map(|share| f32::from(share) / 255.0)
            .collect();
        let [red, green, blue] = self.sky.planes(there)?;
        let sky = |i: usize| [red[i], green[i], blue[i]];
        let unaligned = self.ground.read_region(outer)?;
        let unaligned = unaligned.as_chunks::<3>().0;
        let passed = self.passed(outer, there, scratch, stop)?;
        let width = outer.width as usize;
        let near = near(&shares, width);
        let same = matches!(self.passing, Passing::Moved(_));

        let mut ground: Vec<[f32; 3]> = Vec::with_capacity(shares.len());
        let mut weights: Vec<f32> = Vec::with_capacity(shares.len());
        for (i, share) in shares.iter().enumerate() {
            let rest = 1.0 - share;
            ground.push(std::array::from_fn(|c| {
                (unaligned[i][c] - share * passed[i][c]).max(0.0) / rest.max(0.05)
            }));
            // In other frames, only the ground itself shows how bright it is.
            let most = if same { MOST_SKY } else { 0.05 };
            weights.push(if *share > most { 0.0 } else { rest.powi(4) });
        }
        if weights.iter().all(|weight| *weight < 0.01) {
            for (i, pixel) in ground.iter_mut().enumerate() {
                let at = |v: usize, from: u32| (v as u32 + from) as f32;
                *pixel = self.backdrop.at(at(i % width, outer.x), at(i / width, outer.y));
            }
        } else {
            extend(&mut ground, &weights, width, outer.height as usize);
        }
        if !same {
            shares = as_seen(&shares, &near, [unaligned, &passed, &ground], width);
        }
        let rest: Vec<[f32; 3]> = (0..shares.len())
            .map(|i| {
                let share = shares[i];
                std::array::from_fn(|c| {
                    unaligned[i][c] - share * passed[i][c] - (1.0 - share) * ground[i][c]
                })
            })
            .collect();
        let variance = variance(&rest, &shares);
        let mut out = Joined {
            picture: Vec::with_capacity(tile.area() * 3),
            ground: Vec::with_capacity(tile.area() * 3),
        };
        let (dx, dy) = ((tile.x - outer.x) as usize, (tile.y - outer.y) as usize);
        for y in dy..dy + tile.height as usize {
            for x in dx..dx + tile.width as usize {
                let i = y * width + x;
                let (share, sky) = (shares[i], sky(i));
                let kept = match near[i] {
                    true if same => {
                        let shrunk_share = shrunk(&rest, variance, width, x, y);
                        shrunk_share.max((1.0 - 4.0 * share).clamp(0.0, 1.0))
                    }
                    // The sky that passed in other frames is known less well.
                    true => 1.0 - share,
                    false => 0.0,
                };
                let left = 1.0 - share;
                for c in 0..3 {
                    let joined = share * sky[c] + left * ground[i][c] + kept * rest[i][c];
                    out.picture.push(joined.max(0.0));
                    // A small share of ground can take up only little of it.
                    let value = ground[i][c] + kept * rest[i][c] * left / (left * left + 0.001);
                    out.ground.push(value.max(0.0));
                }
            }
        }
        Ok(out)
    }

    /// The sky that passed behind each pixel.
    fn passed(
        &self,
        outer: Region,
        there: Region,
        scratch: &mut Scratch,
        stop: &dyn Fn() -> bool,
    ) -> Result<Vec<[f32; 3]>, PictureError> {
        match self.passing {
            Passing::Moved(moved) => {
                let light = moved.reduce(InReference(there), scratch, stop)?.light;
                Ok(light.as_chunks::<3>().0.to_vec())
            }
            Passing::Backdrop(backdrop) => {
                let width = outer.width as usize;
                let at = |i: usize| {
                    let (x, y) = (outer.x as usize + i % width, outer.y as usize + i / width);
                    backdrop.at(x as f32, y as f32)
                };
                Ok((0..outer.area()).map(at).collect())
            }
        }
    }
}

/// The share of sky near the skyline, measured in frames of another exposure between the light of
/// their own sky and ground. Their sky is brighter or darker than the one that replaces it, so a
/// share that is slightly off would be seen as a rim.
fn as_seen(
    shares: &[f32],
    near: &[bool],
    [light, sky, ground]: [&[[f32; 3]]; 3],
    width: usize,
) -> Vec<f32> {
    /// Least difference between sky and ground, as a share of their light, by which they are
    /// distinguished.
    const APART: f32 = 0.1;
    let height = shares.len() / width;
    let firm = |i: usize| {
        let (x, y) = (i % width, i / width);
        let rows = y.saturating_sub(2)..(y + 3).min(height);
        rows.flat_map(|row| {
            let columns = x.saturating_sub(2)..(x + 3).min(width);
            columns.map(move |column| row * width + column)
        })
        .all(|n| shares[n] <= 0.0)
    };
    let one = |i: usize| {
        if !near[i] || firm(i) {
            return shares[i];
        }
        let apart: [f32; 3] = std::array::from_fn(|c| sky[i][c] - ground[i][c]);
        let far: f32 = apart.iter().map(|v| v * v).sum();
        let level: f32 = (0..3).map(|c| sky[i][c].max(ground[i][c]).powi(2)).sum();
        let along: f32 = (0..3).map(|c| apart[c] * (light[i][c] - ground[i][c])).sum();
        let share = (along / far.max(1e-12)).clamp(0.0, 1.0);
        let sure = far / (far + APART * APART * level).max(1e-12);
        shares[i] + sure * (share - shares[i])
    };
    (0..shares.len()).map(one).collect()
}

/// Variance of the noise in the remainder: in the sky, where nothing should remain; over all pixels
/// where there is little sky.
fn variance(rest: &[[f32; 3]], shares: &[f32]) -> f32 {
    const ENOUGH: usize = 100;
    let of = |chosen: &dyn Fn(f32) -> bool| -> Vec<f32> {
        let picked = rest.iter().zip(shares).filter(|(_, share)| chosen(**share));
        picked.flat_map(|(rest, _)| rest.iter().map(|v| v.abs())).collect()
    };
    let mut off = of(&|share| share >= 1.0);
    if off.len() < ENOUGH {
        off = of(&|_| true);
    }
    (1.4826 * median(&mut off)).powi(2).max(1e-12)
}

/// How much of the remainder stands out from the noise around a pixel, 0 to 1 (Wiener 1949).
fn shrunk(rest: &[[f32; 3]], variance: f32, width: usize, x: usize, y: usize) -> f32 {
    let height = rest.len() / width;
    let (mut sum, mut count) = (0.0, 0.0);
    for row in y.saturating_sub(1)..(y + 2).min(height) {
        for column in x.saturating_sub(1)..(x + 2).min(width) {
            sum += rest[row * width + column].iter().map(|v| v * v).sum::<f32>();
            count += 3.0;
        }
    }
    // Twice the variance, as a few pixels of pure noise often exceed it once.
    (1.0 - 2.0 * variance / (sum / count).max(1e-12)).max(0.0)
}

/// Whether a pixel that is not pure sky is near each pixel.
fn near(shares: &[f32], width: usize) -> Vec<bool> {
    let mut rows = vec![false; shares.len()];
    for (row, out) in shares.chunks_exact(width).zip(rows.chunks_exact_mut(width)) {
        for (x, _) in row.iter().enumerate().filter(|(_, share)| **share < 0.99) {
            out[x.saturating_sub(NEAR)..(x + NEAR + 1).min(width)].fill(true);
        }
    }
    let height = shares.len() / width;
    let mut out = vec![false; shares.len()];
    for (y, out) in out.chunks_exact_mut(width).enumerate() {
        for row in
            rows.chunks_exact(width).take((y + NEAR + 1).min(height)).skip(y.saturating_sub(NEAR))
        {
            out.iter_mut().zip(row).for_each(|(out, value)| *out |= value);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_near_something_mixed_is_found() {
        let (width, height) = (40, 30);
        let shares: Vec<f32> =
            (0..width * height).map(|i| if i == 12 * width + 20 { 0.5 } else { 1.0 }).collect();
        for (i, near) in near(&shares, width).into_iter().enumerate() {
            let (dx, dy) = ((i % width).abs_diff(20), (i / width).abs_diff(12));
            assert_eq!(near, dx <= NEAR && dy <= NEAR, "{dx}, {dy}");
        }
    }

    #[test]
    fn the_share_of_sky_is_read_from_frames_of_another_exposure() {
        let (width, height) = (20usize, 12usize);
        let (sky, ground) = ([0.4, 0.5, 0.6], [0.1, 0.1, 0.05]);
        // Sky above, ground below, and in row 6 a third of ground that the mask takes for a half.
        let truth = |i: usize| match i / width {
            ..6 => 1.0,
            6 => 0.667,
            _ => 0.0,
        };
        let mask: Vec<f32> =
            (0..width * height).map(|i| if i / width == 6 { 0.5 } else { truth(i) }).collect();
        let light: Vec<[f32; 3]> = (0..width * height)
            .map(|i| std::array::from_fn(|c| ground[c] + truth(i) * (sky[c] - ground[c])))
            .collect();
        let (sky, ground) = (vec![sky; width * height], vec![ground; width * height]);
        let found = as_seen(&mask, &near(&mask, width), [&light, &sky, &ground], width);
        for (i, share) in found.iter().enumerate() {
            assert!((share - truth(i)).abs() < 0.01, "{share} in row {}", i / width);
        }
    }

    #[test]
    fn noise_is_left_out_and_what_stands_out_is_kept() {
        let width = 30;
        let noise = |i: usize| ((i * 7919 % 101) as f32 / 101.0 - 0.5) * 0.01;
        let mut rest: Vec<[f32; 3]> =
            (0..width * 30).map(|i| [noise(i), noise(i + 37), noise(i + 71)]).collect();
        let variance = variance(&rest, &vec![1.0; rest.len()]);
        for x in 10..13 {
            rest[15 * width + x] = [0.1, 0.08, 0.06];
        }
        assert!(shrunk(&rest, variance, width, 11, 15) > 0.9);
        assert!(shrunk(&rest, variance, width, 20, 5) < 0.3);
    }
}
