//! Samples that are decoded when they are first read.

use crate::input::FrameInput;
use crate::samples::Samples;
use jade_pixels::PictureError;
use jade_pixels::read::PictureFile;
use jade_pixels::tiled::TiledFile;
use std::path::PathBuf;
use std::sync::{Mutex, OnceLock};

/// Codes of a file, decoded into the cache by the first reader.
pub struct Lazy {
    input: FrameInput,
    /// The file in the cache.
    path: PathBuf,
    turn: Mutex<()>,
    samples: OnceLock<Samples<u16>>,
}

impl Lazy {
    /// The codes of a developed file, to be kept at `path`.
    pub fn new(input: &FrameInput, path: PathBuf) -> Self {
        Self { input: input.clone(), path, turn: Mutex::default(), samples: OnceLock::new() }
    }

    /// The codes; other readers wait while they are decoded.
    ///
    /// # Errors
    /// [`PictureError`] of the file or the cache; the next reader tries again.
    pub fn samples(&self) -> Result<&Samples<u16>, PictureError> {
        if let Some(samples) = self.samples.get() {
            return Ok(samples);
        }
        let _one_at_a_time = self.turn.lock().unwrap_or_else(|poisoned| poisoned.into_inner());
        if let Some(samples) = self.samples.get() {
            return Ok(samples);
        }
        let tiles = match TiledFile::open(&self.path) {
            Ok(tiles) => tiles,
            Err(_) => {
                let file = PictureFile::open(&self.input.path)?;
                self.input.unchanged()?;
                file.decode_to(&self.path, &mut |_, _| Ok(()))?
            }
        };
        Ok(self.samples.get_or_init(|| Samples::Tiles(tiles)))
    }
}
