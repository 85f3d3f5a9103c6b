//! A picture in a file of square tiles, read and written by position.
//!
//! Tiles are [`SIDE`] pixels square and stored whole, row after row of tiles, so that any region is
//! a few contiguous reads and tiles can be written from several threads in any order. The file is
//! read rather than mapped: what was read does not count as the process's memory, and a full disk
//! is an error instead of a signal.

use crate::PictureError;
use crate::aside::{self, Readers};
use bytemuck::{Pod, cast_slice, cast_slice_mut};
use std::fs::File;
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};
use tempfile::NamedTempFile;

/// Side of a tile in pixels.
pub const SIDE: u32 = 128;
const MAGIC: &[u8; 8] = b"jadetil1";
const HEADER: u64 = 4096;

/// A sample type that tiles can hold.
pub trait Sample: Pod + Default + PartialOrd + Send + Sync + 'static {
    /// Stored in the file, so that it is not read as another type.
    const CODE: u32;
}
impl Sample for u16 {
    const CODE: u32 = 16;
}
impl Sample for f32 {
    const CODE: u32 = 32;
}

/// A rectangle of whole pixels.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Region {
    /// Left column.
    pub x: u32,
    /// Top row.
    pub y: u32,
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
}

impl Region {
    /// The regions of at most `[wide, tall]` pixels that cover a `width` x `height` picture.
    pub fn covering(width: u32, height: u32, [columns, rows]: [u32; 2]) -> Vec<Self> {
        let mut all = Vec::new();
        for y in (0..height).step_by(rows as usize) {
            for x in (0..width).step_by(columns as usize) {
                all.push(Self {
                    x,
                    y,
                    width: columns.min(width - x),
                    height: rows.min(height - y),
                });
            }
        }
        all
    }

    /// The region with `margin` more pixels on every side, inside a picture of this size.
    pub fn widened(&self, margin: u32, (width, height): (u32, u32)) -> Self {
        let (x, y) = (self.x.saturating_sub(margin), self.y.saturating_sub(margin));
        Self {
            x,
            y,
            width: (self.x + self.width + margin).min(width) - x,
            height: (self.y + self.height + margin).min(height) - y,
        }
    }

    /// The region moved right and down.
    pub fn moved(&self, [right, down]: [u32; 2]) -> Self {
        Self { x: self.x + right, y: self.y + down, ..*self }
    }

    /// The part that it shares with another, if there is one.
    pub fn shared_with(&self, other: Self) -> Option<Self> {
        let (x, y) = (self.x.max(other.x), self.y.max(other.y));
        let right = (self.x + self.width).min(other.x + other.width);
        let low = (self.y + self.height).min(other.y + other.height);
        (x < right && y < low).then(|| Self { x, y, width: right - x, height: low - y })
    }

    /// Number of pixels.
    pub fn area(&self) -> usize {
        self.width as usize * self.height as usize
    }
}

#[derive(Debug, Clone, Copy)]
struct Shape {
    width: u32,
    height: u32,
    channels: u32,
}

impl Shape {
    fn across(&self) -> u32 {
        self.width.div_ceil(SIDE)
    }
    fn tile_samples(&self) -> usize {
        (SIDE * SIDE * self.channels) as usize
    }
    fn tile_start<T>(&self, tx: u32, ty: u32) -> u64 {
        let index = ty as u64 * self.across() as u64 + tx as u64;
        HEADER + index * (self.tile_samples() * size_of::<T>()) as u64
    }
}

/// Bytes that a tiled file of this shape takes on disk.
pub fn bytes_on_disk<T: Sample>(width: u32, height: u32, channels: u32) -> u64 {
    Shape { width, height, channels }.tile_start::<T>(0, height.div_ceil(SIDE))
}

/// Pixels of a region in memory: interleaved, in columns of some width, one column after the other.
#[derive(Debug, Clone, Copy)]
pub struct Part<'a, T> {
    samples: &'a [T],
    x: u32,
    y: u32,
    width: u32,
    height: u32,
    channels: usize,
}

impl<'a, T> Part<'a, T> {
    /// The region whose rows are `samples`.
    pub fn of_rows(samples: &'a [T], region: Region, channels: usize) -> Self {
        let Region { x, y, width, height } = region;
        assert!(samples.len() == region.area() * channels, "samples for all pixels");
        Self { samples, x, y, width, height, channels }
    }

    /// A picture of `height` rows, whose `samples` are columns of `width` pixels one after the other.
    pub fn of_columns(samples: &'a [T], width: u32, height: u32, channels: usize) -> Self {
        Self { samples, x: 0, y: 0, width, height, channels }
    }

