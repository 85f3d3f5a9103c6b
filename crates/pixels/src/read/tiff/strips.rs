//! Rows of TIFFs whose pixels are stored in strips, plain or compressed by deflate, as most raw
//! converters write. Strips are inflated into one buffer, or as a stream if a strip is as large as
//! a picture, so that memory stays small however the file was cut.

use crate::PictureError;
use crate::read::layout::{Layout, widened};
use crate::read::rows::Rows;
use crate::regular;
use crate::tiled::Region;
use libdeflater::Decompressor;
use std::fs::File;
use std::io::{BufReader, Read};
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};

/// Bytes from which a strip is read as a stream.
const LARGE: usize = 32 << 20;
/// Bytes that a stream reads at a time.
const STREAMED: usize = 1 << 20;

fn is_large(unpacked: usize, packed: u64) -> bool {
    unpacked > LARGE || packed as usize > LARGE
}

/// The form of a file's samples.
#[derive(Clone, Copy)]
pub struct Coding {
    pub deflate: bool,
    /// Samples are differences to their left neighbour.
    pub differences: bool,
    pub big_endian: bool,
    /// 1 or 2.
    pub bytes_per_sample: usize,
}

/// The strips of one picture.
pub struct Strips {
    pub path: PathBuf,
    pub width: u32,
    pub height: u32,
    pub layout: Layout,
    pub coding: Coding,
    pub rows_per_strip: u32,
    /// Offset and length in the file, top to bottom.
    pub places: Vec<(u64, u64)>,
}

impl Strips {
    /// Decodes all rows, `band_rows` at a time.
    ///
    /// # Errors
    /// [`PictureError`] of the file, or what `rows` returned.
    pub fn rows(&self, band_rows: u32, rows: Rows) -> Result<(), PictureError> {
        let row_samples = self.width as usize * 3;
        let mut band = vec![0; row_samples * band_rows.min(self.height) as usize];
        self.each(band_rows, |y, raw| {
            let top = y / band_rows * band_rows;
            let held = (y - top) as usize * row_samples;
            let end = held + self.decode(raw, &mut band[held..]);
            let whole = top + (end / row_samples) as u32;
            if whole == top + band_rows || whole == self.height {
                rows(top, &band[..end])?;
            }
            Ok(())
        })
    }

    /// Bytes that decoding takes at most besides its output.
    pub fn decoding_bytes(&self) -> u64 {
        let unpacked = self.rows_per_strip.min(self.height) as u64 * self.row_bytes() as u64;
        let packed = self.places.iter().map(|(_, length)| *length).max().unwrap_or(0);
        match self.coding.deflate && !is_large(unpacked as usize, packed) {
            true => unpacked + packed,
            false => STREAMED as u64 + 64 * self.row_bytes() as u64,
        }
    }

    /// Whether any row can be read without those before it.
    pub fn is_plain(&self) -> bool {
        let tops = (0..self.height).step_by(self.rows_per_strip as usize);
        let whole = self.places.iter().zip(tops).all(|((_, length), top)| {
            let height = self.rows_per_strip.min(self.height - top);
            *length >= height as u64 * self.row_bytes() as u64
        });
        whole && !self.coding.deflate && !self.coding.differences
    }

    /// Reads a region of a plain picture as interleaved red, green and blue. `raw` is a buffer.
    ///
    /// # Errors
    /// [`PictureError::Io`], [`PictureError::Damaged`] when the file is cut short.
    pub fn read_region(
        &self,
        file: &File,
        region: Region,
        raw: &mut Vec<u8>,
        out: &mut [u16],
    ) -> Result<(), PictureError> {
        let pixel_bytes = self.row_bytes() / self.width as usize;
        raw.resize(region.width as usize * pixel_bytes, 0);
        let rows = out.chunks_exact_mut(region.width as usize * 3);
        for (y, row) in (region.y..region.y + region.height).zip(rows) {
            let (strip, inside) = (y / self.rows_per_strip, y % self.rows_per_strip);
            let skip = inside as usize * self.row_bytes() + region.x as usize * pixel_bytes;
            let at = self.places[strip as usize].0 + skip as u64;
            file.read_exact_at(raw, at).map_err(|error| match error.kind() {
                std::io::ErrorKind::UnexpectedEof => self.wrong_length(),
                _ => PictureError::io(&self.path)(error),
            })?;
            self.coding.decode(raw, self.layout, row);
        }
        Ok(())
    }

    fn row_bytes(&self) -> usize {
        self.width as usize * self.layout.stride() * self.coding.bytes_per_sample
    }

    /// Decodes whole rows to the beginning of `out`; returns the number of samples.
    fn decode(&self, raw: &[u8], out: &mut [u16]) -> usize {
        let row_samples = self.width as usize * 3;
        let rows = raw.chunks_exact(self.row_bytes());
        let length = rows.len() * row_samples;
        for (row, out) in rows.zip(out.chunks_exact_mut(row_samples)) {
            self.coding.decode(row, self.layout, out);
        }
        length
    }

    /// Calls `take` with the bytes of all rows from top to bottom, and the number of the first.
    /// Each call has rows of one strip, between multiples of `band_rows`.
    fn each(
        &self,
        band_rows: u32,
        mut take: impl FnMut(u32, &[u8]) -> Result<(), PictureError>,
    ) -> Result<(), PictureError> {
        let file = regular::open(&self.path)?;
        let row_bytes = self.row_bytes();
        let mut memory = Memory::default();
        for (index, place) in self.places.iter().enumerate() {
            let first = index as u32 * self.rows_per_strip;
            let height = self.rows_per_strip.min(self.height - first);
            let end = first + height;
            let need = height as usize * row_bytes;
            let mut strip = self.open(&file, *place, need, &mut memory, end == self.height)?;
            let mut y = first;
            while y < end {
                let some = (end - y).min(band_rows - y % band_rows);
                take(y, strip.next(some as usize * row_bytes, &self.path)?)?;
                y += some;
            }
            strip.end().map_err(|_| self.broken())?;
        }
        Ok(())
    }

