//! The numbers of values that a raw file's directories announce, looked at before the raw library takes
//! memory for them: it takes as much as they say, and the system ends the whole program where there is
//! not so much.

use crate::PictureError;
use crate::read::tiff::directory::{Directories, Outline, OutlineEntry};
use std::collections::HashSet;
use std::path::Path;

/// Bytes of one value beyond which a directory is damaged.
const MOST: u64 = 1 << 30;
/// Directories that are looked at.
const MOST_DIRECTORIES: usize = 512;
/// How far into a camera's own notes their directory may begin: they have headers of their own.
const HEADERS: u64 = 32;

/// Makes sure that no directory which can be reached announces a value without end. Files of other
/// forms are not looked at.
///
/// # Errors
/// [`PictureError::Damaged`], [`PictureError::Io`].
pub fn check(path: &Path) -> Result<(), PictureError> {
    let Some(all) = Directories::of_camera(path)? else { return Ok(()) };
    let turned = all.turned()?;
    let mut open = vec![(all.first(), true)];
    let mut seen = HashSet::new();
    while let Some((place, sure)) = open.pop() {
        if seen.len() >= MOST_DIRECTORIES || !seen.insert(place) {
            continue;
        }
        for file in [&all, &turned] {
            let own = file.outline(place);
            // The chain of directories is as the file itself is; all else is guessed.
            let of_chain = sure && std::ptr::eq(file, &all);
            if !of_chain && !is_one(&own) {
                continue;
            }
            let endless = |own: &OutlineEntry| own.count.saturating_mul(bytes(own.kind)) > MOST;
            if own.entries.iter().any(endless) {
                let what = "a value without end in its header";
                return Err(PictureError::damaged(path, what));
            }
            open.extend(led_to(file, &own));
        }
    }
    Ok(())
}

/// Whether these are entries of a directory, rather than of what was taken for one: most have a type
/// that exists.
fn is_one(outline: &Outline) -> bool {
    let all = &outline.entries;
    let known = all.iter().filter(|own| (1..=13).contains(&own.kind)).count();
    all.len() >= 2 && known * 2 > all.len()
}

/// Places at which other directories may be, and whether one must be there.
fn led_to(file: &Directories, own: &Outline) -> Vec<(u64, bool)> {
    const LONGEST_LIST: u64 = 64;
    let mut all = vec![];
    for OutlineEntry { kind, count, value } in &own.entries {
        match kind {
            4 | 13 if *count > 1 => {
                let list = file.bytes(*value, count.min(&LONGEST_LIST) * 4).unwrap_or_default();
                all.extend(list.chunks_exact(4).map(|place| (file.number(place), false)));
            }
            4 | 13 => all.push((*value, false)),
            // A camera's own notes.
            1 | 7 if *count > 12 => all.extend((0..=HEADERS).map(|off| (value + off, false))),
            _ => {}
        }
    }
    // The last one is looked at first.
    all.push((own.next, own.next != 0));
    all
}

/// Bytes that the library takes for one value of a type; those that are not known are bytes to it.
fn bytes(kind: u16) -> u64 {
    match kind {
        3 | 8 => 2,
        4 | 9 | 11 => 4,
        5 | 10 | 12 => 8,
        _ => 1,
    }
}
