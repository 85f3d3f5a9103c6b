//! Bars that are drawn with soft edges, however thin.

/// Straight bar from one point to another with a thickness, all in pixels.
pub type Bar = ([f64; 2], [f64; 2], f64);

/// How much of each pixel of a row the bars cover, 0 to 1.
pub fn cover_row(bars: &[Bar], y: f64, width: usize) -> Vec<f64> {
    let mut covered = vec![0.0f64; width];
    for bar in bars {
        let (a, b, thick) = bar;
        let reach = thick / 2.0 + 2.0;
        if y <= a[1].min(b[1]) - reach || y >= a[1].max(b[1]) + reach {
            continue;
        }
        // The part of the bar that can come near the row.
        let steep = (b[1] - a[1]).abs();
        let (mut left, mut right) = (a[0].min(b[0]), a[0].max(b[0]));
        if steep > 1.0 {
            let at = |y: f64| a[0] + (b[0] - a[0]) * ((y - a[1]) / (b[1] - a[1])).clamp(0.0, 1.0);
            let (one, other) = (at(y - reach), at(y + reach));
            (left, right) = (one.min(other), one.max(other));
        }
        let from = (left - reach).max(0.0) as usize;
        let to = (right + reach + 1.0).clamp(0.0, width as f64) as usize;
        for (x, value) in covered.iter_mut().enumerate().take(to).skip(from) {
            *value = value.max(cover(bar, x as f64, y));
        }
    }
    covered
}

/// How much of the pixel at (x, y) a bar covers, 0 to 1.
fn cover((a, b, thick): &Bar, x: f64, y: f64) -> f64 {
    let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
    let along = (((x - a[0]) * dx + (y - a[1]) * dy) / (dx * dx + dy * dy)).clamp(0.0, 1.0);
    let off = ((x - a[0] - along * dx).powi(2) + (y - a[1] - along * dy).powi(2)).sqrt();
    // A bar thinner than a pixel covers as much of it as it is thick.
    (thick / 2.0 + 0.5 - off).clamp(0.0, thick.min(1.0))
}
