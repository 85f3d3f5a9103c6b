//! The skyline: sky and ground told apart.
//!
//! Point lights that go with the sky show where it is, edges that stand still show where it may end,
//! and what both sides look like is learned on the way. That is done on a small grid, and
//! then every pixel near the border, and whatever is thin and stands on the ground, is judged by its
//! own light in the median of the frames.

mod appearance;
mod edge_weights;
mod evidence;
mod find;
mod label;
mod lights;
mod live;
mod local_colour;
mod marks;
mod random_walk;
mod refine;
mod strokes;
mod view;

pub use find::Skyline;
pub use live::Live;
pub use view::View;