    /// `width` pixels from column `x` of row `y` on, all inside the region, in contiguous pieces.
    pub fn runs(&self, x: u32, y: u32, width: u32) -> impl Iterator<Item = &'a [T]> + use<'a, T> {
        let Self { samples, width: columns, height, channels, .. } = *self;
        let (mut x, stop, y) = (x - self.x, x - self.x + width, y - self.y);
        std::iter::from_fn(move || {
            let (column, inside) = (x / columns, x % columns);
            let next = stop.min((column + 1) * columns);
            let pixel = (column as usize * height as usize + y as usize) * columns as usize;
            let at = (pixel + inside as usize) * channels;
            let run = (x < stop).then(|| &samples[at..at + (next - x) as usize * channels]);
            x = next;
            run
        })
    }
}

/// A finished tiled file, open for reading from any thread.
#[derive(Debug)]
pub struct TiledFile<T> {
    file: File,
    path: PathBuf,
    shape: Shape,
    sample: std::marker::PhantomData<T>,
}

impl<T: Sample> TiledFile<T> {
    /// Opens a file that a [`TileWriter`] finished.
    ///
    /// # Errors
    /// [`PictureError::Damaged`] for other files, and for another sample type.
    pub fn open(path: &Path) -> Result<Self, PictureError> {
        let io = PictureError::io(path);
        let file = File::open(path).map_err(&io)?;
        let mut header = [0u8; 24];
        file.read_exact_at(&mut header, 0).map_err(&io)?;
        let word = |i: usize| u32::from_le_bytes(header[i..i + 4].try_into().expect("four bytes"));
        if &header[..8] != MAGIC || word(20) != T::CODE {
            return Err(PictureError::damaged(path, "not a tile file of this kind"));
        }
        let shape = Shape { width: word(8), height: word(12), channels: word(16) };
        Ok(Self { file, path: path.to_owned(), shape, sample: Default::default() })
    }

    /// Width in pixels.
    pub fn width(&self) -> u32 {
        self.shape.width
    }
    /// Height in pixels.
    pub fn height(&self) -> u32 {
        self.shape.height
    }
    /// Samples of one pixel.
    pub fn channels(&self) -> usize {
        self.shape.channels as usize
    }

    /// Calls `visit(x, y, samples)` for every run of pixels of `region` that lies in one tile row:
    /// `samples` are the interleaved pixels from column `x` of row `y` on. `region` must lie
    /// inside the picture.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn visit_region(
        &self,
        region: Region,
        buffer: &mut Vec<T>,
        mut visit: impl FnMut(u32, u32, &[T]),
    ) -> Result<(), PictureError> {
        let (right, bottom) = self.inside(region);
        let channels = self.channels();
        let row_samples = SIDE as usize * channels;
        for ty in region.y / SIDE..bottom.div_ceil(SIDE) {
            let top = region.y.max(ty * SIDE);
            let end = bottom.min((ty + 1) * SIDE);
            let rows = (end - top) as usize;
            if buffer.len() < rows * row_samples {
                buffer.resize(rows * row_samples, T::default());
            }
            let buffer = &mut buffer[..rows * row_samples];
            for tx in region.x / SIDE..right.div_ceil(SIDE) {
                let left = region.x.max(tx * SIDE);
                let stop = right.min((tx + 1) * SIDE);
                self.read_rows(tx, top, buffer)?;
                let inside = (left - tx * SIDE) as usize * channels;
                let length = (stop - left) as usize * channels;
                for row in 0..rows {
                    let at = row * row_samples + inside;
                    visit(left, top + row as u32, &buffer[at..at + length]);
                }
            }
        }
        Ok(())
    }

    /// Reads the tiles of `region`, which must lie inside the picture, into `buffer`.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn part<'a>(
        &self,
        region: Region,
        buffer: &'a mut Vec<T>,
    ) -> Result<Part<'a, T>, PictureError> {
        let (right, bottom) = self.inside(region);
        let columns = region.x / SIDE..right.div_ceil(SIDE);
        let row_samples = SIDE as usize * self.channels();
        let need = columns.len() * region.height as usize * row_samples;
        if buffer.len() < need {
            buffer.resize(need, T::default());
        }
        let buffer = &mut buffer[..need];
        let mut rest = &mut buffer[..];
        for tx in columns {
            let mut top = region.y;
            while top < bottom {
                let end = bottom.min((top / SIDE + 1) * SIDE);
                let (now, later) = rest.split_at_mut((end - top) as usize * row_samples);
                self.read_rows(tx, top, now)?;
                (top, rest) = (end, later);
            }
        }
        let [x, y] = [region.x / SIDE * SIDE, region.y];
        Ok(Part {
            samples: buffer,
            x,
            y,
            width: SIDE,
            height: region.height,
            channels: self.channels(),
        })
    }

    /// Right and bottom of a region, which must lie inside the picture.
    fn inside(&self, region: Region) -> (u32, u32) {
        let (right, bottom) = (region.x + region.width, region.y + region.height);
        assert!(right <= self.shape.width && bottom <= self.shape.height, "region inside picture");
        (right, bottom)
    }

    /// Reads rows of one tile from row `top` of the picture on, as many as `out` holds.
    fn read_rows(&self, tx: u32, top: u32, out: &mut [T]) -> Result<(), PictureError> {
        let row_bytes = SIDE as usize * self.channels() * size_of::<T>();
        let skip = (top % SIDE) as usize * row_bytes;
        let start = self.shape.tile_start::<T>(tx, top / SIDE) + skip as u64;
        self.file.read_exact_at(cast_slice_mut(out), start).map_err(PictureError::io(&self.path))
    }

    /// Reads `region` as interleaved rows.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn read_region(&self, region: Region) -> Result<Vec<T>, PictureError> {
        let channels = self.channels();
        let mut out = vec![T::default(); region.area() * channels];
        self.visit_region(region, &mut Vec::new(), |x, y, samples| {
            let row = (y - region.y) as usize * region.width as usize;
            let at = (row + (x - region.x) as usize) * channels;
            out[at..at + samples.len()].copy_from_slice(samples);
        })?;
        Ok(out)
    }
}

