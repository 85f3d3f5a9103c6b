//! A little-endian TIFF's directory, byte by byte.

/// The directory of entries of tag, type (3 short, 4 long), number of values, and the value or its
/// place; no other directory follows.
pub fn of(entries: &[(u16, u16, u32, u32)]) -> Vec<u8> {
    let mut bytes = (entries.len() as u16).to_le_bytes().to_vec();
    for (tag, kind, count, value) in entries {
        bytes.extend(tag.to_le_bytes());
        bytes.extend(kind.to_le_bytes());
        bytes.extend(count.to_le_bytes());
        bytes.extend(value.to_le_bytes());
    }
    bytes.extend([0; 4]);
    bytes
}
