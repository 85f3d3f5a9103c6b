//! Conversion between encoded samples and scene-linear light, and colour spaces.

mod encoding;
mod profile;
mod shown;
mod spaces;

pub use encoding::Encoding;
pub use shown::{shown_code, shown_codes};
pub use spaces::Space;
