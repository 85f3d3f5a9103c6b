//! Measures the flaws of a lens, and undoes them in frames.

mod corrected;
mod estimate;
mod lateral_colour;
pub(crate) mod realign;
pub(crate) mod vignetting;
mod vignetting_fit;

pub use corrected::Corrected;
pub use estimate::{Bent, bent};
pub use lateral_colour::{ColourOffsets, LateralColour, colour_offsets, lateral_colour};
pub use realign::Realign;
pub use vignetting::Vignetting;
pub use vignetting_fit::vignetting_of;
