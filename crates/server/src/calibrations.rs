//! The last calibration of each shoot, for showing its frames.

use jade_frames::calibration::Calibration;
use std::collections::HashMap;
use std::sync::{Arc, Mutex};

/// The last calibration of each shoot, and what it was made from.
#[derive(Default)]
pub struct Calibrations {
    pub known: Mutex<HashMap<i64, LastCalibration>>,
    pub one_at_a_time: tokio::sync::Mutex<()>,
}

/// The last calibration of one shoot.
pub struct LastCalibration {
    pub made_from: String,
    pub made: Option<Arc<Calibration>>,
}
