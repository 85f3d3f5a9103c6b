//! Rows of a picture as they are decoded.

use crate::PictureError;

/// Receives whole rows, top to bottom: the first row's number and the interleaved samples of red,
/// green and blue of one or more rows.
pub type RowsOf<'a, T> = &'a mut dyn FnMut(u32, &[T]) -> Result<(), PictureError>;

/// Rows of 16-bit codes.
pub type Rows<'a> = RowsOf<'a, u16>;

/// Rows of linear light: 0 is black, 1 white, and more is brighter than white.
pub type LightRows<'a> = RowsOf<'a, f32>;
