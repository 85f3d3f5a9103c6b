//! A picture at halved sizes, so that any zoom reads about as many pixels as it shows.
//!
//! Level 0 is the picture itself; each further level halves both sides (rounded up) by averaging
//! 2 x 2 pixels in linear light, so that noisy shadows keep their brightness when seen small.

use crate::PictureError;
use crate::colour::Encoding;
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

/// A sample that can be averaged in linear light.
pub trait Averaged: Sample {
    /// The average of one to four samples of `channel`.
    fn average(encoding: &Encoding, channel: usize, samples: &[Self]) -> Self;
}

impl Averaged for u16 {
    fn average(encoding: &Encoding, channel: usize, samples: &[Self]) -> Self {
        let curve = encoding.curve(channel);
        let sum: f32 = samples.iter().map(|&s| curve[s as usize]).sum();
        encoding.encode(channel, sum / samples.len() as f32)
    }
}

impl Averaged for f32 {
    fn average(_: &Encoding, _: usize, samples: &[Self]) -> Self {
        samples.iter().sum::<f32>() / samples.len() as f32
    }
}

/// Writes the level below `from` to `path`.
///
/// # Errors
/// [`PictureError::Io`].
pub fn halve<T: Averaged>(
    from: &TiledFile<T>,
    encoding: &Encoding,
    path: &Path,
) -> Result<TiledFile<T>, PictureError> {
    halve_by(from, path, |channel, samples| T::average(encoding, channel, samples))
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
        let (x, y) = (part.x * 2, part.y * 2);
        let source = Region {
            x,
            y,
            width: (part.width * 2).min(from.width() - x),
            height: (part.height * 2).min(from.height() - y),
        };
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
        let writer = TileWriter::<u16>::create(&folder.path().join("0"), 3, 3, 1).unwrap();
        let whole = Region { x: 0, y: 0, width: 3, height: 3 };
        writer.write_region(whole, &[0, 65535, 9, 0, 65535, 9, 7, 7, 5]).unwrap();
        let from = writer.finish(false).unwrap();
        let srgb = Encoding::srgb();
        let half = halve(&from, &srgb, &folder.path().join("1")).unwrap();
        let whole = Region { x: 0, y: 0, width: 2, height: 2 };
        let read = half.read_region(whole).unwrap();
        assert_eq!(read, [srgb.encode(0, 0.5), 9, 7, 5]);
    }
}
