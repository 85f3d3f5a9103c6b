//! Reads the directories of TIFF files, and of other files built like them (TIFF 6.0, section 2,
//! and BigTIFF).

use crate::{PictureError, regular};
use std::collections::BTreeMap;
use std::fs::File;
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};

/// Most bytes of one value: a profile, or the offsets of all tiles of the largest picture.
const MOST_BYTES: u64 = 64 << 20;
/// Most entries of one directory.
const MOST_ENTRIES: u64 = 4096;
/// Most directories that are read in one file.
const MOST_DIRECTORIES: usize = 64;

/// Numbers of the tags that are used.
pub mod tag {
    pub const NEW_SUBFILE_TYPE: u16 = 254;
    pub const SUBFILE_TYPE: u16 = 255;
    pub const WIDTH: u16 = 256;
    pub const HEIGHT: u16 = 257;
    pub const BITS: u16 = 258;
    pub const COMPRESSION: u16 = 259;
    pub const PHOTOMETRIC: u16 = 262;
    pub const FILL_ORDER: u16 = 266;
    pub const STRIP_OFFSETS: u16 = 273;
    pub const SAMPLES: u16 = 277;
    pub const ROWS_PER_STRIP: u16 = 278;
    pub const STRIP_LENGTHS: u16 = 279;
    pub const PLANAR: u16 = 284;
    pub const PREDICTOR: u16 = 317;
    pub const TILE_WIDTH: u16 = 322;
    pub const TILE_HEIGHT: u16 = 323;
    pub const TILE_OFFSETS: u16 = 324;
    pub const TILE_LENGTHS: u16 = 325;
    pub const SUB_DIRECTORIES: u16 = 330;
    pub const SAMPLE_FORMAT: u16 = 339;
    pub const JPEG_TABLES: u16 = 347;
    pub const EXIF: u16 = 34_665;
    pub const PROFILE: u16 = 34_675;
    pub const GPS: u16 = 34_853;
    pub const INTEROPERABILITY: u16 = 40_965;
    pub const DNG_VERSION: u16 = 50_706;
}

/// A file of directories.
pub struct Directories {
    file: File,
    path: PathBuf,
    /// Its length in bytes.
    pub length: u64,
    big_endian: bool,
    /// Whether offsets have 64 bits.
    big: bool,
    /// Offset of the first directory.
    first: u64,
}

/// One directory.
#[derive(Debug, Clone, Default)]
pub struct Directory {
    entries: BTreeMap<u16, Entry>,
    /// Offset of the next one; 0 if there is none.
    next: u64,
}

/// One entry: the type and number of its values, and the bytes that hold them or their offset.
#[derive(Debug, Clone)]
pub struct Entry {
    pub kind: u16,
    pub count: u64,
    pub field: [u8; 8],
}

/// Bytes of one value of a type.
fn size_of(kind: u16) -> Option<u64> {
    match kind {
        1 | 2 | 6 | 7 => Some(1),
        3 | 8 => Some(2),
        4 | 9 | 11 | 13 => Some(4),
        5 | 10 | 12 | 16 | 17 | 18 => Some(8),
        _ => None,
    }
}

impl Directories {
    /// Opens a file; `None` if it does not begin like a TIFF file. The marks of Olympus, Panasonic
    /// and others are not accepted here.
    ///
    /// # Errors
    /// [`PictureError::Io`], [`PictureError::NoFile`].
    pub fn open(path: &Path) -> Result<Option<Self>, PictureError> {
        Self::marked(path, |mark| match mark {
            b"II*\0" => Some((false, false)),
            b"MM\0*" => Some((true, false)),
            b"II+\0" => Some((false, true)),
            b"MM\0+" => Some((true, true)),
            _ => None,
        })
    }

    /// [`Directories::open`] that also accepts the marks of Olympus and Panasonic.
    ///
    /// # Errors
    /// [`PictureError::Io`], [`PictureError::NoFile`].
    #[cfg(feature = "raw")]
    pub fn of_camera(path: &Path) -> Result<Option<Self>, PictureError> {
        Self::marked(path, |mark| match mark {
            b"II*\0" | b"IIRO" | b"IIRS" | b"IIU\0" => Some((false, false)),
            b"MM\0*" | b"MMOR" | b"MMSR" | b"MM\0U" => Some((true, false)),
            _ => None,
        })
    }

    /// Offset of the first directory; 0 if there is none.
    #[cfg(feature = "raw")]
    pub fn first(&self) -> u64 {
        self.first
    }

    /// Opens a file. From its mark, `known` tells whether its numbers are big-endian, and whether
    /// its offsets have 64 bits.
    fn marked(
        path: &Path,
        known: impl FnOnce(&[u8; 4]) -> Option<(bool, bool)>,
    ) -> Result<Option<Self>, PictureError> {
        let file = regular::open(path)?;
        let io = PictureError::io(path);
        let length = file.metadata().map_err(&io)?.len();
        let mut header = [0; 16];
        let mut have = 0;
        while have < header.len() {
            match file.read_at(&mut header[have..], have as u64).map_err(&io)? {
                0 => break,
                read => have += read,
            }
        }
        let [a, b, c, d, ..] = header;
        let Some((big_endian, big)) = known(&[a, b, c, d]) else { return Ok(None) };
        let path = path.to_owned();
        let mut all = Self { file, path, length, big_endian, big, first: 0 };
        all.first = match big {
            true => all.number(&header[8..16]),
            false => all.number(&header[4..8]),
        };
        Ok(Some(all))
    }

    /// Whether numbers are stored with their highest byte first.
    pub fn is_big_endian(&self) -> bool {
        self.big_endian
    }

