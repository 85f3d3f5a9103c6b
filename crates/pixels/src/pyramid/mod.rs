//! A picture at halved sizes, so that any zoom reads about as many pixels as it shows.
//!
//! Level 0 is the picture itself; each further level halves both sides (rounded up) by averaging 2
//! x 2 pixels in linear light, so that noisy shadows keep their brightness at small sizes.

mod codes;
mod halving;
mod levels;

pub use codes::{HalvedCodes, ReadCodes, halve_codes};
pub use halving::{halve, halve_by};
pub use levels::level_sizes;
