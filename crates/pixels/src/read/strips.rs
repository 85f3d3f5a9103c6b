//! Rows of TIFFs whose pixels lie in strips, plain or compressed by deflate: nearly all that
//! cameras' raw converters write. What the `tiff` crate would decode strip by strip into fresh
//! memory is inflated here into one buffer, or as a stream where a strip is as large as a picture,
//! so that memory stays small however the file was cut.

use super::{Layout, Rows};
use crate::PictureError;
use libdeflater::Decompressor;
use std::fs::File;
use std::io::{BufReader, Read};
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};

/// A strip of more bytes than this is read as a stream.
const LARGE: usize = 32 << 20;

/// How the samples of a file are written.
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
    /// Place and length in the file, top to bottom.
    pub places: Vec<(u64, u64)>,
}

impl Strips {
    /// Decodes all rows, `band_rows` at a time.
    ///
    /// # Errors
    /// [`PictureError`] of the file, or what `rows` returned.
    pub fn rows(&self, band_rows: u32, rows: Rows) -> Result<(), PictureError> {
        let io = PictureError::io(&self.path);
        let file = File::open(&self.path).map_err(&io)?;
        let row_samples = self.width as usize * self.layout.stride();
        let row_bytes = row_samples * self.coding.bytes_per_sample;
        let mut memory = Memory::default();
        let mut band: Vec<u16> = Vec::new();
        let (mut top, mut held) = (0, 0);
        for (index, place) in self.places.iter().enumerate() {
            let first = index as u32 * self.rows_per_strip;
            let tall = self.rows_per_strip.min(self.height - first);
            let last = first + tall == self.height;
            let need = tall as usize * row_bytes;
            let mut strip = self.open(&file, *place, need, &mut memory, last)?;
            let mut done = 0;
            while done < tall {
                let some = (tall - done).min(band_rows - held);
                let raw = strip.next(some as usize * row_bytes, &self.path)?;
                for row in raw.chunks_exact(row_bytes) {
                    self.coding.decode(row, self.layout, &mut band);
                }
                done += some;
                held += some;
                if held == band_rows || top + held == self.height {
                    rows(top, &band)?;
                    band.clear();
                    (top, held) = (top + held, 0);
                }
            }
            strip.end().map_err(|_| self.broken())?;
        }
        Ok(())
    }

    fn open<'a>(
        &self,
        file: &'a File,
        (at, long): (u64, u64),
        need: usize,
        memory: &'a mut Memory,
        last: bool,
    ) -> Result<Strip<'a>, PictureError> {
        let io = PictureError::io(&self.path);
        let Memory { packed, unpacked, inflater } = memory;
        let large = need > LARGE || long as usize > LARGE;
        if large || !self.coding.deflate {
            let part = BufReader::with_capacity(1 << 20, Part { file, at, left: long });
            let source: Box<dyn Read + 'a> = match self.coding.deflate {
                true => Box::new(flate2::bufread::ZlibDecoder::new(part)),
                false => Box::new(part),
            };
            return Ok(Strip::Stream(source, unpacked));
        }
        packed.resize(long as usize, 0);
        file.read_exact_at(packed, at).map_err(io)?;
        unpacked.resize(need, 0);
        let inflater = &mut inflater.get_or_insert_with(|| Inflater(Decompressor::new())).0;
        match inflater.zlib_decompress(packed, unpacked) {
            Ok(long) if long == need => Ok(Strip::Whole(unpacked)),
            Ok(_) => Err(self.wrong_length()),
            // A last strip may be written taller than the picture goes on.
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

/// Buffers that all strips of a file use.
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

    /// Checks a stream's own sum, which stands behind its last byte.
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
    /// Appends one row as red, green and blue of 16 bit.
    fn decode(self, row: &[u8], layout: Layout, out: &mut Vec<u16>) {
        let word = |b: &[u8]| u16::from_le_bytes([b[0], b[1]]);
        match (self.bytes_per_sample, layout, self.differences, self.big_endian) {
            (2, Layout::Rgb { stride: 3 }, true, false) => {
                let first = out.len();
                out.resize(first + row.len() / 2, 0);
                let mut sum = [0u16; 3];
                for (to, pixel) in out[first..].chunks_exact_mut(3).zip(row.chunks_exact(6)) {
                    for c in 0..3 {
                        sum[c] = sum[c].wrapping_add(word(&pixel[2 * c..2 * c + 2]));
                        to[c] = sum[c];
                    }
                }
            }
            (2, Layout::Rgb { stride: 3 }, false, false) => {
                out.extend(row.chunks_exact(2).map(word));
            }
            (2, ..) => {
                let big = |b: &[u8]| u16::from_be_bytes([b[0], b[1]]);
                let words = row.chunks_exact(2).map(if self.big_endian { big } else { word });
                let mut samples: Vec<u16> = words.collect();
                if self.differences {
                    let stride = layout.stride();
                    for i in stride..samples.len() {
                        samples[i] = samples[i].wrapping_add(samples[i - stride]);
                    }
                }
                layout.append(samples.into_iter(), out);
            }
            _ => {
                let mut samples = row.to_vec();
                if self.differences {
                    let stride = layout.stride();
                    for i in stride..samples.len() {
                        samples[i] = samples[i].wrapping_add(samples[i - stride]);
                    }
                }
                layout.append_bytes(&samples, out);
            }
        }
    }
}
