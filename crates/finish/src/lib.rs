//! What is done to the picture after combining. What is about the sky acts on it alone: on the sky's
//! own layer where sky and ground were kept apart, whose part of the picture follows by the mask; on
//! the whole picture where there is no ground.

pub mod adjustment;
pub mod glow;
pub mod smoothing;

use adjustment::Fit;

/// All adjustments, in the order in which they are made.
pub const ADJUSTMENTS: [Fit; 2] = [smoothing::fit, glow::fit];
