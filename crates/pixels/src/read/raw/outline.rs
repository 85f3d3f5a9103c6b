//! What a directory announces, read whatever is wrong with it (TIFF 6.0, section 2).

use crate::read::tiff::directory::{Directories, size_of};

/// Entries of one directory at most, as the raw library has it.
const MOST_ENTRIES: u64 = 4096;
/// Bytes of an entry, and of the field in it.
const ENTRY: u64 = 12;
const FIELD: u64 = 4;

/// A directory's entries, also several of one tag.
pub struct Outline {
    /// In the file's order.
    pub entries: Vec<Entry>,
    /// Where the next directory is; 0 where there is none.
    pub next: u64,
}

/// What an entry announces.
pub struct Entry {
    /// What it is.
    pub tag: u16,
    /// The type of its values.
    pub kind: u16,
    /// How many values there are.
    pub count: u64,
    /// The first value, or the place of values that do not fit here.
    pub value: u64,
}

/// How many entries the directory at a place announces.
pub fn entries_at(file: &Directories, at: u64) -> u64 {
    file.bytes(at, 2).map_or(0, |bytes| file.number(&bytes))
}

impl Outline {
    /// The directory at a place, as far as the file holds it.
    pub fn read(file: &Directories, at: u64) -> Self {
        let first = at.saturating_add(2);
        let held = file.length.saturating_sub(first) / ENTRY;
        let count = entries_at(file, at).min(held).min(MOST_ENTRIES);
        let bytes = file.bytes(first, count * ENTRY).unwrap_or_default();
        let entries = bytes.chunks_exact(ENTRY as usize).map(|own| Entry::read(file, own));
        let next = file.bytes(first.saturating_add(count * ENTRY), FIELD);
        Self { entries: entries.collect(), next: next.map_or(0, |bytes| file.number(&bytes)) }
    }
}

impl Entry {
    fn read(file: &Directories, bytes: &[u8]) -> Self {
        let (kind, count) = (file.number(&bytes[2..4]) as u16, file.number(&bytes[4..8]));
        let size = size_of(kind).unwrap_or(1);
        let fits = count.saturating_mul(size) <= FIELD;
        // A value that fits lies at the field's beginning.
        let held = if fits { size.min(FIELD) } else { FIELD };
        let value = file.number(&bytes[8..8 + held as usize]);
        Self { tag: file.number(&bytes[..2]) as u16, kind, count, value }
    }
}
