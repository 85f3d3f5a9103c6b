//! Directional interpolation with the direction chosen afterwards (Menon, Andriani and Calvagno
//! 2007): green is found along rows and along columns, the way in which colours change less is
//! taken, and red and blue follow it.

use super::{Band, MARGIN};

/// Planes of a band with its margins.
#[derive(Default)]
pub struct Room {
    /// Green along rows and along columns.
    along: [Vec<f32>; 2],
    /// Differences of colour between photosites of one colour, in both directions.
    changes: [Vec<f32>; 2],
    rows: Vec<bool>,
    planes: [Vec<f32>; 3],
}

pub fn demosaic(band: &Band, room: &mut Room, out: &mut [f32]) {
    let stride = band.stride();
    let tall = band.size[1] + 2 * MARGIN;
    let area = stride * tall;
    let Room { along, changes, rows, planes } = room;
    along.iter_mut().chain(changes.iter_mut()).chain(planes.iter_mut()).for_each(|plane| {
        plane.clear();
        plane.resize(area, 0.0);
    });
    rows.clear();
    rows.resize(area, true);
    // The two ways: how far the next photosite lies.
    let ways = [1, stride];
    let light = band.light;
    // What is found of a row needs less and less of the margin.
    let within = |margin: usize| {
        (margin..tall - margin)
            .flat_map(move |y| (margin..stride - margin).map(move |x| (x, y, y * stride + x)))
    };
    for (x, y, at) in within(2) {
        let green = band.colour(x, y) == 1;
        for (along, step) in along.iter_mut().zip(ways) {
            along[at] = match green {
                true => light[at],
                false => {
                    let (a, b) = (light[at - step], light[at + step]);
                    let (c, d) = (light[at - 2 * step], light[at + 2 * step]);
                    (a + b) / 2.0 + (2.0 * light[at] - c - d) / 4.0
                }
            };
        }
    }
    for (_, _, at) in within(4) {
        for ((change, along), step) in changes.iter_mut().zip(along.iter()).zip(ways) {
            let difference = |at: usize| light[at] - along[at];
            change[at] = (difference(at) - difference(at + 2 * step)).abs();
        }
    }
    for (x, y, at) in within(7) {
        if band.colour(x, y) == 1 {
            continue;
        }
        // What changes around here, along the rows and along the columns.
        let [across, down] = [(1, stride), (stride, 1)].map(|(step, side)| {
            let change = &changes[usize::from(step != 1)];
            let pair = |at: usize| change[at] + change[at - 2 * step];
            let corners = change[at - side - step] + change[at + side - step];
            3.0 * pair(at) + pair(at - 2 * side) + pair(at + 2 * side) + corners
        });
        rows[at] = across <= down;
    }
    let [red, green, blue] = planes;
    for (_, _, at) in within(7) {
        green[at] = along[usize::from(!rows[at])][at];
    }
    // Red and blue where green was recorded: by differences to green, from both sides.
    for (x, y, at) in within(8) {
        let own = band.colour(x, y);
        if own != 1 {
            let plane = if own == 0 { &mut *red } else { &mut *blue };
            plane[at] = light[at];
            continue;
        }
        let beside = |step: usize| {
            let difference = |at: usize| light[at] - green[at];
            light[at] + (difference(at - step) + difference(at + step)) / 2.0
        };
        let (across, down) = (beside(1), beside(stride));
        (red[at], blue[at]) = match band.colour(x + 1, y) {
            0 => (across, down),
            _ => (down, across),
        };
    }
    // And each of them where the other was recorded, the way that was chosen there.
    for (x, y, at) in within(9) {
        let (own, other) = match band.colour(x, y) {
            0 => (&*red, &mut *blue),
            2 => (&*blue, &mut *red),
            _ => continue,
        };
        let step = if rows[at] { 1 } else { stride };
        let difference = |at: usize| other[at] - own[at];
        other[at] = light[at] + (difference(at - step) + difference(at + step)) / 2.0;
    }
    for (y, out) in out.chunks_exact_mut(band.size[0] * 3).enumerate() {
        let from = (y + MARGIN) * stride + MARGIN;
        for (x, pixel) in out.as_chunks_mut::<3>().0.iter_mut().enumerate() {
            *pixel = [red[from + x], green[from + x], blue[from + x]];
        }
    }
}
