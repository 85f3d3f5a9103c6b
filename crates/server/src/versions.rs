//! Versions of pictures. The addresses of pictures contain them, so that a browser may cache
//! pictures forever.

use jade_frames::FrameInput;

/// The version of a frame under a treatment.
pub fn frame_version(input: &FrameInput) -> String {
    input.light_key().as_str()[..12].to_owned()
}

/// The version of a result's picture, from its key.
pub fn result_version(key: &str) -> String {
    key.chars().take(20).collect()
}
