//! From encoded 16-bit samples to scene-linear light and back, by the picture's own profile.

mod encoding;
mod profile;
mod spaces;

pub use encoding::Encoding;
pub use spaces::Space;