/// Writes a tiled file under a temporary name; it appears under its name when it is complete.
pub struct TileWriter<T> {
    temp: NamedTempFile,
    path: PathBuf,
    shape: Shape,
    sample: std::marker::PhantomData<T>,
}

impl<T: Sample> TileWriter<T> {
    /// Begins a file of `width` x `height` pixels with `channels` samples each.
    ///
    /// # Errors
    /// [`PictureError::Io`] when the folder cannot be written.
    pub fn create(
        path: &Path,
        width: u32,
        height: u32,
        channels: u32,
    ) -> Result<Self, PictureError> {
        let io = PictureError::io(path);
        let folder = path.parent().unwrap_or(Path::new("."));
        std::fs::create_dir_all(folder).map_err(&io)?;
        let temp = aside::create(folder, Readers::Owner).map_err(&io)?;
        let mut header = Vec::from(MAGIC.as_slice());
        for word in [width, height, channels, T::CODE] {
            header.extend_from_slice(&word.to_le_bytes());
        }
        temp.as_file().write_all_at(&header, 0).map_err(&io)?;
        temp.as_file().set_len(bytes_on_disk::<T>(width, height, channels)).map_err(&io)?;
        let shape = Shape { width, height, channels };
        Ok(Self { temp, path: path.to_owned(), shape, sample: Default::default() })
    }

    /// Writes interleaved rows of `region`, whose left and top must be multiples of [`SIDE`]; safe
    /// from several threads for different regions.
    ///
    /// # Errors
    /// [`PictureError::Io`], as when the disk is full.
    pub fn write_region(&self, region: Region, samples: &[T]) -> Result<(), PictureError> {
        assert!(region.x.is_multiple_of(SIDE) && region.y.is_multiple_of(SIDE), "on the tile grid");
        let channels = self.shape.channels as usize;
        let mut tile = vec![T::default(); self.shape.tile_samples()];
        for ty in 0..region.height.div_ceil(SIDE) {
            let rows = SIDE.min(region.height - ty * SIDE);
            for tx in 0..region.width.div_ceil(SIDE) {
                let columns = SIDE.min(region.width - tx * SIDE) as usize;
                for row in 0..rows {
                    let from = ((ty * SIDE + row) as usize * region.width as usize
                        + (tx * SIDE) as usize)
                        * channels;
                    let to = row as usize * SIDE as usize * channels;
                    tile[to..to + columns * channels]
                        .copy_from_slice(&samples[from..from + columns * channels]);
                }
                let start = self.shape.tile_start::<T>(region.x / SIDE + tx, region.y / SIDE + ty);
                self.temp
                    .as_file()
                    .write_all_at(cast_slice(&tile), start)
                    .map_err(PictureError::io(&self.path))?;
            }
        }
        Ok(())
    }

    /// The tiles written so far, for reading.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn so_far(&self) -> Result<TiledFile<T>, PictureError> {
        let file = self.temp.as_file().try_clone().map_err(PictureError::io(&self.path))?;
        let path = self.path.clone();
        Ok(TiledFile { file, path, shape: self.shape, sample: Default::default() })
    }

    /// Gives the file its name. With `sync` its contents are on the disk before that.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn finish(self, sync: bool) -> Result<TiledFile<T>, PictureError> {
        let Self { temp, path, .. } = self;
        if sync {
            temp.as_file().sync_all().map_err(PictureError::io(&path))?;
        }
        let file = temp.persist(&path).map_err(|e| PictureError::io(&path)(e.error))?;
        Ok(TiledFile { file, path, shape: self.shape, sample: Default::default() })
    }
}