    fn open<'a>(
        &self,
        file: &'a File,
        (at, length): (u64, u64),
        need: usize,
        memory: &'a mut Memory,
        last: bool,
    ) -> Result<Strip<'a>, PictureError> {
        let io = PictureError::io(&self.path);
        let Memory { packed, unpacked, inflater } = memory;
        if is_large(need, length) || !self.coding.deflate {
            let part = BufReader::with_capacity(STREAMED, Part { file, at, left: length });
            let source: Box<dyn Read + 'a> = match self.coding.deflate {
                true => Box::new(flate2::bufread::ZlibDecoder::new(part)),
                false => Box::new(part),
            };
            return Ok(Strip::Stream(source, unpacked));
        }
        packed.resize(length as usize, 0);
        file.read_exact_at(packed, at).map_err(io)?;
        unpacked.resize(need, 0);
        let inflater = &mut inflater.get_or_insert_with(|| Inflater(Decompressor::new())).0;
        match inflater.zlib_decompress(packed, unpacked) {
            Ok(length) if length == need => Ok(Strip::Whole(unpacked)),
            Ok(_) => Err(self.wrong_length()),
            // The last strip may have more rows than the picture.
            Err(libdeflater::DecompressionError::InsufficientSpace) if last => {
                let source = || flate2::bufread::ZlibDecoder::new(packed.as_slice());
                std::io::copy(&mut source(), &mut std::io::sink()).map_err(|_| self.broken())?;
                Ok(Strip::Stream(Box::new(source()), unpacked))
            }
            Err(_) => Err(self.broken()),
        }
    }

    fn broken(&self) -> PictureError {
        PictureError::damaged(&self.path, "a strip that cannot be unpacked")
    }

    fn wrong_length(&self) -> PictureError {
        PictureError::damaged(&self.path, "a strip of the wrong length")
    }
}

/// Buffers that all strips of a file share.
#[derive(Default)]
struct Memory {
    packed: Vec<u8>,
    unpacked: Vec<u8>,
    inflater: Option<Inflater>,
}

struct Inflater(Decompressor);

/// The unpacked bytes of one strip.
enum Strip<'a> {
    Whole(&'a [u8]),
    Stream(Box<dyn Read + 'a>, &'a mut Vec<u8>),
}

impl Strip<'_> {
    fn next(&mut self, bytes: usize, path: &Path) -> Result<&[u8], PictureError> {
        match self {
            Self::Whole(rest) => {
                let (now, later) = rest.split_at(bytes);
                *rest = later;
                Ok(now)
            }
            Self::Stream(source, buffer) => {
                buffer.resize(bytes, 0);
                source.read_exact(buffer).map_err(|e| match e.kind() {
                    std::io::ErrorKind::UnexpectedEof => {
                        PictureError::damaged(path, "a strip of the wrong length")
                    }
                    std::io::ErrorKind::InvalidInput | std::io::ErrorKind::InvalidData => {
                        PictureError::damaged(path, "a strip that cannot be unpacked")
                    }
                    _ => PictureError::io(path)(e),
                })?;
                Ok(buffer)
            }
        }
    }

    /// Checks the checksum behind a stream's last byte.
    fn end(self) -> std::io::Result<()> {
        match self {
            Self::Stream(mut source, _) => source.read(&mut [0]).map(|_| ()),
            Self::Whole(_) => Ok(()),
        }
    }
}

/// A stretch of a file, read by position.
struct Part<'a> {
    file: &'a File,
    at: u64,
    left: u64,
}

impl Read for Part<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> std::io::Result<usize> {
        let most = buffer.len().min(self.left as usize);
        let read = self.file.read_at(&mut buffer[..most], self.at)?;
        self.at += read as u64;
        self.left -= read as u64;
        Ok(read)
    }
}

impl Coding {
    /// Decodes pixels of one row to red, green and blue of 16 bit.
    fn decode(self, row: &[u8], layout: Layout, out: &mut [u16]) {
        let word = |b: &[u8; 2]| u16::from_le_bytes(*b);
        let words = row.as_chunks::<2>().0;
        match (self.bytes_per_sample, layout, self.differences, self.big_endian) {
            (2, Layout::Rgb { stride: 3 }, true, false) => {
                let mut sum = [0u16; 3];
                let pixels = out.as_chunks_mut::<3>().0.iter_mut().zip(words.as_chunks::<3>().0);
                for (to, pixel) in pixels {
                    for c in 0..3 {
                        sum[c] = sum[c].wrapping_add(word(&pixel[c]));
                    }
                    *to = sum;
                }
            }
            (2, Layout::Rgb { stride: 3 }, false, false) => {
                out.iter_mut().zip(words).for_each(|(to, bytes)| *to = word(bytes));
            }
            (2, ..) => {
                let big = |b: &[u8; 2]| u16::from_be_bytes(*b);
                let words = words.iter().map(if self.big_endian { big } else { word });
                let mut samples: Vec<u16> = words.collect();
                if self.differences {
                    let stride = layout.stride();
                    for i in stride..samples.len() {
                        samples[i] = samples[i].wrapping_add(samples[i - stride]);
                    }
                }
                layout.put(&samples, |v| v, out);
            }
            _ => {
                let mut samples = row.to_vec();
                if self.differences {
                    let stride = layout.stride();
                    for i in stride..samples.len() {
                        samples[i] = samples[i].wrapping_add(samples[i - stride]);
                    }
                }
                layout.put(&samples, widened, out);
            }
        }
    }
}
