//! What is found out about a lens, and how its flaws are undone in frames.

mod corrected;
mod estimate;
mod fringes;
mod realign;
mod shade;
mod vignetting;

pub use corrected::Corrected;
pub use estimate::{Bent, bent};
pub use fringes::{Fringes, Parted, fringes, parted};
pub use realign::Realign;
pub use shade::Shade;
pub use vignetting::shade_of;
