//! Sizes of the pieces into which a region is split while it is resampled.

use crate::kernel::{RUN, TAPS};

/// Spacing of the fine grid in pixels. Between its nodes positions are interpolated linearly; there
/// the bend of a motion is below 0.002 px for any lens that is not a fisheye.
pub const FINE: usize = 8;
/// Values before and after each plane that a run may read without using them.
pub const SLACK: usize = RUN + TAPS;
/// Columns of a strip: they are resampled for all rows before the next strip.
pub const STRIP: usize = 128;
/// Nodes of the fine grid along a strip.
pub const NODES: usize = STRIP / FINE + 1;
