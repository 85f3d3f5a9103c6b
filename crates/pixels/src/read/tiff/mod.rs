//! TIFF files.
//!
//! Directories and pixels are read here rather than by a library. A sample taken for another makes
//! a wrong picture that nobody notices, so every property that affects the pixels is checked, and
//! unknown ones are refused by name.

mod chunks;
pub mod directory;
mod form;
mod in_place;
mod packing;
pub(super) mod strips;

pub use in_place::InPlace;

use super::decode::{Colours, Decode, Opened};
use super::exif;
use super::rows::{LightRows, Rows};
use crate::facts::{Facts, FileFormat};
use crate::{PictureError, regular};
use directory::{Directories, Directory, tag};
use form::{Form, Kind, Packing, Predictor};
use std::path::{Path, PathBuf};
use strips::{Coding, Strips};

/// Longest side, in pixels, of a picture that counts as a small copy of one at least twice as wide.
const SMALL: u64 = 1024;

struct Tiff {
    path: PathBuf,
    form: Form,
}

pub fn open(path: &Path) -> Result<Opened, PictureError> {
    let no_tiff = || PictureError::damaged(path, "its first bytes are none of a TIFF");
    let all = Directories::open(path)?.ok_or_else(no_tiff)?;
    let directory = the_picture(path, &all)?;
    let form = Form::of(path, &all, &directory)?;
    let bits = form.kind.bytes() as u8 * 8;
    let bare = Facts::bare(FileFormat::Tiff, form.width, form.height, bits);
    let mut facts = Facts { float: form.kind.is_float(), ..bare };
    let said = exif::of_directory(&all, &directory, &mut facts);
    let icc = all.value(&directory, tag::PROFILE)?.map(|(_, bytes)| bytes);
    let colours = Colours::of(icc.filter(|bytes| !bytes.is_empty()), said.encoding);
    let decoder = Box::new(Tiff { path: path.to_owned(), form });
    Ok(Opened { facts, colours, orientation: said.orientation, decoder })
}

/// The directory of the picture itself, if there are smaller copies or masks beside it.
fn the_picture(path: &Path, all: &Directories) -> Result<Directory, PictureError> {
    let refuse = |what: String, remedy| Err(PictureError::unsupported_so(path, what, remedy));
    let directories = all.all()?;
    let number = |directory: &Directory, tag| Ok(all.first_number(directory, tag)?.unwrap_or(0));
    let mut pictures = vec![];
    let mut others = 0;
    for directory in directories {
        let size = [number(&directory, tag::WIDTH)?, number(&directory, tag::HEIGHT)?];
        let stored = directory.has(tag::STRIP_OFFSETS) || directory.has(tag::TILE_OFFSETS);
        if !stored || size.contains(&0) {
            continue;
        }
        // Bits of the type: a smaller copy, or a mask; and the older tag for a smaller copy.
        let kind = number(&directory, tag::NEW_SUBFILE_TYPE)?;
        if kind & 5 != 0 || number(&directory, tag::SUBFILE_TYPE)? == 2 {
            others += 1;
            continue;
        }
        pictures.push((size, directory));
    }
    pictures.sort_by_key(|([width, height], _)| width.saturating_mul(*height));
    let Some(([width, _], directory)) = pictures.pop() else {
        return match others {
            0 => Err(PictureError::damaged(path, "there is no picture in it")),
            _ => refuse(
                "a file whose pictures are only previews".to_owned(),
                "export the picture as TIFF from the program that developed it",
            ),
        };
    };
    let is_small = |([own_width, own_height], _): &([u64; 2], Directory)| {
        (*own_width).max(*own_height) <= SMALL && own_width * 2 <= width
    };
    match pictures.iter().all(is_small) {
        true => Ok(directory),
        false => refuse(
            format!("a TIFF of {} pictures", pictures.len() + 1),
            "save each picture as a file of its own",
        ),
    }
}

impl Tiff {
    /// The picture as strips, if it is stored in strips that [`Strips`] reads.
    fn as_strips(&self) -> Option<Strips> {
        let Form { kind, packing, predictor, apart, inverted, reversed, tiled, .. } = self.form;
        let plain = !apart && !inverted && !reversed && !tiled;
        let whole = matches!(kind, Kind::U8 | Kind::U16);
        if !plain || !whole || predictor == Predictor::Floats {
            return None;
        }
        let deflate = match packing {
            Packing::None => false,
            Packing::Deflate => true,
            _ => return None,
        };
        let coding = Coding {
            deflate,
            differences: predictor == Predictor::Differences,
            big_endian: self.form.big_endian,
            bytes_per_sample: kind.bytes(),
        };
        let Form { width, height, layout, chunk, ref places, .. } = self.form;
        let (path, places, rows_per_strip) = (self.path.clone(), places.clone(), chunk.1);
        Some(Strips { path, width, height, layout, coding, rows_per_strip, places })
    }
}

impl Decode for Tiff {
    fn strips(&mut self) -> Option<Strips> {
        self.as_strips()
    }

    fn rows(self: Box<Self>, height: u32, rows: Rows) -> Result<(), PictureError> {
        if let Some(strips) = self.as_strips() {
            return strips.rows(height, rows);
        }
        chunks::rows(&self.path, &regular::open(&self.path)?, &self.form, rows)
    }

    fn is_float(&self) -> bool {
        self.form.kind.is_float()
    }

    fn floats(self: Box<Self>, rows: LightRows) -> Result<(), PictureError> {
        chunks::rows(&self.path, &regular::open(&self.path)?, &self.form, rows)
    }

    fn decoding_bytes(&mut self) -> Option<u64> {
        let strips = self.as_strips().map(|strips| strips.decoding_bytes());
        Some(strips.unwrap_or_else(|| chunks::decoding_bytes(&self.form)))
    }
}
