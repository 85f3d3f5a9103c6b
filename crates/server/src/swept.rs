//! What was found in the sweeps of shoots.

use crate::searches::Searches;
use jade_frames::cache::Key;
use jade_plan::report::FocusReport;

/// The searches of all sweeps. Each keeps what it found last, and the key of what it was found in.
pub type Sweeps = Searches<(Key, FocusReport)>;
