//! The interface of a format's reader.

use super::orientation::Orientation;
use super::rows::{LightRows, Rows};
use super::tiff::strips::Strips;
use crate::PictureError;
use crate::colour::Encoding;
use crate::facts::Facts;
use crate::mosaic::{Mosaic, Sensor};

/// A picture of a format whose header was read.
pub trait Decode: Send {
    /// Passes on all rows, `height` at a time if the format leaves the choice; floating-point
    /// samples by [`Decode::floats`] instead.
    fn rows(self: Box<Self>, height: u32, rows: Rows) -> Result<(), PictureError>;

    /// Whether the samples are floating-point numbers.
    fn is_float(&self) -> bool {
        false
    }

    /// Passes on all rows of floating-point samples, as they are stored.
    fn floats(self: Box<Self>, _: LightRows) -> Result<(), PictureError> {
        Ok(())
    }

    /// The sensor, if the file holds its mosaic, which only [`Decode::mosaic`] reads.
    fn sensor(&self) -> Option<&Sensor> {
        None
    }

    /// The mosaic as stored.
    fn mosaic(self: Box<Self>) -> Result<Option<Mosaic>, PictureError> {
        Ok(None)
    }

    /// The strips of the picture, if the file stores it in strips of a kind that [`Strips`] reads.
    fn strips(&mut self) -> Option<Strips> {
        None
    }

    /// Most bytes that decoding takes beside its output; `None`, if unknown, stands for a whole
    /// picture.
    fn decoding_bytes(&mut self) -> Option<u64> {
        self.strips().map(|strips| strips.decoding_bytes())
    }
}

/// How a file describes its colours.
pub enum Colours {
    /// Not at all: sRGB, or for floating-point numbers linear light in sRGB's primaries.
    Unstated,
    /// By an ICC profile.
    Icc(Vec<u8>),
    /// By other entries.
    Encoding(Encoding),
}

impl Colours {
    /// The profile if there is one, otherwise the encoding that other entries name, if there is
    /// one.
    pub fn of(icc: Option<Vec<u8>>, encoding: Option<Encoding>) -> Self {
        match (icc, encoding) {
            (Some(icc), _) => Self::Icc(icc),
            (None, Some(encoding)) => Self::Encoding(encoding),
            (None, None) => Self::Unstated,
        }
    }
}

/// The outcome of reading a file's header.
pub struct Opened {
    pub facts: Facts,
    pub colours: Colours,
    pub orientation: Orientation,
    pub decoder: Box<dyn Decode>,
}
