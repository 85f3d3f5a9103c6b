//! Demosaicing: from one colour at each photosite to three at each pixel.

mod band;
mod fast;
mod fine;

pub use band::{Band, MARGIN};

use jade_plan::Demosaic;

/// Most bytes of [`Scratch`] for each pixel of a band.
pub const BYTES_FOR_PIXEL: u64 = 6 * 4 + 1;

/// Scratch memory for one band at a time.
#[derive(Default)]
pub struct Scratch {
    fine: fine::Scratch,
}

/// Finds the colours of a band: interleaved red, green and blue into `out`, row by row.
pub fn demosaic(band: &Band, way: Demosaic, scratch: &mut Scratch, out: &mut [f32]) {
    match way {
        Demosaic::Fast => fast::demosaic(band, out),
        Demosaic::Fine => fine::demosaic(band, &mut scratch.fine, out),
    }
}

/// Finds only the green of a band: one value for each pixel into `out`, row by row.
pub fn green(band: &Band, way: Demosaic, scratch: &mut Scratch, out: &mut [f32]) {
    match way {
        Demosaic::Fast => fast::green(band, out),
        Demosaic::Fine => fine::green(band, &mut scratch.fine, out),
    }
}

/// A place beyond an edge, mirrored to the inside, where the colour is the same.
pub fn mirrored(place: isize, count: usize) -> usize {
    let last = count as isize - 1;
    let round = place.rem_euclid((2 * last).max(1));
    round.min(2 * last - round).max(0) as usize
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_pixels::mosaic::Pattern;

    #[test]
    fn green_alone_is_the_green_of_all_colours() {
        let size = [37, 26];
        let stride = size[0] + 2 * MARGIN;
        let value = |i: usize| ((i as u32).wrapping_mul(2_654_435_761) >> 20) as f32 / 4096.0;
        let light: Vec<f32> = (0..stride * (size[1] + 2 * MARGIN)).map(value).collect();
        let greens_first = Pattern::new([[1, 0], [2, 1]]).unwrap();
        for pattern in [Pattern::RGGB, greens_first] {
            let band = Band { size, light: &light, pattern };
            for way in [Demosaic::Fast, Demosaic::Fine] {
                let (mut all, mut alone) = (vec![0.0; 37 * 26 * 3], vec![0.0; 37 * 26]);
                demosaic(&band, way, &mut Scratch::default(), &mut all);
                green(&band, way, &mut Scratch::default(), &mut alone);
                for (pixel, green) in all.as_chunks::<3>().0.iter().zip(&alone) {
                    assert!((pixel[1] - green).abs() < 1e-6, "{way:?}: {pixel:?} {green}");
                }
            }
        }
    }
}
