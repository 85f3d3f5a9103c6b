//! A frame that was decoded, or why it could not be.

use jade_frames::Frame;

/// A frame, or why it cannot be read.
pub type Decoded = Result<Frame, String>;
