//! The numbers of values and pixels that a raw file's directories announce, checked before the raw
//! library takes memory for them. It takes as much as they say, and where there is less the system ends
//! the whole program.

use super::outline::{Entry, Outline, entries_at};
use crate::read::tiff::directory::{Directories, tag};
use crate::{PictureError, limits};
use std::collections::HashSet;
use std::path::Path;

/// Bytes of one value beyond which a directory is damaged.
const MOST: u64 = 1 << 30;
/// Directories that are looked at.
const MOST_DIRECTORIES: usize = 512;
/// Entries of a directory that is none of the file's own.
const MOST_ENTRIES: u64 = 512;
/// How far into a camera's own notes their directory may begin: they have headers of their own.
const HEADERS: u64 = 32;

/// Makes sure that no directory which can be reached announces a value without end, and none of a picture
/// more than [`limits`] allow. Files of other forms are not looked at.
///
/// # Errors
/// [`PictureError::Damaged`], [`PictureError::TooLarge`], [`PictureError::Io`].
pub fn check(path: &Path) -> Result<(), PictureError> {
    let Some(all) = Directories::of_camera(path)? else { return Ok(()) };
    let turned = all.turned()?;
    let mut open = vec![(all.first(), Place::OfPicture)];
    let mut seen = HashSet::new();
    while let Some((at, place)) = open.pop() {
        if seen.len() >= MOST_DIRECTORIES || !seen.insert((at, place)) {
            continue;
        }
        for file in [&all, &turned] {
            // Only a camera's own notes may have their numbers the other way round.
            let certain = place != Place::Guessed && std::ptr::eq(file, &all);
            if !certain && !(2..=MOST_ENTRIES).contains(&entries_at(file, at)) {
                continue;
            }
            let own = Outline::read(file, at);
            if !certain && !is_one(&own) {
                continue;
            }
            let endless = |own: &Entry| own.count.saturating_mul(bytes(own.kind)) > MOST;
            if own.entries.iter().any(endless) {
                let what = "a value without end in its header";
                return Err(PictureError::damaged(path, what));
            }
            if certain && place == Place::OfPicture {
                check_sizes(path, &own)?;
            }
            open.extend(led_to(file, &own));
        }
    }
    Ok(())
}

/// What is known of the bytes at a place.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Place {
    /// They are the directory of a picture.
    OfPicture,
    /// The library takes them for a directory.
    Taken,
    /// They may be one.
    Guessed,
}

/// Makes sure that a picture, and each of its tiles, is not too large.
fn check_sizes(path: &Path, own: &Outline) -> Result<(), PictureError> {
    let number = |tag: u16| -> Result<Option<u64>, PictureError> {
        // The library takes the last one of several.
        match own.entries.iter().rev().find(|own| own.tag == tag) {
            None => Ok(None),
            Some(Entry { kind: 1 | 3 | 4, count: 1, value, .. }) => Ok(Some(*value)),
            Some(_) => Err(PictureError::damaged(path, "its header does not tell its size")),
        }
    };
    let samples = number(tag::SAMPLES)?.unwrap_or(1);
    if samples > 8 {
        let what = format!("a raw file with {samples} samples for each pixel");
        return Err(PictureError::unsupported(path, what));
    }
    for [wide, tall] in [[tag::WIDTH, tag::HEIGHT], [tag::TILE_WIDTH, tag::TILE_HEIGHT]] {
        if let (Some(wide), Some(tall)) = (number(wide)?, number(tall)?) {
            limits::check(path, wide.max(1), tall.max(1))?;
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

/// Places at which other directories may be.
fn led_to(file: &Directories, own: &Outline) -> Vec<(u64, Place)> {
    const LONGEST_LIST: u64 = 64;
    /// Entries of which the library takes what they lead to for a directory, whatever it is.
    const LEADING: [u16; 3] = [tag::EXIF, tag::GPS, tag::PROFILE];
    let mut all = vec![];
    for Entry { tag: own, kind, count, value } in &own.entries {
        let place = match *own {
            tag::SUB_DIRECTORIES => Place::OfPicture,
            own if LEADING.contains(&own) => Place::Taken,
            _ => Place::Guessed,
        };
        match kind {
            4 | 13 if *count > 1 => {
                let list = file.bytes(*value, count.min(&LONGEST_LIST) * 4).unwrap_or_default();
                all.extend(list.chunks_exact(4).map(|at| (file.number(at), place)));
            }
            4 | 13 => all.push((*value, place)),
            _ if place != Place::Guessed => {
                all.extend([(*value, Place::Taken), (value & 0xff, Place::Taken)])
            }
            // A camera's own notes.
            1 | 7 if *count > 12 => {
                all.extend((0..=HEADERS).map(|off| (value + off, Place::Guessed)));
            }
            _ => {}
        }
    }
    // The last one is looked at first.
    if own.next != 0 {
        all.push((own.next, Place::OfPicture));
    }
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
