//! Size and samples of a picture.

use jade_pixels::read::PictureFile;
use jade_pixels::tiled::TiledFile;

/// A picture's size, and samples of a pixel: 1 for a mosaic, 3 for colours.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Shape {
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
    /// Samples of a pixel.
    pub channels: u32,
}

impl Shape {
    /// Of a tiled file.
    pub fn of<T: jade_pixels::tiled::Sample>(file: &TiledFile<T>) -> Self {
        Self { width: file.width(), height: file.height(), channels: file.channels() as u32 }
    }

    /// Of what a file holds, as it lies in it.
    pub fn of_file(file: &PictureFile) -> Self {
        let (width, height) = file.stored_size();
        let channels = if file.sensor().is_some() { 1 } else { 3 };
        Self { width, height, channels }
    }
}

/// In words, for messages.
impl std::fmt::Display for Shape {
    fn fmt(&self, f: &mut std::fmt::Formatter) -> std::fmt::Result {
        let kind = if self.channels == 1 { "raw" } else { "developed" };
        write!(f, "{kind}, {} x {} pixels", self.width, self.height)
    }
}
