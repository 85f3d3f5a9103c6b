//! Repairs samples that are faulty in all frames of a camera.

/// Places of faulty samples, sorted: row, and column times samples of a pixel plus channel.
pub type Defects = Vec<(u32, u32)>;

/// Offsets to neighbouring samples of the same colour, in a mosaic and in colours.
pub const RING: [[i32; 2]; 8] =
    [[-2, 0], [2, 0], [0, -2], [0, 2], [-2, -2], [2, -2], [-2, 2], [2, 2]];

/// The median of at most eight values; of an even number, the mean of the two in the middle. `None`
/// without values.
pub fn middle(values: impl Iterator<Item = f32>) -> Option<f32> {
    let mut sorted = [0.0; 8];
    let mut count = 0;
    for value in values {
        sorted[count] = value;
        count += 1;
    }
    let sorted = &mut sorted[..count];
    sorted.sort_unstable_by(f32::total_cmp);
    (count > 0).then(|| (sorted[(count - 1) / 2] + sorted[count / 2]) / 2.0)
}

/// Replaces faulty samples of some whole rows, from row `top` on, by the median of their neighbours
/// of the same colour that are not faulty.
pub fn repair(faults: &Defects, top: u32, channels: u32, row: usize, light: &mut [f32]) {
    let rows = (light.len() / row) as u32;
    let first = faults.partition_point(|(y, _)| *y < top);
    let here: Vec<(u32, u32)> =
        faults[first..].iter().take_while(|(y, _)| *y < top + rows).copied().collect();
    let repaired: Vec<f32> = here
        .iter()
        .map(|&(y, x)| {
            let good = |[dx, dy]: [i32; 2]| {
                let x = x.checked_add_signed(dx * channels as i32)?;
                let y = y.checked_add_signed(dy)?.checked_sub(top)?;
                let inside = (x as usize) < row && y < rows;
                (inside && here.binary_search(&(y + top, x)).is_err())
                    .then(|| light[y as usize * row + x as usize])
            };
            let unrepaired = light[(y - top) as usize * row + x as usize];
            middle(RING.into_iter().filter_map(good)).unwrap_or(unrepaired)
        })
        .collect();
    for ((y, x), value) in here.into_iter().zip(repaired) {
        light[(y - top) as usize * row + x as usize] = value;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_faulty_sample_takes_its_colours_middle_and_no_faulty_ones() {
        let row = 12;
        let mut light: Vec<f32> = (0..row * 8).map(|i| (i % 2) as f32).collect();
        let faults = vec![(11, 4), (11, 6), (13, 0)];
        for (y, x) in &faults {
            light[(y - 10) * row + x] = 9.0;
        }
        let faults: Defects = faults.into_iter().map(|(y, x)| (y as u32, x as u32)).collect();
        repair(&faults, 10, 1, row, &mut light);
        assert_eq!(light, (0..row * 8).map(|i| (i % 2) as f32).collect::<Vec<_>>());
    }
}