/// Writes a tiled file from rows in order, any number at a time.
pub struct RowWriter<T> {
    tiles: TileWriter<T>,
    /// Rows that do not fill whole tiles yet, and the number of the first.
    band: Vec<T>,
    top: u32,
}

impl<T: Sample> RowWriter<T> {
    /// Begins a file at `path`.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn create(
        path: &Path,
        width: u32,
        height: u32,
        channels: u32,
    ) -> Result<Self, PictureError> {
        let tiles = TileWriter::create(path, width, height, channels)?;
        Ok(Self { tiles, band: Vec::new(), top: 0 })
    }

    /// Takes the next whole rows.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn write(&mut self, samples: &[T]) -> Result<(), PictureError> {
        let Shape { width, height, channels } = self.tiles.shape;
        let row = width as usize * channels as usize;
        let region = |top, rows| Region { x: 0, y: top, width, height: rows };
        let whole = (samples.len() / row) as u32;
        // Whole rows of tiles are written without gathering.
        let last = self.top + whole == height && whole <= SIDE;
        if self.band.is_empty() && (whole == SIDE || last) {
            self.tiles.write_region(region(self.top, whole), samples)?;
            self.top += whole;
            return Ok(());
        }
        for one in samples.chunks_exact(row) {
            self.band.extend_from_slice(one);
            let rows = (self.band.len() / row) as u32;
            if rows == SIDE || self.top + rows == height {
                self.tiles.write_region(region(self.top, rows), &self.band)?;
                self.top += rows;
                self.band.clear();
            }
        }
        Ok(())
    }

    /// Gives the file its name, once all rows are written.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn finish(self) -> Result<TiledFile<T>, PictureError> {
        self.tiles.finish(false)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]
        #[test]
        fn any_region_reads_what_was_written(
            width in 1u32..400, height in 1u32..300, channels in 1u32..4,
            (fx, fy, fw, fh) in (0.0..1.0f64, 0.0..1.0f64, 0.0..1.0f64, 0.0..1.0f64),
        ) {
            let folder = tempfile::tempdir().unwrap();
            let path = folder.path().join("t.tiles");
            let value = |x: u32, y: u32, c: u32| (x * 7 + y * 1301 + c * 17) as u16;
            let writer = TileWriter::<u16>::create(&path, width, height, channels).unwrap();
            for part in Region::covering(width, height, [2 * SIDE; 2]) {
                let mut samples = Vec::new();
                for y in part.y..part.y + part.height {
                    for x in part.x..part.x + part.width {
                        samples.extend((0..channels).map(|c| value(x, y, c)));
                    }
                }
                writer.write_region(part, &samples).unwrap();
            }
            prop_assert!(!path.exists(), "appears only when finished");
            writer.finish(false).unwrap();
            let file = TiledFile::<u16>::open(&path).unwrap();
            let x = (fx * width as f64) as u32;
            let y = (fy * height as f64) as u32;
            let region = Region {
                x, y,
                width: 1 + (fw * (width - x - 1) as f64) as u32,
                height: 1 + (fh * (height - y - 1) as f64) as u32,
            };
            let read = file.read_region(region).unwrap();
            let mut buffer = vec![];
            let part = file.part(region, &mut buffer).unwrap();
            for y in 0..region.height {
                let runs: Vec<u16> =
                    part.runs(region.x, region.y + y, region.width).flatten().copied().collect();
                let row = region.width as usize * channels as usize;
                prop_assert_eq!(&runs, &read[y as usize * row..(y as usize + 1) * row]);
            }
            for (i, &sample) in read.iter().enumerate() {
                let pixel = i as u32 / channels;
                let (px, py) = (region.x + pixel % region.width, region.y + pixel / region.width);
                prop_assert_eq!(sample, value(px, py, i as u32 % channels));
            }
        }
    }

    #[test]
    fn a_file_of_another_kind_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("t.tiles");
        TileWriter::<f32>::create(&path, 3, 3, 1).unwrap().finish(false).unwrap();
        assert!(TiledFile::<u16>::open(&path).is_err());
    }

    #[test]
    fn a_region_is_widened_as_far_as_its_picture_goes() {
        let region = Region { x: 3, y: 40, width: 20, height: 10 };
        let wider = region.widened(5, (100, 52));
        assert_eq!(wider, Region { x: 0, y: 35, width: 28, height: 17 });
    }
}
