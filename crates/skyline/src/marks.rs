//! What every pixel is by its own light, in a byte, and its share of sky by those of its
//! neighbours.

use rayon::prelude::*;

/// The lower two bits of a mark: what the pixel is by itself.
pub const SKY: u8 = 0;
/// It may be part of something thin, if that stands on the ground.
pub const THIN: u8 = 1;
pub const GROUND: u8 = 2;
/// Ground, or something thin that was reached from the ground.
pub const REACHED: u8 = 3;
/// The other six bits: its share of sky, in steps.
pub const STEPS: f32 = 63.0;

/// Share 1 in those bits.
pub const STEPS_SKY: u8 = (STEPS as u8) << 2;

/// Follows thin things, starting from the ground.
pub fn reach(marks: &mut [u8], width: usize) {
    let kind = |mark: u8| mark & 3;
    let len = marks.len();
    let stands = |i: usize| around(i, width, len, 1).any(|n| kind(marks[n]) == GROUND);
    let rows = marks.par_chunks(width).with_min_len(16).enumerate();
    let begins = rows.flat_map_iter(|(y, row)| {
        // Hardly any chunk contains one.
        let some = |chunk: &[u8]| chunk.iter().fold(false, |some, m| some | (kind(*m) == THIN));
        let chunks = row.chunks(CHUNK).enumerate().filter(move |(_, chunk)| some(chunk));
        let thin = chunks.flat_map(move |(at, chunk)| {
            let places = chunk.iter().enumerate().filter(move |(_, mark)| kind(**mark) == THIN);
            places.map(move |(x, _)| y * width + at * CHUNK + x)
        });
        thin.filter(|i| stands(*i))
    });
    let mut open: Vec<usize> = begins.collect();
    open.iter().for_each(|&i| marks[i] |= REACHED);
    let height = len / width;
    while let Some(i) = open.pop() {
        let (x, y) = (i % width, i / width);
        let (left, right) = (x.saturating_sub(2), (x + 3).min(width));
        for y in y.saturating_sub(2)..(y + 3).min(height) {
            let from = y * width + left;
            for (n, mark) in (from..).zip(&mut marks[from..y * width + right]) {
                if kind(*mark) == THIN {
                    *mark |= REACHED;
                    open.push(n);
                }
            }
        }
    }
}

/// The pixels of a square around a pixel.
pub fn around(i: usize, width: usize, len: usize, far: i64) -> impl Iterator<Item = usize> {
    let x = i % width;
    (-far..=far).flat_map(move |dy| (-far..=far).map(move |dx| (dx, dy))).filter_map(
        move |(dx, dy)| {
            let inside = (dx, dy) != (0, 0) && (0..width as i64).contains(&(x as i64 + dx));
            let n = i as i64 + dy * width as i64 + dx;
            (inside && (0..len as i64).contains(&n)).then_some(n as usize)
        },
    )
}

/// Pixels of a row that are handled together.
const CHUNK: usize = 64;

/// Shares of sky from marks: where sky and ground meet, from the pixel's own light.
pub fn shares(marks: &[u8], width: usize) -> Vec<u8> {
    let solid = |mark: u8| mark & 3 >= GROUND;
    let mut out = vec![0; marks.len()];
    out.par_chunks_mut(width).with_min_len(16).enumerate().for_each(|(y, out)| {
        let from = y.saturating_sub(1) * width;
        let rows = &marks[from..((y + 2) * width).min(marks.len())];
        let here = &marks[y * width..(y + 1) * width];
        // Number of solid pixels among those above, here and below, in each column.
        let mut columns = vec![0u8; width];
        for row in rows.chunks_exact(width) {
            columns.iter_mut().zip(row).for_each(|(sum, mark)| *sum += u8::from(solid(*mark)));
        }
        let height = (rows.len() / width) as u8;
        // Most of a picture is one side alone.
        for (start, out) in (0..width).step_by(CHUNK).zip(out.chunks_mut(CHUNK)) {
            let near = &columns[start.saturating_sub(1)..(start + out.len() + 1).min(width)];
            match near.iter().map(|sum| u16::from(*sum)).sum::<u16>() {
                0 => out.fill(255),
                all if all == u16::from(height) * near.len() as u16 => out.fill(0),
                _ => {
                    for (x, out) in (start..).zip(out) {
                        let near = &columns[x.saturating_sub(1)..(x + 2).min(width)];
                        let count: u8 = near.iter().sum();
                        *out = match count {
                            0 => 255,
                            all if all == height * near.len() as u8 => 0,
                            _ => (f32::from(here[x] >> 2) / STEPS * 255.0) as u8,
                        };
                    }
                }
            }
        }
    });
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    const WIDE: usize = 40;

    /// Marks of sky, with other marks at some places.
    fn marks(others: &[(usize, usize, u8)]) -> Vec<u8> {
        let mut marks = vec![STEPS_SKY | SKY; WIDE * 30];
        others.iter().for_each(|(x, y, mark)| marks[y * WIDE + x] = *mark);
        marks
    }

    #[test]
    fn thin_things_are_followed_from_the_ground_over_a_gap_of_one_pixel() {
        // From ground at the bottom upwards with a gap, and another that hangs in the air.
        let stem = |y: usize| (10, y, THIN);
        let mut all: Vec<(usize, usize, u8)> = (0..WIDE).map(|x| (x, 29, GROUND)).collect();
        all.extend((12..29).filter(|y| *y != 20).map(stem));
        all.extend((5..15).map(|y| (30, y, THIN)));
        let mut marks = marks(&all);
        reach(&mut marks, WIDE);
        let kind = |x: usize, y: usize| marks[y * WIDE + x] & 3;
        assert!((12..29).filter(|y| *y != 20).all(|y| kind(10, y) == REACHED));
        assert_eq!(kind(10, 20), SKY);
        assert!((5..15).all(|y| kind(30, y) == THIN));
    }

    #[test]
    fn a_pixels_own_light_tells_its_share_where_sky_and_ground_meet_only() {
        let half = (STEPS as u8 / 2) << 2;
        let mut all: Vec<(usize, usize, u8)> = Vec::new();
        for y in 15..30 {
            all.extend((0..WIDE).map(|x| (x, y, GROUND)));
        }
        // Mixed pixels at the border, and mixed pixels within pure sky or ground.
        all.extend([(7, 15, half | GROUND), (7, 3, half | SKY), (7, 25, half | GROUND)]);
        let shares = shares(&marks(&all), WIDE);
        let at = |x: usize, y: usize| shares[y * WIDE + x];
        assert!((125..=128).contains(&at(7, 15)), "{}", at(7, 15));
        assert_eq!([at(7, 3), at(7, 25)], [255, 0]);
        assert_eq!([at(20, 13), at(20, 14), at(20, 15), at(20, 16)], [255, 255, 0, 0]);
    }
}
