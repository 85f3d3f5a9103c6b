//! Into what pieces a region is parted while it is resampled.

use crate::kernel::{RUN, TAPS};

/// Distance of positions between which straight lines are drawn, in pixels; between them the bend
/// of the motion is below 0.002 px for any lens that is not a fisheye.
pub const FINE: usize = 8;
/// Values before and after each plane that a run may read without using them.
pub const SLACK: usize = RUN + TAPS;
/// Columns that are resampled for all rows before the next ones.
pub const STRIP: usize = 128;
/// Nodes of the fine grid along a strip.
pub const NODES: usize = STRIP / FINE + 1;
