//! Adjustments of the picture after combining. Adjustments of the sky act on the sky's layer if sky
//! and ground were combined separately, and the picture follows by the mask; without a ground they
//! act on the whole picture.

pub mod adjustment;
pub mod glow;
pub mod smoothing;

use adjustment::Fit;

/// All adjustments, in the order they are applied.
pub const ADJUSTMENTS: [Fit; 2] = [smoothing::fit, glow::fit];
