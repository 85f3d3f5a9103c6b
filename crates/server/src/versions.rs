//! What tells pictures of one source from each other as time goes on. The addresses of pictures carry
//! it, so that a browser may keep them for good.

use jade_frames::FrameInput;

/// What tells a frame under one treatment from the same under another.
pub fn frame_version(input: &FrameInput) -> String {
    input.light_key().as_str()[..12].to_owned()
}

/// What tells the picture of a result from all others, from the key that it is kept under.
pub fn result_version(key: &str) -> String {
    key.chars().take(20).collect()
}
