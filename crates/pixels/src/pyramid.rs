//! A picture at halved sizes, so that any zoom reads about as many pixels as it shows.
//!
//! Level 0 is the picture itself; each further level halves both sides (rounded up) by averaging
//! 2 x 2 pixels in linear light, so that noisy shadows keep their brightness when seen small.

use crate::PictureError;
use crate::tiled::{Region, SIDE, Sample, TileWriter, TiledFile};
use std::path::Path;

/// Sizes of all levels: from the picture down to the first that fits into 256 x 256 pixels.
pub fn level_sizes(width: u32, height: u32) -> Vec<(u32, u32)> {
    let mut sizes = vec![(width, height)];
    while let Some(&(w, h)) = sizes.last().filter(|(w, h)| (*w).max(*h) > 256) {
        sizes.push((w.div_ceil(2), h.div_ceil(2)));
    }
    sizes
}

/// Writes the level below a picture of linear light to `path`.
///
/// # Errors
/// [`PictureError::Io`].
pub fn halve(from: &TiledFile<f32>, path: &Path) -> Result<TiledFile<f32>, PictureError> {
    halve_by(from, path, |_, samples| samples.iter().sum::<f32>() / samples.len() as f32)
}

/// Steps of light between the darkest and the lightest that codes are found by.
const STEPS: usize = 32_768;

/// The codes of a channel by their light, for pictures that are looked at: finer than can be seen.
struct Codes<'a> {
    curve: &'a [f32],
    lowest: f32,
    scale: f32,
    of_root: Vec<u16>,
}

impl<'a> Codes<'a> {
    fn new(curve: &'a [f32]) -> Self {
        let (lowest, highest) = (curve[0], curve[curve.len() - 1]);
        let mut code = 0;
        let of_root = (0..=STEPS).map(|step| {
            let light = lowest + (highest - lowest) * (step as f32 / STEPS as f32).powi(2);
            while code + 1 < curve.len() && curve[code + 1] <= light {
                code += 1;
            }
            let next = (code + 1).min(curve.len() - 1);
            // The nearer one of the two around.
            if curve[next] - light < light - curve[code] { next as u16 } else { code as u16 }
        });
        Self { curve, lowest, scale: 1.0 / (highest - lowest), of_root: of_root.collect() }
    }

    fn mean(&self, four: [u16; 4]) -> u16 {
        let sum: f32 = four.iter().map(|code| self.curve[*code as usize]).sum();
        let share = (0.25 * sum - self.lowest) * self.scale;
        // From floats to whole numbers Rust saturates.
        let step = (share.max(0.0).sqrt() * STEPS as f32 + 0.5) as usize;
        self.of_root[step.min(STEPS)]
    }
}

/// Writes the level below a picture of three channels of codes to `path`; `curves` give the light
/// of every code, which must not fall.
///
/// # Errors
/// [`PictureError::Io`].
pub fn halve_codes(
    from: &TiledFile<u16>,
    curves: [&[f32]; 3],
    path: &Path,
) -> Result<TiledFile<u16>, PictureError> {
    let codes = curves.map(Codes::new);
    let (width, height) = (from.width().div_ceil(2), from.height().div_ceil(2));
    let writer = TileWriter::<u16>::create(path, width, height, 3)?;
    let mut out = Vec::new();
    for part in Region::covering(width, height, [SIDE; 2]) {
        let source = below(part, from);
        let pixels = from.read_region(source)?;
        let pixels = pixels.as_chunks::<3>().0;
        out.clear();
        let wide = source.width as usize;
        for y in 0..part.height as usize {
            let upper = &pixels[2 * y * wide..][..wide];
            let lower = &pixels[(2 * y + 1).min(source.height as usize - 1) * wide..][..wide];
            for (upper, lower) in upper.chunks(2).zip(lower.chunks(2)) {
                // Where a side is odd, the last pixels stand for those that are not there.
                let (a, b) = (upper[0], upper[upper.len() - 1]);
                let (c, d) = (lower[0], lower[lower.len() - 1]);
                out.extend([0, 1, 2].map(|i| codes[i].mean([a[i], b[i], c[i], d[i]])));
            }
        }
        writer.write_region(part, &out)?;
    }
    writer.finish(false)
}

/// What a part of the halved picture is made from.
fn below<T: Sample>(part: Region, from: &TiledFile<T>) -> Region {
    let (x, y) = (part.x * 2, part.y * 2);
    Region {
        x,
        y,
        width: (part.width * 2).min(from.width() - x),
        height: (part.height * 2).min(from.height() - y),
    }
}

/// Writes the level below `from` to `path`; `merge` makes one sample of a channel from one to four.
///
/// # Errors
/// [`PictureError::Io`].
pub fn halve_by<T: Sample>(
    from: &TiledFile<T>,
    path: &Path,
    merge: impl Fn(usize, &[T]) -> T,
) -> Result<TiledFile<T>, PictureError> {
    let channels = from.channels();
    let (width, height) = (from.width().div_ceil(2), from.height().div_ceil(2));
    let writer = TileWriter::<T>::create(path, width, height, channels as u32)?;
    for part in Region::covering(width, height, [SIDE; 2]) {
        let source = below(part, from);
        let pixels = from.read_region(source)?;
        let mut out = Vec::with_capacity(part.area() * channels);
        for oy in 0..part.height as usize {
            let rows = 2 * oy..(2 * oy + 2).min(source.height as usize);
            for ox in 0..part.width as usize {
                let columns = 2 * ox..(2 * ox + 2).min(source.width as usize);
                for channel in 0..channels {
                    let mut four = [T::default(); 4];
                    let mut count = 0;
                    for row in rows.clone() {
                        for column in columns.clone() {
                            let at = (row * source.width as usize + column) * channels + channel;
                            four[count] = pixels[at];
                            count += 1;
                        }
                    }
                    out.push(merge(channel, &four[..count]));
                }
            }
        }
        writer.write_region(part, &out)?;
    }
    writer.finish(false)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::Encoding;

    #[test]
    fn levels_end_at_one_view_tile() {
        assert_eq!(
            level_sizes(2400, 1601),
            [(2400, 1601), (1200, 801), (600, 401), (300, 201), (150, 101)]
        );
        assert_eq!(level_sizes(256, 3), [(256, 3)]);
    }

    #[test]
    fn halving_keeps_linear_light_at_odd_sizes() {
        let folder = tempfile::tempdir().unwrap();
        let writer = TileWriter::<u16>::create(&folder.path().join("0"), 3, 3, 3).unwrap();
        let whole = Region { x: 0, y: 0, width: 3, height: 3 };
        let grey = [0, 65535, 9, 0, 65535, 9, 7, 7, 5].map(|code| [code; 3]);
        writer.write_region(whole, grey.as_flattened()).unwrap();
        let from = writer.finish(false).unwrap();
        let srgb = Encoding::srgb();
        let curves = [0, 1, 2].map(|c| srgb.curve(c));
        let half = halve_codes(&from, curves, &folder.path().join("1")).unwrap();
        let whole = Region { x: 0, y: 0, width: 2, height: 2 };
        let read = half.read_region(whole).unwrap();
        let wanted = [[srgb.encode(0, 0.5); 3], [9; 3], [7; 3], [5; 3]].concat();
        assert!(
            read.iter().zip(&wanted).all(|(own, wanted)| own.abs_diff(*wanted) <= 2),
            "{read:?} {wanted:?}"
        );
    }
}
