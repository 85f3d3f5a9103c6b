//! Makes one level of a pyramid from the level above.

use crate::PictureError;
use crate::tiled::{Region, SIDE, Sample, TileWriter, TiledFile};
use std::path::Path;

/// Writes the level below a picture of linear light to `path`.
///
/// # Errors
/// [`PictureError::Io`].
pub fn halve(from: &TiledFile<f32>, path: &Path) -> Result<TiledFile<f32>, PictureError> {
    halve_by(from, path, |_, samples| samples.iter().sum::<f32>() / samples.len() as f32)
}

/// The region of the picture that a region of its half is made from.
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
