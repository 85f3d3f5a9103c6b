//! Figures of a result's light against the noise-free picture of its scene.

use super::codes::{Codes, light_of_codes};
use anyhow::{Context, Result};
use serde_json::Value;
use std::path::Path;

/// The mean of the colours of a picture, in linear light.
pub struct Light {
    width: usize,
    height: usize,
    values: Vec<f32>,
    /// The largest of the colours.
    highest: Vec<f32>,
}

impl Light {
    pub fn read(path: &Path) -> Result<Self> {
        let codes = Codes::read(path)?;
        let light_of = light_of_codes();
        let (mut values, mut highest) = (Vec::new(), Vec::new());
        for pixel in codes.samples.chunks_exact(codes.channels()) {
            let light = pixel.iter().map(|code| light_of[usize::from(*code)]);
            values.push(light.clone().sum::<f32>() / pixel.len() as f32);
            highest.push(light.fold(0.0, f32::max));
        }
        Ok(Self { width: codes.width, height: codes.height, values, highest })
    }

    fn at(&self, x: i64, y: i64) -> f64 {
        self.values[y as usize * self.width + x as usize] as f64
    }
}

/// What the stars of a result tell.
pub struct Stars {
    /// Light of all stars in the result over that in the noise-free picture.
    pub flux: f64,
    /// Largest difference from the noise-free picture in any of the rings from 3 to 9 pixels round
    /// the stars, summed over all of them, as a share of their peaks.
    pub rings: f64,
}

const REACH: i64 = 14;
/// Radius within which a star's light is summed, in pixels.
const APERTURE: f64 = 6.0;
const FURTHEST_RING: f64 = 9.0;

/// What is written about a scene's stars.
pub struct Truth {
    /// The noise-free picture.
    pub light: Light,
    /// White where the sky is, in every frame alike.
    pub sky: Light,
    pub stars: Value,
    /// For each frame, places of its own and where they lie in the reference frame.
    pub grids: Vec<Vec<[f64; 4]>>,
}

impl Truth {
    /// Whether a star of the reference frame stands clear of the ground in all frames.
    fn is_clear(&self, star: [f64; 2]) -> bool {
        self.grids.iter().all(|grid| {
            // The motion of the nearest place is that of the star to a few pixels.
            const SURE: i64 = 4;
            let far = |node: &&[f64; 4]| (node[2] - star[0]).hypot(node[3] - star[1]);
            let nearest = grid.iter().min_by(|a, b| far(a).total_cmp(&far(b)));
            let Some([x, y, there_x, there_y]) = nearest else { return true };
            let place = [star[0] + x - there_x, star[1] + y - there_y].map(|v| v.round() as i64);
            let reach = FURTHEST_RING as i64 + SURE;
            let inside = |v: i64, size: usize| v.clamp(0, size as i64 - 1);
            (-reach..=reach).all(|dy| {
                (-reach..=reach).all(|dx| {
                    let x = inside(place[0] + dx, self.sky.width);
                    self.sky.at(x, inside(place[1] + dy, self.sky.height)) > 0.99
                })
            })
        })
    }
}

/// Compares bright stars that stand alone and clear of the ground; `origin` is the result's left
/// top in the scene's reference frame.
pub fn stars(result: &Light, written: &Truth, origin: [i64; 2]) -> Result<Stars> {
    let Truth { light: truth, stars: list, .. } = written;
    let all: Vec<[f64; 3]> = list
        .as_array()
        .context("no stars in the truth")?
        .iter()
        .map(|s| ["x", "y", "peak"].map(|key| s[key].as_f64().unwrap_or(f64::NAN)))
        .collect();
    let mut sums = Sums::default();
    for (i, [x, y, peak]) in all.iter().enumerate() {
        let alone = all.iter().enumerate().all(|(j, [u, v, other])| {
            let far = (u - x).hypot(v - y) > 2.0 * REACH as f64;
            i == j || far || other * 60.0 < *peak
        });
        if *peak < 0.05 || !alone || !written.is_clear([*x, *y]) {
            continue;
        }
        let (cx, cy) = (x.round() as i64, y.round() as i64);
        let inside = |light: &Light, x: i64, y: i64| {
            let margin = REACH + 1;
            x >= margin
                && y >= margin
                && x + margin < light.width as i64
                && y + margin < light.height as i64
        };
        let there = [cx - origin[0], cy - origin[1]];
        if !inside(truth, cx, cy) || !inside(result, there[0], there[1]) {
            continue;
        }
        let top = truth.highest[cy as usize * truth.width + cx as usize];
        let wanted = photometry(truth, [cx, cy], [x - cx as f64, y - cy as f64]);
        let found = photometry(result, there, [x - cx as f64, y - cy as f64]);
        // Hidden, cut by the skyline, or white in its middle: tells nothing.
        let height = truth.at(cx, cy) - wanted.around;
        if wanted.flux < 0.5 * peak || top > 0.8 || height < 0.02 {
            continue;
        }
        sums.count += 1;
        sums.found += found.flux;
        sums.wanted += wanted.flux;
        sums.heights += height;
        for (sum, (found_ring, wanted_ring)) in
            sums.rings.iter_mut().zip(found.rings.iter().zip(wanted.rings))
        {
            *sum += (found_ring - found.around) - (wanted_ring - wanted.around);
        }
    }
    anyhow::ensure!(sums.count >= 10, "only {} stars stand alone", sums.count);
    let worst = sums.rings.iter().fold(0.0, |worst: f64, sum| worst.max(sum.abs()));
    Ok(Stars { flux: sums.found / sums.wanted, rings: worst / sums.heights })
}

