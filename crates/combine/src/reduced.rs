//! A reduced region of the reference frame.

/// A reduced region of the reference frame.
#[derive(Default)]
pub struct Reduced {
    /// Light, interleaved; black where no frame reaches.
    pub light: Vec<f32>,
    /// Number of frames that cover each position; empty when all cover all.
    pub coverage: Vec<u16>,
    /// For each position, how many frames' samples were rejected and the place in order (from 1)
    /// of the one furthest off; empty unless the method rejects.
    pub rejected: Vec<[u16; 2]>,
    /// Rejected samples of each frame, one number for each frame.
    pub by_frame: Vec<u64>,
}
