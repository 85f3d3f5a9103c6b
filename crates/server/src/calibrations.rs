//! What calibrates the frames of shoots, as it was made last.

use jade_frames::calibration::Calibration;
use std::collections::HashMap;
use std::sync::{Arc, Mutex};

/// What was made for showing calibrated frames, by shoot; with what it was made from.
#[derive(Default)]
pub struct Calibrations {
    pub known: Mutex<HashMap<i64, Known>>,
    pub one_at_a_time: tokio::sync::Mutex<()>,
}

/// What was made for one shoot.
pub struct Known {
    pub made_from: String,
    pub made: Option<Arc<Calibration>>,
}