/// Sums over stars, so that bright ones count by their light.
#[derive(Default)]
struct Sums {
    count: usize,
    found: f64,
    wanted: f64,
    heights: f64,
    rings: [f64; 6],
}

struct Photometry {
    /// Median of the pixels at a distance of 10 to 14.
    around: f64,
    flux: f64,
    /// Means of the rings from 3 to 9 pixels.
    rings: [f64; 6],
}

fn photometry(light: &Light, [cx, cy]: [i64; 2], off: [f64; 2]) -> Photometry {
    let near: Vec<(f64, f64)> = (-REACH..=REACH)
        .flat_map(|dy| (-REACH..=REACH).map(move |dx| (dx, dy)))
        .map(|(dx, dy)| {
            let r = (dx as f64 - off[0]).hypot(dy as f64 - off[1]);
            (r, light.at(cx + dx, cy + dy))
        })
        .collect();
    let around = near.iter().filter(|(r, _)| (10.0..14.0).contains(r)).map(|n| n.1);
    let around = super::sorted_middle(around);
    let flux = near.iter().filter(|(r, _)| *r < APERTURE).map(|(_, v)| v - around).sum();
    let rings = std::array::from_fn(|i| {
        let from = 3.0 + i as f64;
        // The median of a ring is not moved by a faint neighbour or a hot pixel.
        super::sorted_middle(
            near.iter().filter(|(r, _)| (from..from + 1.0).contains(r)).map(|n| n.1),
        )
    });
    Photometry { around, flux, rings }
}

/// Mean light that a streak left in a result, over the noise of the result: what lies under it
/// against what lies beside it, both as differences from the noise-free picture.
pub fn streak(
    result: &Light,
    truth: &Light,
    mask: &Light,
    origin: [i64; 2],
    noise: f64,
) -> Option<f64> {
    let (mut under, mut beside) = (Vec::new(), Vec::new());
    for y in 0..result.height as i64 {
        for x in 0..result.width as i64 {
            let (u, v) = (x + origin[0], y + origin[1]);
            // From a fortieth of the streak's brightness on: the mask went through a tone curve.
            let share = mask.at(u, v);
            if share > 0.002 {
                under.push(result.at(x, y) - truth.at(u, v));
            } else if share == 0.0 && close(mask, u, v) {
                beside.push(result.at(x, y) - truth.at(u, v));
            }
        }
    }
    if under.len() < 500 {
        return None;
    }
    // Stars and their neighbours differ for other reasons, and on both sides alike.
    let middle = |values: Vec<f64>| -> f64 {
        let mut sorted = values;
        sorted.sort_by(f64::total_cmp);
        let cut = sorted.len() / 50;
        let kept = &sorted[cut..sorted.len() - cut];
        kept.iter().sum::<f64>() / kept.len() as f64
    };
    Some((middle(under) - middle(beside)) / noise)
}

/// Whether the streak passes within a dozen pixels.
fn close(mask: &Light, x: i64, y: i64) -> bool {
    [-12, 0, 12].iter().any(|dy| {
        [-12, 0, 12].iter().any(|dx| {
            let (u, v) = (x + dx, y + dy);
            u >= 0
                && v >= 0
                && u < mask.width as i64
                && v < mask.height as i64
                && mask.at(u, v) > 0.0
        })
    })
}
