//! Halves and doubles pictures, as in a pyramid (Burt and Adelson 1983).

/// A plane of values, row by row.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Plane {
    /// Width in values.
    pub width: usize,
    /// Rows.
    pub height: usize,
    /// The values.
    pub values: Vec<f32>,
}

impl Plane {
    /// Takes a size; the values must be written afterwards.
    pub fn resize(&mut self, width: usize, height: usize) {
        (self.width, self.height) = (width, height);
        self.values.resize(width * height, 0.0);
    }

    /// Takes a size and sets all values to zero.
    pub fn clear(&mut self, width: usize, height: usize) {
        self.resize(width, height);
        self.values.fill(0.0);
    }

    fn row(&self, y: usize) -> &[f32] {
        &self.values[y * self.width..(y + 1) * self.width]
    }
}

/// Halves a plane: every other value after smoothing by (1 4 6 4 1). Edge values are repeated
/// beyond the edges. `rows` is scratch memory.
pub fn halve(from: &Plane, out: &mut Plane, rows: &mut Vec<f32>) {
    let (width, height) = (from.width.div_ceil(2), from.height.div_ceil(2));
    out.resize(width, height);
    rows.resize(from.width, 0.0);
    let last = from.height as i64 - 1;
    for (y, out) in out.values.chunks_exact_mut(width).enumerate() {
        let row = |d: i64| from.row((2 * y as i64 + d).clamp(0, last) as usize);
        let [a, b, c, d, e] = [-2, -1, 0, 1, 2].map(row);
        for (x, sum) in rows.iter_mut().enumerate() {
            *sum = 0.0625 * (a[x] + e[x]) + 0.25 * (b[x] + d[x]) + 0.375 * c[x];
        }
        let at = |x: i64| rows[x.clamp(0, rows.len() as i64 - 1) as usize];
        let edge = |x: usize| {
            let x = 2 * x as i64;
            0.0625 * (at(x - 2) + at(x + 2)) + 0.25 * (at(x - 1) + at(x + 1)) + 0.375 * at(x)
        };
        let inside = 1..width.saturating_sub(2).max(1);
        for x in inside.clone() {
            let five: &[f32; 5] = rows[2 * x - 2..2 * x + 3].try_into().expect("five values");
            out[x] = 0.0625 * (five[0] + five[4]) + 0.25 * (five[1] + five[3]) + 0.375 * five[2];
        }
        out[0] = edge(0);
        (inside.end..width).for_each(|x| out[x] = edge(x));
    }
}

/// Doubles a plane to a size that halves to its own.
pub fn double(from: &Plane, (width, height): (usize, usize), out: &mut Plane, rows: &mut Vec<f32>) {
    out.resize(width, height);
    rows.resize(from.width, 0.0);
    for (y, out) in out.values.chunks_exact_mut(width).enumerate() {
        let row = |y: i64| from.row(y.clamp(0, from.height as i64 - 1) as usize);
        let half = y as i64 / 2;
        match y % 2 {
            0 => {
                let (a, b, c) = (row(half - 1), row(half), row(half + 1));
                for (x, sum) in rows.iter_mut().enumerate() {
                    *sum = 0.125 * (a[x] + c[x]) + 0.75 * b[x];
                }
            }
            _ => {
                let (a, b) = (row(half), row(half + 1));
                rows.iter_mut().enumerate().for_each(|(x, sum)| *sum = 0.5 * (a[x] + b[x]));
            }
        }
        let last = rows.len() - 1;
        let value = |x: usize| {
            let half = x / 2;
            let next = rows[(half + 1).min(last)];
            match x % 2 {
                0 => 0.125 * (rows[half.saturating_sub(1)] + next) + 0.75 * rows[half],
                _ => 0.5 * (rows[half] + next),
            }
        };
        out[0] = value(0);
        if width > 1 {
            out[1] = value(1);
        }
        let whole = last.max(1);
        let middle = out.get_mut(2..).unwrap_or_default();
        for (pair, three) in middle.chunks_exact_mut(2).zip(rows.windows(3)).take(whole - 1) {
            pair[0] = 0.125 * (three[0] + three[2]) + 0.75 * three[1];
            pair[1] = 0.5 * (three[1] + three[2]);
        }
        (2 * whole..width).for_each(|x| out[x] = value(x));
    }
}

