//! What the reader of a format gives.

use super::orientation::Orientation;
use super::rows::{LightRows, Rows};
use super::tiff::strips::Strips;
use crate::PictureError;
use crate::colour::Encoding;
use crate::facts::Facts;
use crate::mosaic::{Mosaic, Sensor};

/// A picture whose header was read, by its format.
pub trait Decode: Send {
    /// Gives all rows, `height` at a time where the format leaves the choice; where the samples are
    /// floating-point numbers, by [`Decode::floats`] instead.
    fn rows(self: Box<Self>, height: u32, rows: Rows) -> Result<(), PictureError>;

    /// Whether the samples are floating-point numbers.
    fn is_float(&self) -> bool {
        false
    }

    /// Gives all rows of floating-point samples, as they are stored.
    fn floats(self: Box<Self>, _: LightRows) -> Result<(), PictureError> {
        Ok(())
    }

    /// The sensor, where the file holds its mosaic, which only [`Decode::mosaic`] gives.
    fn sensor(&self) -> Option<&Sensor> {
        None
    }

    /// The mosaic, as it is stored.
    fn mosaic(self: Box<Self>) -> Result<Option<Mosaic>, PictureError> {
        Ok(None)
    }

    /// The picture as strips, where it is stored in strips that are read here.
    fn strips(&mut self) -> Option<Strips> {
        None
    }

    /// Most bytes that decoding takes beside its output; `None`, where that is not known, stands
    /// for a whole picture.
    fn decoding_bytes(&mut self) -> Option<u64> {
        self.strips().map(|strips| strips.decoding_bytes())
    }
}

/// What a file says of its colours.
pub enum Colours {
    /// Nothing: sRGB, or for floating-point numbers linear light in sRGB's primaries.
    Untold,
    /// A profile.
    Icc(Vec<u8>),
    /// In another way.
    Encoding(Encoding),
}

impl Colours {
    /// The profile if there is one, otherwise the encoding that other entries name, if there is
    /// one.
    pub fn of(icc: Option<Vec<u8>>, told: Option<Encoding>) -> Self {
        match (icc, told) {
            (Some(icc), _) => Self::Icc(icc),
            (None, Some(told)) => Self::Encoding(told),
            (None, None) => Self::Untold,
        }
    }
}

/// What a format's reader finds in a file's header.
pub struct Opened {
    pub facts: Facts,
    pub colours: Colours,
    pub orientation: Orientation,
    pub decoder: Box<dyn Decode>,
}