    /// The whole number in some bytes.
    pub fn number(&self, bytes: &[u8]) -> u64 {
        let add = |sum: u64, byte: &u8| sum << 8 | u64::from(*byte);
        match self.big_endian {
            true => bytes.iter().fold(0, add),
            false => bytes.iter().rev().fold(0, add),
        }
    }

    /// Bytes of the file from an offset on.
    ///
    /// # Errors
    /// [`PictureError::Truncated`] if the file ends before, [`PictureError::Io`].
    pub fn bytes(&self, at: u64, count: u64) -> Result<Vec<u8>, PictureError> {
        let end = at.saturating_add(count);
        if count > MOST_BYTES {
            return Err(PictureError::damaged(&self.path, "a value without end in its header"));
        }
        if end > self.length {
            let (path, have) = (self.path.clone(), self.length);
            return Err(PictureError::Truncated { path, have, need: end });
        }
        let mut bytes = vec![0; count as usize];
        self.file.read_exact_at(&mut bytes, at).map_err(PictureError::io(&self.path))?;
        Ok(bytes)
    }

    /// Reads a directory.
    ///
    /// # Errors
    /// [`PictureError::Truncated`], [`PictureError::Damaged`], [`PictureError::Io`].
    pub fn directory(&self, at: u64) -> Result<Directory, PictureError> {
        let (entries, next) = self.entries(at)?;
        Ok(Directory { entries: entries.into_iter().collect(), next })
    }

    /// The tags and entries of a directory, in the file's order, and the offset of the next
    /// directory; 0 if there is none.
    ///
    /// # Errors
    /// As for [`Directories::directory`].
    pub fn entries(&self, at: u64) -> Result<(Vec<(u16, Entry)>, u64), PictureError> {
        let (count_bytes, field) = if self.big { (8, 8) } else { (2, 4) };
        let count = self.number(&self.bytes(at, count_bytes)?);
        if count > MOST_ENTRIES {
            return Err(PictureError::damaged(&self.path, "a directory with too many entries"));
        }
        let entry = 4 + 2 * field;
        let begin = at + count_bytes;
        let bytes = self.bytes(begin, count * entry)?;
        // Some writers end the file without the next offset.
        let next = self.bytes(begin + count * entry, field);
        let next = next.map_or(0, |bytes| self.number(&bytes));
        let entries = bytes.chunks_exact(entry as usize).map(|bytes| {
            let (head, value) = bytes.split_at(4 + field as usize);
            let mut padded = [0; 8];
            padded[..value.len()].copy_from_slice(value);
            let kind = self.number(&head[2..4]) as u16;
            let count = self.number(&head[4..]);
            (self.number(&head[..2]) as u16, Entry { kind, count, field: padded })
        });
        Ok((entries.collect(), next))
    }

    /// All directories of pictures: each of the chain, followed by those below it.
    ///
    /// # Errors
    /// Those of the first one. Others that cannot be read are skipped, because they may be private.
    pub fn all(&self) -> Result<Vec<Directory>, PictureError> {
        let (mut all, mut visited, mut at) = (vec![], vec![], self.first);
        while at != 0 && !visited.contains(&at) && all.len() < MOST_DIRECTORIES {
            visited.push(at);
            let directory = match self.directory(at) {
                Ok(directory) => directory,
                Err(error) if all.is_empty() => return Err(error),
                Err(_) => break,
            };
            at = directory.next;
            let below = self.numbers(&directory, tag::SUB_DIRECTORIES)?.unwrap_or_default();
            all.push(directory);
            for place in below.into_iter().take(MOST_DIRECTORIES) {
                if !visited.contains(&place) {
                    visited.push(place);
                    all.extend(self.directory(place).ok());
                }
            }
        }
        Ok(all)
    }

    /// The directory that an entry of another one points to, if it can be read.
    pub fn led_to(&self, from: &Directory, tag: u16) -> Option<Directory> {
        let place = *self.numbers(from, tag).ok()??.first()?;
        self.directory(place).ok()
    }

    /// An entry's type and the bytes of its values, as stored.
    ///
    /// # Errors
    /// [`PictureError::Truncated`], [`PictureError::Io`].
    pub fn value(&self, of: &Directory, tag: u16) -> Result<Option<(u16, Vec<u8>)>, PictureError> {
        let Some(Entry { kind, count, field }) = of.entries.get(&tag) else { return Ok(None) };
        let Some(size) = size_of(*kind) else { return Ok(None) };
        let length = count.saturating_mul(size);
        let inline = if self.big { 8 } else { 4 };
        let bytes = match length <= inline {
            true => field[..length as usize].to_vec(),
            false => self.bytes(self.number(&field[..inline as usize]), length)?,
        };
        Ok(Some((*kind, bytes)))
    }

    /// Whole numbers of an entry; `None` if it has none.
    ///
    /// # Errors
    /// [`PictureError::Truncated`], [`PictureError::Io`].
    pub fn numbers(&self, of: &Directory, tag: u16) -> Result<Option<Vec<u64>>, PictureError> {
        let Some((kind, bytes)) = self.value(of, tag)? else { return Ok(None) };
        if !matches!(kind, 1 | 3 | 4 | 7 | 13 | 16 | 18) {
            return Ok(None);
        }
        let size = size_of(kind).unwrap_or(1) as usize;
        Ok(Some(bytes.chunks_exact(size).map(|chunk| self.number(chunk)).collect()))
    }

    /// The first whole number of an entry.
    ///
    /// # Errors
    /// As for [`Directories::numbers`].
    pub fn first_number(&self, of: &Directory, tag: u16) -> Result<Option<u64>, PictureError> {
        Ok(self.numbers(of, tag)?.and_then(|all| all.first().copied()))
    }
}

impl Directory {
    /// Whether there is an entry.
    pub fn has(&self, tag: u16) -> bool {
        self.entries.contains_key(&tag)
    }
}
