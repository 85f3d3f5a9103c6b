//! What to simulate, and how the simulated photographer works.

/// The sky's turn in radians per second (sidereal).
pub const SKY_TURN: f64 = 7.292_115e-5;

/// What to simulate.
#[derive(Debug, Clone, Copy)]
pub struct Options {
    /// Light frames, 1 to 400.
    pub frames: u32,
    /// Dark frames with the lens cap on.
    pub darks: u32,
    /// Width in pixels, at least 64.
    pub width: u32,
    /// Height in pixels, at least 64.
    pub height: u32,
    /// Everything random follows from it.
    pub seed: u64,
    /// Frames are compressed by deflate.
    pub deflate: bool,
}

impl Default for Options {
    fn default() -> Self {
        Self { frames: 12, darks: 4, width: 2400, height: 1600, seed: 1, deflate: false }
    }
}

/// When the first light frame begins, in seconds after midnight.
pub const FIRST_S: u32 = 79_805;
/// Exposure of one frame in seconds, through lenses wide enough for it.
pub const EXPOSURE_S: f64 = 8.0;
/// Exposure of a flat frame in seconds.
pub const FLAT_S: f64 = 0.02;
/// Exposure of a bias frame in seconds.
pub const BIAS_S: f64 = 0.000_125;
/// From the beginning of one exposure to the next, over the exposure.
pub const INTERVAL: f64 = 2.5;
/// Through longer lenses than this (on a sensor 36 mm wide) exposures are shorter, so that stars
/// stay points.
pub const LONG_MM: f64 = 22.0;
