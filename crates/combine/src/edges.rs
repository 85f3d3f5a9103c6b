//! The part of the reference frame that all frames cover.

use jade_optics::lens::Geometry;
use jade_optics::motion::Motion;
use jade_optics::space::{InFrame, InReference};
use jade_pixels::tiled::Region;
use rayon::prelude::*;

/// Least side of the blocks in which coverage is tested, in pixels.
const BLOCK: u32 = 4;
/// Most blocks along the longer side, so that large pictures take no longer.
const BLOCKS: u32 = 600;

/// The largest upright rectangle of the reference frame that every frame covers; all frames are
/// `width` x `height` pixels. `None` when there is none of at least 16 x 16 pixels.
pub fn common(
    motions: &[&Motion],
    lens: Option<&Geometry>,
    width: u32,
    height: u32,
) -> Option<Region> {
    let stays = |motion: &Motion| *motion == Motion::Still && lens.is_none();
    let moving: Vec<&Motion> = motions.iter().copied().filter(|m| !stays(m)).collect();
    if moving.is_empty() {
        return Some(Region { x: 0, y: 0, width, height });
    }
    let block = BLOCK.max(width.max(height).div_ceil(BLOCKS));
    let (across, down) = (width.div_ceil(block), height.div_ceil(block));
    let edge = |i: u32, size: u32| (i * block).min(size - 1) as f64;
    // Frames' outlines are convex, so the covered corners of a row are contiguous: they are
    // searched from both ends.
    let covered: Vec<(u32, u32)> = (0..=down)
        .into_par_iter()
        .map(|j| {
            let y = edge(j, height);
            let (mut first, mut end) = (0, across + 1);
            for motion in &moving {
                let inside = |i: u32| {
                    let InFrame(at) = motion.from_reference(InReference([edge(i, width), y]));
                    let within = |[u, v]: [f64; 2]| {
                        u >= 0.0 && v >= 0.0 && u <= width as f64 - 1.0 && v <= height as f64 - 1.0
                    };
                    let Some(lens) = lens else { return within(at) };
                    let at = lens.to_frame(at);
                    (0..3).all(|colour| within(lens.colour(colour, at)))
                };
                first = (first..end).find(|&i| inside(i)).unwrap_or(end);
                end = (first..end).rev().find(|&i| inside(i)).map_or(first, |i| i + 1);
            }
            (first, end)
        })
        .collect();
    // The largest rectangle under a histogram of covered blocks, row by row.
    let mut row_count = vec![0u32; across as usize];
    let mut best = (0u64, [0u32; 4]);
    for j in 0..down {
        let (top, low) = (covered[j as usize], covered[j as usize + 1]);
        let whole = top.0.max(low.0)..top.1.min(low.1).saturating_sub(1);
        for (i, row_count) in row_count.iter_mut().enumerate() {
            *row_count = if whole.contains(&(i as u32)) { *row_count + 1 } else { 0 };
        }
        // Blocks that may begin a rectangle, each with fewer rows than the next: column and rows.
        let mut open: Vec<(u32, u32)> = Vec::new();
        for i in 0..=across {
            let rows = row_count.get(i as usize).copied().unwrap_or(0);
            let mut from = i;
            while let Some(&(column, high)) = open.last()
                && high >= rows
            {
                open.pop();
                from = column;
                let area = high as u64 * (i - column) as u64;
                if area > best.0 {
                    best = (area, [column, j + 1 - high, i, j + 1]);
                }
            }
            open.push((from, rows));
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
        let all = common(&[&Motion::Still, &Motion::Still], None, 301, 203);
        assert_eq!(all, Some(Region { x: 0, y: 0, width: 301, height: 203 }));
    }

    #[test]
    fn shifts_cut_their_sides() {
        let (a, b) = (shift(9.0, 0.0), shift(-3.0, 6.0));
        let found = common(&[&Motion::Still, &a, &b], None, 300, 200).unwrap();
        assert!(found.x >= 9 && found.x < 9 + BLOCK && found.y >= 6 && found.y < 6 + BLOCK);
        let right = found.x + found.width;
        assert!(right <= 297 && right > 297 - BLOCK, "{found:?}");
        assert_eq!(found.y + found.height, 200);
    }

    #[test]
    fn a_turned_frame_leaves_the_largest_rectangle_inside_it() {
        let (s, c) = 0.1f64.sin_cos();
        let turned = Motion::Homography(Matrix3::new(c, -s, 10.0, s, c, -14.0, 0.0, 0.0, 1.0));
        let found = common(&[&turned], None, 300, 200).unwrap();
        let inside = |x: u32, y: u32| {
            let InFrame([u, v]) = turned.from_reference(InReference([x as f64, y as f64]));
            (0.0..=299.0).contains(&u) && (0.0..=199.0).contains(&v)
        };
        let (right, bottom) = (found.x + found.width - 1, found.y + found.height - 1);
        assert!(inside(found.x, found.y) && inside(right, found.y));
        assert!(inside(found.x, bottom) && inside(right, bottom));
        // No upright rectangle with corners on a finer grid is much larger.
        let area = |r: &Region| r.width as u64 * r.height as u64;
        let mut largest = 0;
        for y in (0..200).step_by(4) {
            for x in (0..300).step_by(4) {
                if !inside(x, y) {
                    continue;
                }
                let width = (1..300 - x).take_while(|w| inside(x + w, y)).last().unwrap_or(0);
                for w in (4..=width).step_by(4) {
                    let fits = |h: &u32| inside(x, y + h) && inside(x + w, y + h);
                    let height = (1..200 - y).take_while(fits).last().unwrap_or(0);
                    largest = largest.max(w as u64 * height as u64);
                }
            }
        }
        assert!(area(&found) * 100 > largest * 92, "{} of {largest}", area(&found));
    }

    #[test]
    fn frames_that_do_not_meet_have_nothing_in_common() {
        assert_eq!(common(&[&shift(290.0, 0.0), &shift(-290.0, 0.0)], None, 300, 200), None);
    }
}
