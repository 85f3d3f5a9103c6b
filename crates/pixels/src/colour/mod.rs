//! Conversion between encoded samples and scene-linear light, and colour spaces.

mod encoding;
mod profile;
mod spaces;

pub use encoding::Encoding;
pub use spaces::Space;
