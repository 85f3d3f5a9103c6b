//! Pictures that are computed from other open pictures whenever they are shown.

use jade_pixels::PictureError;
use jade_pixels::tiled::Region;

/// Light computed from other pictures, level by level.
pub trait Derived: Send + Sync {
    /// Number of levels.
    fn count(&self) -> usize;

    /// Width and height of a level in pixels.
    fn level_size(&self, level: usize) -> (u32, u32);

    /// Linear light of a region of a level, row by row, in sRGB's primaries.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    fn light_of(&self, level: usize, region: Region) -> Result<Vec<[f32; 3]>, PictureError>;
}
