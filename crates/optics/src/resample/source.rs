//! The source pixels of a region.

use super::layout::SLACK;
use crate::light::{Ahead, Light, Rows};
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;

/// The source pixels of a region with a margin for the kernel; beyond the frame, its edge pixels
/// are repeated.
pub struct Source<'a> {
    pub left: i64,
    pub top: i64,
    pub stride: usize,
    height: usize,
    rows: Box<dyn Rows + 'a>,
    /// The part that lies inside the frame.
    inside: Region,
}

impl<'a> Source<'a> {
    pub fn read(
        light: &'a dyn Light,
        [left, top, right, bottom]: [f64; 4],
        ahead: &'a mut Ahead,
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
        let (stride, rows) = ((x1 - x0 + 1) as usize, (y1 - y0 + 1) as usize);
        Ok(Self {
            left: x0,
            top: y0,
            stride,
            height: rows,
            rows: light.rows(inside, ahead)?,
            inside,
        })
    }

    /// The light of row `row` from column `from` on, as many columns as the planes hold. Both are
    /// relative to the top-left pixel, and the columns end before `stride`.
    pub fn row(&self, row: usize, from: usize, planes: [&mut [f32]; 3]) {
        let Region { x, y, width, height } = self.inside;
        let last = y as i64 + height as i64 - 1;
        let y = (self.top + row as i64).clamp(y as i64, last) as u32;
        let length = planes[0].len();
        // Columns left of the frame, inside it, and right of it.
        let first = self.left + from as i64;
        let before = (x as i64 - first).clamp(0, length as i64) as usize;
        let end = (x as i64 + width as i64 - first).clamp(0, length as i64) as usize;
        if before < end {
            let [red, green, blue] = planes;
            let inside = [&mut *red, &mut *green, &mut *blue].map(|plane| &mut plane[before..end]);
            self.rows.row((first + before as i64) as u32, y, inside);
            for plane in [red, green, blue] {
                let (low, high) = (plane[before], plane[end - 1]);
                plane[..before].fill(low);
                plane[end..].fill(high);
            }
            return;
        }
        let edge = if end == 0 { x + width - 1 } else { x };
        let mut light = [[0.0f32]; 3];
        self.rows.row(edge, y, light.each_mut().map(|value| value.as_mut_slice()));
        for (plane, [value]) in planes.into_iter().zip(light) {
            plane.fill(value);
        }
    }

    /// All rows, one after the other in each plane, with [`SLACK`] values before and after.
    pub fn planes(&self, planes: &mut [Vec<f32>; 3]) {
        for plane in planes.iter_mut() {
            plane.resize(self.stride * self.height + 2 * SLACK, 0.0);
        }
        for row in 0..self.height {
            let at = SLACK + row * self.stride;
            self.row(row, 0, planes.each_mut().map(|plane| &mut plane[at..at + self.stride]));
        }
    }
}
