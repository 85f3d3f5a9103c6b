//! Unpacks the bytes of a strip or tile.

use super::form::{Form, Packing};
use crate::PictureError;
use crate::read::jpeg;
use libdeflater::{DecompressionError, Decompressor};
use std::fs::File;
use std::io::Read;
use std::os::unix::fs::FileExt;
use std::path::Path;
use weezl::LzwStatus;

/// Buffers that all strips or tiles of a file share.
#[derive(Default)]
pub struct Unpacker {
    packed: Vec<u8>,
    inflater: Option<Inflater>,
}

struct Inflater(Decompressor);

impl Unpacker {
    /// Reads the strip or tile at an offset, and unpacks it into `out`, which is as long as the
    /// output. Further bytes are padding.
    ///
    /// # Errors
    /// [`PictureError::Damaged`] if the output is too short, [`PictureError::Io`].
    pub fn unpack(
        &mut self,
        path: &Path,
        file: &File,
        form: &Form,
        (at, length): (u64, u64),
        out: &mut [u8],
    ) -> Result<(), PictureError> {
        let Self { packed, inflater } = self;
        packed.resize(length as usize, 0);
        file.read_exact_at(packed, at).map_err(PictureError::io(path))?;
        if form.reversed {
            packed.iter_mut().for_each(|byte| *byte = byte.reverse_bits());
        }
        let wrong_length = || PictureError::damaged(path, "a strip or tile of the wrong length");
        let broken = |_| PictureError::damaged(path, "a strip or tile that cannot be unpacked");
        match form.packing {
            Packing::None => {
                let plain = packed.get(..out.len()).ok_or_else(wrong_length)?;
                out.copy_from_slice(plain);
                Ok(())
            }
            Packing::Lzw => {
                read(Lzw::new(packed), out).map_err(broken)?.then_some(()).ok_or_else(wrong_length)
            }
            Packing::PackBits => {
                let whole = packed_bits(packed, out);
                whole.then_some(()).ok_or_else(wrong_length)
            }
            Packing::Zstd => {
                let decoder = zstd::Decoder::with_buffer(packed.as_slice()).map_err(broken)?;
                read(decoder, out).map_err(broken)?.then_some(()).ok_or_else(wrong_length)
            }
            Packing::Deflate => {
                let inflater = &mut inflater.get_or_insert_with(|| Inflater(Decompressor::new())).0;
                match inflater.zlib_decompress(packed, out) {
                    Ok(unpacked) if unpacked == out.len() => Ok(()),
                    Ok(_) => Err(wrong_length()),
                    Err(DecompressionError::InsufficientSpace) => {
                        let decoder = flate2::bufread::ZlibDecoder::new(packed.as_slice());
                        read(decoder, out).map_err(broken)?.then_some(()).ok_or_else(wrong_length)
                    }
                    Err(_) => Err(broken(std::io::Error::other("deflate"))),
                }
            }
            Packing::Jpeg { ycbcr } => {
                let samples = jpeg::samples(path, &with_tables(packed, &form.tables), ycbcr)?;
                let samples = samples.get(..out.len()).ok_or_else(wrong_length)?;
                out.copy_from_slice(samples);
                Ok(())
            }
        }
    }
}

/// Fills `out`; false if the source ends before.
fn read(mut source: impl Read, out: &mut [u8]) -> std::io::Result<bool> {
    match source.read_exact(out) {
        Ok(()) => Ok(true),
        Err(error) if error.kind() == std::io::ErrorKind::UnexpectedEof => Ok(false),
        Err(error) => Err(error),
    }
}

/// LZW codes of TIFF (TIFF 6.0, section 13).
struct Lzw<'a> {
    decoder: weezl::decode::Decoder,
    rest: &'a [u8],
}

impl<'a> Lzw<'a> {
    fn new(packed: &'a [u8]) -> Self {
        let decoder = weezl::decode::Decoder::with_tiff_size_switch(weezl::BitOrder::Msb, 8);
        Self { decoder, rest: packed }
    }
}

impl Read for Lzw<'_> {
    fn read(&mut self, out: &mut [u8]) -> std::io::Result<usize> {
        loop {
            let done = self.decoder.decode_bytes(self.rest, out);
            self.rest = &self.rest[done.consumed_in..];
            match done.status {
                Err(error) => {
                    return Err(std::io::Error::new(std::io::ErrorKind::InvalidData, error));
                }
                // Some codes produce no bytes.
                Ok(LzwStatus::Ok) if done.consumed_out == 0 => {}
                Ok(_) => return Ok(done.consumed_out),
            }
        }
    }
}

/// Packed bits (TIFF 6.0, section 9); false if the output is too short.
fn packed_bits(mut packed: &[u8], mut out: &mut [u8]) -> bool {
    while !out.is_empty() {
        let [head, rest @ ..] = packed else { return false };
        let count;
        match *head as i8 {
            -128 => {
                packed = rest;
                continue;
            }
            run @ ..0 => {
                let [value, rest @ ..] = rest else { return false };
                count = (1 - isize::from(run)) as usize;
                let count = count.min(out.len());
                out[..count].fill(*value);
                packed = rest;
            }
            literal => {
                count = literal as usize + 1;
                let Some(bytes) = rest.get(..count) else { return false };
                let count = count.min(out.len());
                out[..count].copy_from_slice(&bytes[..count]);
                packed = &rest[bytes.len()..];
            }
        }
        let count = count.min(out.len());
        out = &mut out[count..];
    }
    true
}

/// A JPEG strip with the shared tables inserted; these are stored as a JPEG without a picture.
fn with_tables(strip: &[u8], tables: &[u8]) -> Vec<u8> {
    match (tables, strip) {
        ([0xff, 0xd8, tables @ .., 0xff, 0xd9], [0xff, 0xd8, rest @ ..]) => {
            [&[0xff, 0xd8], tables, rest].concat()
        }
        _ => strip.to_vec(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn packed_bits_are_unpacked_and_missing_ones_noticed() {
        // The example in the standard.
        let packed = [
            0xfe, 0xaa, 0x02, 0x80, 0x00, 0x2a, 0xfd, 0xaa, 0x03, 0x80, 0x00, 0x2a, 0x22, 0xf7,
            0xaa,
        ];
        let mut out = [0; 24];
        assert!(packed_bits(&packed, &mut out));
        assert_eq!(out[..7], [0xaa, 0xaa, 0xaa, 0x80, 0x00, 0x2a, 0xaa]);
        assert_eq!(out[14..], [0xaa; 10]);
        assert!(!packed_bits(&packed, &mut [0; 25]));
        assert!(!packed_bits(&packed[..5], &mut out));
    }
}
