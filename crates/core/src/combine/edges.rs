//! The part of the reference frame that a result covers.

use crate::align::Motion;
use jade_pixels::tiled::Region;
use rayon::prelude::*;

/// Least side of the blocks by which coverage is judged, in pixels.
const BLOCK: u32 = 4;
/// Blocks along the longer side at most, so that large pictures take no longer.
const BLOCKS: u32 = 600;

/// The largest upright rectangle of the reference frame that every frame covers; all frames are
/// `width` x `height` pixels. `None` when there is none of at least 16 x 16 pixels.
pub fn common(motions: &[&Motion], width: u32, height: u32) -> Option<Region> {
    let moving: Vec<&&Motion> = motions.iter().filter(|m| ***m != Motion::Still).collect();
    if moving.is_empty() {
        return Some(Region { x: 0, y: 0, width, height });
    }
    let inside = |x: u32, y: u32| {
        moving.iter().all(|motion| {
            let [u, v] = motion.from_reference([x as f64, y as f64]);
            u >= 0.0 && v >= 0.0 && u <= width as f64 - 1.0 && v <= height as f64 - 1.0
        })
    };
    let block = BLOCK.max(width.max(height).div_ceil(BLOCKS));
    let (across, down) = (width.div_ceil(block), height.div_ceil(block));
    let edge = |i: u32, size: u32| (i * block).min(size - 1);
    let corner: Vec<Vec<bool>> = (0..=down)
        .into_par_iter()
        .map(|j| (0..=across).map(|i| inside(edge(i, width), edge(j, height))).collect())
        .collect();
    // The largest rectangle under a growing skyline of covered blocks, row by row.
    let mut tall = vec![0u32; across as usize];
    let mut best = (0u64, [0u32; 4]);
    for j in 0..down {
        for i in 0..across as usize {
            let (top, low) = (&corner[j as usize], &corner[j as usize + 1]);
            let whole = top[i] && top[i + 1] && low[i] && low[i + 1];
            tall[i] = if whole { tall[i] + 1 } else { 0 };
        }
        for i in 0..across as usize {
            let mut least = u32::MAX;
            for (k, column) in tall.iter().enumerate().skip(i) {
                least = least.min(*column);
                if least == 0 {
                    break;
                }
                let area = least as u64 * (k - i + 1) as u64;
                if area > best.0 {
                    best = (area, [i as u32, j + 1 - least, k as u32 + 1, j + 1]);
                }
            }
        }
    }
    let [left, top, right, bottom] = best.1;
    let (x, y) = (left * block, top * block);
    let region = Region {
        x,
        y,
        width: (right * block).min(width) - x.min(width),
        height: (bottom * block).min(height) - y.min(height),
    };
    (best.0 > 0 && region.width >= 16 && region.height >= 16).then_some(region)
}

#[cfg(test)]
mod tests {
    use super::*;
    use nalgebra::Matrix3;

    fn shift(x: f64, y: f64) -> Motion {
        Motion::Homography(Matrix3::new(1.0, 0.0, x, 0.0, 1.0, y, 0.0, 0.0, 1.0))
    }

    #[test]
    fn frames_that_lie_still_cover_everything() {
        let all = common(&[&Motion::Still, &Motion::Still], 301, 203);
        assert_eq!(all, Some(Region { x: 0, y: 0, width: 301, height: 203 }));
    }

    #[test]
    fn shifts_cut_their_sides() {
        let (a, b) = (shift(9.0, 0.0), shift(-3.0, 6.0));
        let found = common(&[&Motion::Still, &a, &b], 300, 200).unwrap();
        assert!(found.x >= 9 && found.x < 9 + BLOCK && found.y >= 6 && found.y < 6 + BLOCK);
        let right = found.x + found.width;
        assert!(right <= 297 && right > 297 - BLOCK, "{found:?}");
        assert_eq!(found.y + found.height, 200);
    }

    #[test]
    fn frames_that_do_not_meet_have_nothing_in_common() {
        assert_eq!(common(&[&shift(290.0, 0.0), &shift(-290.0, 0.0)], 300, 200), None);
    }
}