/// Squares of values, smoothed by a Gaussian of one value along both axes.
pub fn spread_squares(from: &Plane, out: &mut Plane, rows: &mut Vec<f32>) {
    let Plane { width, height, .. } = *from;
    out.resize(width, height);
    // Five squares along columns, then along rows.
    rows.resize(width, 0.0);
    let last = height as i64 - 1;
    for (y, out) in out.values.chunks_exact_mut(width).enumerate() {
        let row = |d: i64| from.row((y as i64 + d).clamp(0, last) as usize);
        let [a, b, c, d, e] = [-2, -1, 0, 1, 2].map(row);
        for (x, sum) in rows.iter_mut().enumerate() {
            *sum = 0.0625 * (a[x] * a[x] + e[x] * e[x])
                + 0.25 * (b[x] * b[x] + d[x] * d[x])
                + 0.375 * c[x] * c[x];
        }
        let at = |x: i64| rows[x.clamp(0, width as i64 - 1) as usize];
        let edge = |x: usize| {
            let x = x as i64;
            0.0625 * (at(x - 2) + at(x + 2)) + 0.25 * (at(x - 1) + at(x + 1)) + 0.375 * at(x)
        };
        let inside = 2.min(width)..width.saturating_sub(2).max(2.min(width));
        for (five, out) in rows.windows(5).zip(&mut out[inside.clone()]) {
            *out = 0.0625 * (five[0] + five[4]) + 0.25 * (five[1] + five[3]) + 0.375 * five[2];
        }
        (0..inside.start).chain(inside.end..width).for_each(|x| out[x] = edge(x));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plane(width: usize, height: usize, of: impl Fn(f32, f32) -> f32) -> Plane {
        let values =
            (0..width * height).map(|i| of((i % width) as f32, (i / width) as f32)).collect();
        Plane { width, height, values }
    }

    #[test]
    fn what_is_straight_stays_so_and_sizes_fit() {
        for (width, height) in [(1, 1), (2, 3), (5, 4), (16, 9), (17, 30)] {
            let from = plane(width, height, |x, y| 0.5 * x - y + 3.0);
            let (mut half, mut whole, mut rows) = (Plane::default(), Plane::default(), vec![]);
            halve(&from, &mut half, &mut rows);
            assert_eq!((half.width, half.height), (width.div_ceil(2), height.div_ceil(2)));
            double(&half, (width, height), &mut whole, &mut rows);
            for y in 0..height {
                for x in 0..width {
                    let (value, wanted) = (whole.values[y * width + x], from.values[y * width + x]);
                    let inside = (4..width.saturating_sub(4)).contains(&x)
                        && (4..height.saturating_sub(4)).contains(&y);
                    let limit = if inside { 1e-4 } else { 2.0 };
                    assert!(
                        (value - wanted).abs() < limit,
                        "{width}x{height} {x} {y}: {value}, {wanted}"
                    );
                }
            }
        }
    }

    #[test]
    fn squares_are_spread_and_keep_their_sum() {
        let mut from = plane(20, 15, |_, _| 0.0);
        from.values[7 * 20 + 9] = -2.0;
        let (mut out, mut rows) = (Plane::default(), vec![]);
        spread_squares(&from, &mut out, &mut rows);
        let sum: f32 = out.values.iter().sum();
        assert!((sum - 4.0).abs() < 1e-5, "{sum}");
        assert!((out.values[7 * 20 + 9] - 4.0 * 0.375 * 0.375).abs() < 1e-6);
        assert!((out.values[9 * 20 + 7] - 4.0 * 0.0625 * 0.0625).abs() < 1e-6);
        let one = plane(1, 1, |_, _| 3.0);
        spread_squares(&one, &mut out, &mut rows);
        assert_eq!(out.values, [9.0]);
    }
}
