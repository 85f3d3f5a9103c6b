//! Files of the layers and the picture while they are made.

use super::join::Join;
use super::squares::Squares;
use crate::stages::combine::maps::{Maps, RejectedShares};
use crate::stages::skyline::find;
use jade_frames::cache::LayerKind;
use jade_pixels::PictureError;
use jade_pixels::tiled::{TileWriter, TiledFile};
use jade_plan::CoreError;
use std::path::Path;
use std::sync::{Mutex, MutexGuard};

/// Files of the layers and the picture while they are made.
pub struct Layers {
    pub picture: TileWriter<f32>,
    pub sky: TileWriter<f32>,
    pub ground: TileWriter<f32>,
    /// The unaligned stack near the skyline; not kept.
    pub unaligned: TileWriter<f32>,
    /// The unaligned stack of the frames of the sky, where the ground comes from elsewhere; not kept.
    pub still: Option<TileWriter<f32>>,
    /// What stands before the sky, where that can be taken off frames; not kept.
    pub before: Option<TileWriter<f32>>,
    pub maps: Maps,
    squares: Mutex<Squares>,
}

impl Layers {
    /// Begins the files.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn create(join: &Join) -> Result<Self, PictureError> {
        let (cache, (width, height)) = (join.request().cache, join.size());
        let create = |path: &Path| TileWriter::<f32>::create(path, width, height, 3);
        let layer = |kind: LayerKind| create(&cache.layer(join.key, kind));
        let aside = |kind: LayerKind| create(&cache.layer(join.key, kind).with_extension("aside"));
        let still = !join.ground.is_of_the_sky();
        let used = join.stack.used.len();
        Ok(Self {
            picture: create(&cache.picture(join.key))?,
            sky: layer(LayerKind::Sky)?,
            ground: layer(LayerKind::Ground)?,
            unaligned: aside(LayerKind::Ground)?,
            still: still.then(|| aside(LayerKind::Sky)).transpose()?,
            before: join.takes_off().then(|| aside(LayerKind::Mask)).transpose()?,
            maps: Maps::create(join.request(), join.key, (width, height), used)?,
            squares: Mutex::new(Squares::new((width, height))),
        })
    }

    /// The light of squares near the skyline, as far as it is known.
    pub fn squares(&self) -> MutexGuard<'_, Squares> {
        self.squares.lock().expect("no thread fails with the lock")
    }

    /// What the frames of the sky show as the camera stood.
    pub fn still(&self) -> &TileWriter<f32> {
        self.still.as_ref().unwrap_or(&self.unaligned)
    }

    /// Gives all files that are kept their names; gives the picture, and the share of rejected samples
    /// of each used frame where the method rejects.
    ///
    /// # Errors
    /// [`CoreError::Picture`].
    pub fn finish(self, join: &Join) -> Result<(TiledFile<f32>, RejectedShares), CoreError> {
        let request = join.request();
        let rejected = self.maps.finish()?;
        self.sky.finish(false)?;
        self.ground.finish(false)?;
        let mask = request.cache.layer(join.key, LayerKind::Mask);
        find::write(join.mask, &mask, join.stack.region)?;
        Ok((self.picture.finish(!request.stream)?, rejected))
    }
}
