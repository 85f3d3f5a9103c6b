//! TIFF samples that are read from the picture's file.

use super::strips::Strips;
use crate::PictureError;
use crate::regular;
use crate::tiled::Region;
use std::cell::RefCell;
use std::fs::File;

/// A picture whose regions are read from its file whenever they are needed, from any thread.
pub struct InPlace {
    file: File,
    strips: Strips,
}

impl InPlace {
    pub(crate) fn open(strips: Strips) -> Result<Self, PictureError> {
        let file = regular::open(&strips.path)?;
        Ok(Self { file, strips })
    }

    /// Reads a region, which must lie inside the picture, into `out`: red, green and blue of each
    /// of its pixels, row by row.
    ///
    /// # Errors
    /// [`PictureError::Io`], as when the file was changed.
    pub fn read_region(&self, region: Region, out: &mut [u16]) -> Result<(), PictureError> {
        thread_local! {
            static RAW: RefCell<Vec<u8>> = const { RefCell::new(vec![]) };
        }
        RAW.with_borrow_mut(|raw| self.strips.read_region(&self.file, region, raw, out))
    }
}
