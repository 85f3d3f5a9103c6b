//! A reduced region of the reference frame.

/// A reduced region of the reference frame.
#[derive(Default)]
pub struct Reduced {
    /// Light, interleaved; black where no frame reaches.
    pub light: Vec<f32>,
    /// Number of frames that cover each position; empty where all cover all.
    pub coverage: Vec<u16>,
    /// For each position, the number of rejected samples, and the number in order (from 1) of the
    /// frame whose sample was furthest off; empty unless the method rejects.
    pub rejected: Vec<[u16; 2]>,
    /// Number of rejected samples of each frame.
    pub by_frame: Vec<u64>,
}
