//! Checks what a raw file's directories announce before the raw library allocates memory for it.
//! The library fills all of an announced picture before it finds that the data are missing, follows
//! directories as long as they point on, and keeps all their values.

use crate::read::tiff::directory::{Directories, Directory, Entry, tag};
use crate::{PictureError, limits};
use std::path::Path;

/// Most samples of a pixel: a sensor's four colours, twice.
const MOST_SAMPLES: u64 = 8;
/// Most directories of a file; cameras write fewer than ten.
const MOST_DIRECTORIES: usize = 64;
/// Most values of one directory that may lie beyond the file's end. The library skips that many in
/// a row, and takes what it finds after the fifth for the offset of the next directory.
const MOST_MISSING: usize = 4;
/// Tags that point to further directories; the library looks for one in a colour profile, too.
const LEADING: [u16; 4] = [tag::SUB_DIRECTORIES, tag::EXIF, tag::GPS, tag::PROFILE];

/// Checks that a file's directories come to an end, that their values are not longer than the file,
/// and that no picture in it, and none of its tiles, exceeds [`limits`]. Files that are not built
/// like TIFF files are left to the library.
///
/// # Errors
/// [`PictureError::Damaged`], [`PictureError::Truncated`], [`PictureError::TooLarge`],
/// [`PictureError::Unsupported`], [`PictureError::Io`].
pub fn check(path: &Path) -> Result<(), PictureError> {
    let Some(file) = Directories::of_camera(path)? else { return Ok(()) };
    follow(path, &file)?;
    file.all()?.iter().try_for_each(|directory| check_one(path, &file, directory))
}

/// Follows the directories in the library's order.
fn follow(path: &Path, file: &Directories) -> Result<(), PictureError> {
    let (mut chain, mut below, mut bytes, mut at) = (vec![], 0, 0, file.first());
    while at != 0 {
        if chain.contains(&at) {
            return Err(PictureError::damaged(path, "its directories lead in a circle"));
        }
        chain.push(at);
        let (entries, next) = file.entries(at)?;
        let missing = entries.iter().filter(|(_, entry)| extent(file, entry).is_none()).count();
        let ends_well = entries.last().is_none_or(|(_, entry)| extent(file, entry).is_some());
        if missing > MOST_MISSING || !ends_well {
            return Err(PictureError::damaged(path, "values of its header lie beyond its end"));
        }
        bytes += long(file, &entries);
        for (_, entry) in entries.iter().filter(|(tag, _)| LEADING.contains(tag)) {
            for place in places(file, entry) {
                below += 1;
                // Any value may be an offset; the library skips those where no directory is.
                bytes += file.entries(place).map_or(0, |(entries, _)| long(file, &entries));
                check_total(path, file, chain.len() + below, bytes)?;
            }
        }
        check_total(path, file, chain.len() + below, bytes)?;
        at = next;
    }
    Ok(())
}

fn check_total(
    path: &Path,
    file: &Directories,
    directories: usize,
    bytes: u64,
) -> Result<(), PictureError> {
    if directories > MOST_DIRECTORIES {
        return Err(PictureError::damaged(path, "its header has directories without end"));
    }
    // Some values are shared, so the sum may exceed the file's length somewhat.
    if bytes > file.length.saturating_mul(2) {
        return Err(PictureError::damaged(path, "its header announces more than it holds"));
    }
    Ok(())
}

/// Bytes of an entry's values as the library counts them: types unknown to it count as single
/// bytes. `None` if they lie beyond the file's end.
fn extent(file: &Directories, entry: &Entry) -> Option<u64> {
    let size = match entry.kind {
        3 | 8 => 2,
        4 | 9 | 11 => 4,
        5 | 10 | 12 => 8,
        _ => 1,
    };
    let bytes = entry.count * size;
    (bytes <= 4 || file.number(&entry.field[..4]) + bytes <= file.length).then_some(bytes)
}

/// Bytes of all values within the file.
fn long(file: &Directories, entries: &[(u16, Entry)]) -> u64 {
    entries.iter().filter_map(|(_, entry)| extent(file, entry)).sum()
}

/// The offsets in an entry's values, or the offset of its values if they are not numbers.
fn places(file: &Directories, entry: &Entry) -> Vec<u64> {
    let field = file.number(&entry.field[..4]);
    match (entry.kind, entry.count) {
        (4, 1) => vec![field],
        (4, _) => {
            let bytes = extent(file, entry).and_then(|bytes| file.bytes(field, bytes).ok());
            bytes.unwrap_or_default().chunks_exact(4).map(|place| file.number(place)).collect()
        }
        _ => vec![field],
    }
}

fn check_one(path: &Path, file: &Directories, directory: &Directory) -> Result<(), PictureError> {
    let number = |tag: u16| match file.first_number(directory, tag).ok().flatten() {
        None if directory.has(tag) => {
            Err(PictureError::damaged(path, "its header does not tell its size"))
        }
        number => Ok(number),
    };
    let samples = number(tag::SAMPLES)?.unwrap_or(1);
    if samples > MOST_SAMPLES {
        let what = format!("a raw file with {samples} samples for each pixel");
        return Err(PictureError::unsupported(path, what));
    }
    for [wide, tall] in [[tag::WIDTH, tag::HEIGHT], [tag::TILE_WIDTH, tag::TILE_HEIGHT]] {
        if let (Some(wide), Some(tall)) = (number(wide)?, number(tall)?) {
            // Directories other than the picture's may have no size.
            limits::check(path, wide.max(1), tall.max(1))?;
        }
    }
    Ok(())
}
