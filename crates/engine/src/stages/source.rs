//! Stages that make the picture of a run from its frames.

use crate::outcome::Outcome;
use crate::request::Request;
use crate::stages::note::PictureNote;
use crate::threads::pool;
use jade_frames::cache::Key;
use jade_pixels::tiled::{Region, TiledFile};
use jade_plan::CoreError;

/// A stage that makes the picture of a run from its frames.
pub trait Source: Sync {
    /// Folder of the cache for what it notes beside the picture.
    fn notes(&self) -> &'static str;

    /// Names the picture: of the frames, and of all settings that change it.
    fn key(&self, request: &Request) -> Key;

    /// Makes the picture under a key, with its maps and layers.
    ///
    /// # Errors
    /// As for [`crate::stack`].
    fn make(&self, request: &Request, key: &Key) -> Result<PictureNote, CoreError>;

    /// The light of a region of the picture that it makes, three channels interleaved: the same as in
    /// the whole picture, which is not made.
    ///
    /// # Errors
    /// As for [`crate::region`].
    fn region(&self, request: &Request, region: Region) -> Result<Vec<f32>, CoreError>;
}

impl dyn Source + '_ {
    /// What was made for a request before, if it is there still.
    pub fn known(&self, request: &Request) -> Option<PictureNote> {
        let key = self.key(request);
        let note = request.cache.read(self.notes(), &key)?;
        TiledFile::<f32>::open(&request.cache.picture(&key)).is_ok().then_some(note)
    }
}

/// The picture of a request, from the cache where it was made before.
///
/// # Errors
/// As for [`crate::stack`].
pub fn made(source: &dyn Source, request: &Request) -> Result<Outcome, CoreError> {
    let key = source.key(request);
    let picture = request.cache.picture(&key);
    if let Some(note) = source.known(request) {
        return Ok(note.outcome(key, picture));
    }
    let note = pool(request.budget)?.install(|| source.make(request, &key))?;
    request.cache.write(source.notes(), &key, &note)?;
    Ok(note.outcome(key, picture))
}
