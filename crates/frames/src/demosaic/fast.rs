//! Linear interpolation corrected by gradients (Malvar, He and Cutler 2004).

use super::band::{Band, MARGIN};

pub fn green(band: &Band, out: &mut [f32]) {
    let stride = band.stride();
    for (y, out) in out.chunks_exact_mut(band.size[0]).enumerate() {
        for (x, green) in out.iter_mut().enumerate() {
            let (x, y) = (x + MARGIN, y + MARGIN);
            let (at, light) = (y * stride + x, band.light);
            *green = light[at];
            if band.colour(x, y) != 1 {
                let near = light[at - 1] + light[at + 1] + light[at - stride] + light[at + stride];
                let far =
                    light[at - 2] + light[at + 2] + light[at - 2 * stride] + light[at + 2 * stride];
                *green = (4.0 * light[at] + 2.0 * near - far) / 8.0;
            }
        }
    }
}

pub fn demosaic(band: &Band, out: &mut [f32]) {
    let stride = band.stride();
    let rows = out.chunks_exact_mut(band.size[0] * 3).enumerate();
    for (y, out) in rows.map(|(y, out)| (y + MARGIN, out)) {
        let row = |dy: isize| {
            let from = (y as isize + dy) as usize * stride;
            &band.light[from..from + stride]
        };
        let [up2, up, here, down, down2] = [row(-2), row(-1), row(0), row(1), row(2)];
        for (x, pixel) in out.as_chunks_mut::<3>().0.iter_mut().enumerate() {
            let x = x + MARGIN;
            let value = here[x];
            let (beside, beside2) = (here[x - 1] + here[x + 1], here[x - 2] + here[x + 2]);
            let (above, above2) = (up[x] + down[x], up2[x] + down2[x]);
            let corners = up[x - 1] + up[x + 1] + down[x - 1] + down[x + 1];
            match band.colour(x, y) {
                1 => {
                    let across =
                        (5.0 * value + 4.0 * beside - corners - beside2 + 0.5 * above2) / 8.0;
                    let along =
                        (5.0 * value + 4.0 * above - corners - above2 + 0.5 * beside2) / 8.0;
                    *pixel = match band.colour(x + 1, y) {
                        0 => [across, value, along],
                        _ => [along, value, across],
                    };
                }
                colour => {
                    let green = (4.0 * value + 2.0 * (beside + above) - beside2 - above2) / 8.0;
                    let other = (6.0 * value + 2.0 * corners - 1.5 * (beside2 + above2)) / 8.0;
                    *pixel = [value, green, other];
                    if colour == 2 {
                        pixel.reverse();
                    }
                }
            }
        }
    }
}
