//! Turns a picture upright while it is decoded.

use super::decode::Decode;
use super::orientation::Orientation;
use super::rows::{LightRows, Rows};
use crate::PictureError;
use crate::tiled::SIDE;

/// A decoder whose rows are turned upright; it holds the whole picture in memory.
pub struct Turned {
    pub inner: Box<dyn Decode>,
    pub orientation: Orientation,
    /// Width and height as stored.
    pub stored: (u32, u32),
}

impl Decode for Turned {
    fn rows(self: Box<Self>, height: u32, rows: Rows) -> Result<(), PictureError> {
        let Self { inner, orientation, stored } = *self;
        let mut samples = vec![0u16; stored.0 as usize * stored.1 as usize * 3];
        inner.rows(height, &mut |y, some| {
            let from = y as usize * stored.0 as usize * 3;
            samples[from..from + some.len()].copy_from_slice(some);
            Ok(())
        })?;
        orientation.upright(&samples, stored, height, rows)
    }

    fn is_float(&self) -> bool {
        self.inner.is_float()
    }

    fn floats(self: Box<Self>, rows: LightRows) -> Result<(), PictureError> {
        let Self { inner, orientation, stored } = *self;
        let mut samples = vec![0.0f32; stored.0 as usize * stored.1 as usize * 3];
        inner.floats(&mut |y, some| {
            let from = y as usize * stored.0 as usize * 3;
            samples[from..from + some.len()].copy_from_slice(some);
            Ok(())
        })?;
        orientation.upright(&samples, stored, SIDE, rows)
    }

    fn decoding_bytes(&mut self) -> Option<u64> {
        let pixels = u64::from(self.stored.0) * u64::from(self.stored.1);
        let pixel_bytes = if self.is_float() { 12 } else { 6 };
        Some(self.inner.decoding_bytes().unwrap_or(pixels * 8) + pixels * pixel_bytes)
    }
}
