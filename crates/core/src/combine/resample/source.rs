//! The part of a frame that a region is made from.

use super::SLACK;
use crate::frames::Light;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;

/// The source pixels of a region with room for the kernel around them, edges going on as they end.
pub struct Source {
    pub left: i64,
    pub top: i64,
    pub stride: usize,
}

impl Source {
    pub fn read(
        light: &dyn Light,
        [left, top, right, bottom]: [f64; 4],
        planes: &mut [Vec<f32>; 3],
    ) -> Result<Self, PictureError> {
        let (width, height) = light.size();
        let clip = |v: f64, size: u32| (v.floor().max(0.0) as i64).min(size as i64 - 1);
        let (x0, y0) = (clip(left, width) - 3, clip(top, height) - 3);
        let (x1, y1) = (clip(right, width) + 4, clip(bottom, height) + 4);
        let inside = Region {
            x: x0.max(0) as u32,
            y: y0.max(0) as u32,
            width: (x1.min(width as i64 - 1) - x0.max(0) + 1) as u32,
            height: (y1.min(height as i64 - 1) - y0.max(0) + 1) as u32,
        };
        let (stride, tall) = ((x1 - x0 + 1) as usize, (y1 - y0 + 1) as usize);
        let (before, above) = ((inside.x as i64 - x0) as usize, (inside.y as i64 - y0) as usize);
        for plane in planes.iter_mut() {
            plane.resize(stride * tall + 2 * SLACK, 0.0);
        }
        let first = SLACK + above * stride + before;
        light.fill(inside, planes.each_mut().map(|plane| &mut plane[first..]), stride)?;
        let (wide, long) = (inside.width as usize, inside.height as usize);
        if wide < stride || long < tall {
            for plane in planes {
                extend(&mut plane[SLACK..SLACK + stride * tall], stride, before, wide, above, long);
            }
        }
        Ok(Self { left: x0, top: y0, stride })
    }
}

/// Goes on with the outermost values of the filled part of a plane: `wide` columns from column
/// `before` on, `long` rows from row `above` on.
fn extend(plane: &mut [f32], stride: usize, before: usize, wide: usize, above: usize, long: usize) {
    for row in plane.chunks_exact_mut(stride).skip(above).take(long) {
        let (first, last) = (row[before], row[before + wide - 1]);
        row[..before].fill(first);
        row[before + wide..].fill(last);
    }
    for row in 0..above {
        plane.copy_within(above * stride..(above + 1) * stride, row * stride);
    }
    let last = above + long - 1;
    for row in last + 1..plane.len() / stride {
        plane.copy_within(last * stride..(last + 1) * stride, row * stride);
    }
}
