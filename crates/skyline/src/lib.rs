//! The skyline: sky and ground told apart.
//!
//! Point lights that go with the sky show where it is, edges that stand still show where it may end,
//! and what both sides look like is learned on the way. That is done on a small grid, and
//! then every pixel near the border, and whatever is thin and stands on the ground, is judged by its
//! own light in the median of the frames.

#![warn(missing_docs)]

mod appearance;
mod around;
mod evidence;
mod find;
mod label;
mod lights;
mod live;
mod marks;
mod refine;
mod spread;
mod strokes;
mod view;
mod ways;

pub use find::Skyline;
pub use live::Live;
pub use view::View;
