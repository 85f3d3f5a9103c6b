//! The cover of a brush stroke: discs along a line, with a soft rim.

use jade_pixels::tiled::Region;

/// Positions beyond this are in no picture, in pixels.
const FAR: f32 = 1e6;

/// One stroke of a brush.
#[derive(Debug, Clone, Copy)]
pub struct Brush<'a> {
    /// `[x, y, radius]` along the stroke, in pixels.
    pub points: &'a [[f32; 3]],
    /// Share of the radius over which the stroke fades out, 0 to 1.
    pub soft: f32,
}

impl Brush<'_> {
    /// Whether all points of the stroke are plausible positions in a picture.
    pub fn is_placed(&self) -> bool {
        self.points.iter().flatten().all(|v| v.is_finite() && v.abs() <= FAR)
    }

    /// The pixels that the stroke may touch in a picture of this size; `None` where it misses the
    /// picture.
    pub fn bounds(&self, (width, height): (u32, u32)) -> Option<Region> {
        let edge = |axis: usize, side: f32| {
            self.points.iter().map(move |point| side * point[axis] + point[2].abs() + 1.0)
        };
        let furthest = |axis: usize, side: f32| edge(axis, side).fold(f32::MIN, f32::max);
        let (left, top) = (-furthest(0, -1.0), -furthest(1, -1.0));
        let (right, low) = (furthest(0, 1.0), furthest(1, 1.0));
        if self.points.is_empty() || right < 0.0 || low < 0.0 {
            return None;
        }
        let (x, y) = (left.max(0.0) as u32, top.max(0.0) as u32);
        let (end_x, end_y) = ((right as u32 + 1).min(width), (low as u32 + 1).min(height));
        (x < end_x && y < end_y).then(|| Region { x, y, width: end_x - x, height: end_y - y })
    }

    /// The cover of `run_length` pixels of row `y`, from column `left` on: 0 (none) to 1 (full).
    /// The stroke must have a point.
    pub fn cover(&self, left: f32, y: f32, run_length: usize) -> Vec<f32> {
        let mut cover = vec![0.0f32; run_length];
        let single = [[self.points[0], self.points[0]]];
        let pairs = self.points.windows(2).map(|pair| [pair[0], pair[1]]);
        for [from, to] in
            pairs.chain((self.points.len() == 1).then_some(single).into_iter().flatten())
        {
            let widest = from[2].max(to[2]) + 1.0;
            if y < from[1].min(to[1]) - widest || y > from[1].max(to[1]) + widest {
                continue;
            }
            let start = (from[0].min(to[0]) - widest - left).max(0.0) as usize;
            let end = ((from[0].max(to[0]) + widest - left).max(0.0) as usize + 1).min(run_length);
            let (dx, dy) = (to[0] - from[0], to[1] - from[1]);
            let length = (dx * dx + dy * dy).max(1e-6);
            for (i, cover) in cover.iter_mut().enumerate().take(end).skip(start) {
                let x = left + i as f32;
                let along = (((x - from[0]) * dx + (y - from[1]) * dy) / length).clamp(0.0, 1.0);
                let radius = (from[2] + along * (to[2] - from[2])).max(0.5);
                let (ox, oy) = (x - from[0] - along * dx, y - from[1] - along * dy);
                // The soft rim is at least a pixel wide.
                let fade = (radius * self.soft.clamp(0.0, 1.0)).max(1.0);
                let off = (radius + 0.5 - (ox * ox + oy * oy).sqrt()) / fade;
                let off = off.clamp(0.0, 1.0);
                *cover = cover.max(off * off * (3.0 - 2.0 * off));
            }
        }
        cover
    }

    /// Lays other pixels over those of `region` as far as the stroke covers them. `part` lies
    /// inside `region`; `other` gives the pixel of `part` with an index, row by row, where there is
    /// one.
    pub fn lay(
        &self,
        light: &mut [[f32; 3]],
        region: Region,
        part: Region,
        other: impl Fn(usize) -> Option<[f32; 3]>,
    ) {
        let width = part.width as usize;
        for row in 0..part.height {
            let cover = self.cover(part.x as f32, (part.y + row) as f32, width);
            let to = (part.y + row - region.y) * region.width + part.x - region.x;
            let numbers = row as usize * width..;
            for ((pixel, cover), number) in light[to as usize..].iter_mut().zip(cover).zip(numbers)
            {
                if let Some(other) = other(number).filter(|_| cover > 0.0) {
                    *pixel = std::array::from_fn(|c| cover * other[c] + (1.0 - cover) * pixel[c]);
                }
            }
        }
    }

    /// The points of the stroke in a picture that begins at `origin` and is smaller by `factor`.
    pub fn points_in(&self, origin: [u32; 2], factor: f32) -> Vec<[f32; 3]> {
        let [left, top] = origin.map(|v| v as f32);
        let place = |v: f32| (v + 0.5) / factor - 0.5;
        self.points.iter().map(|[x, y, r]| [place(x - left), place(y - top), r / factor]).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_brush_covers_discs_along_its_line_and_fades_out() {
        let hard = Brush { points: &[[10.0, 5.0, 3.0], [20.0, 5.0, 3.0]], soft: 0.0 };
        let row = hard.cover(0.0, 5.0, 40);
        assert_eq!([6, 7, 10, 20, 23, 24].map(|x| row[x]), [0.0, 0.5, 1.0, 1.0, 0.5, 0.0]);
        assert!(hard.cover(0.0, 9.0, 40).iter().all(|cover| *cover == 0.0));
        let bounds = hard.bounds((100, 100)).unwrap();
        assert_eq!(bounds, Region { x: 6, y: 1, width: 19, height: 9 });
        let soft = Brush { points: &[[10.0, 5.0, 8.0]], soft: 1.0 };
        let row = soft.cover(0.0, 5.0, 40);
        assert!(row[10] > row[13] && row[13] > row[16] && row[16] > 0.0 && row[19] == 0.0);
    }

    #[test]
    fn pixels_are_laid_where_it_covers_and_there_are_some() {
        let region = Region { x: 4, y: 2, width: 12, height: 6 };
        let part = Region { x: 6, y: 3, width: 8, height: 4 };
        let mut light = vec![[0.0; 3]; 72];
        let brush = Brush { points: &[[10.0, 5.0, 2.0]], soft: 0.0 };
        // There is nothing in the part's first four columns.
        brush.lay(&mut light, region, part, |i| (i % 8 >= 4).then_some([1.0, 2.0, 3.0]));
        let at = |x: usize, y: usize| light[(y - 2) * 12 + x - 4];
        assert_eq!(
            [at(10, 5), at(11, 5), at(12, 5)],
            [[1.0, 2.0, 3.0], [1.0, 2.0, 3.0], [0.5, 1.0, 1.5]]
        );
        assert_eq!([at(9, 5), at(13, 5), at(10, 2), at(10, 7)], [[0.0; 3]; 4]);
    }

    #[test]
    fn the_same_brush_in_a_part_at_half_the_size() {
        let brush = Brush { points: &[[41.5, 21.5, 8.0]], soft: 0.5 };
        assert_eq!(brush.points_in([20, 10], 2.0), [[10.5, 5.5, 4.0]]);
        assert!(brush.is_placed());
        assert!(!Brush { points: &[[f32::NAN, 0.0, 1.0]], soft: 0.0 }.is_placed());
        assert_eq!(Brush { points: &[], soft: 0.0 }.bounds((9, 9)), None);
    }
}
