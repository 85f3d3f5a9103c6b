//! The skyline: where the sky ends and the ground begins.
//!
//! Point lights that move with the sky show where it is; edges that stand still show where it may
//! end; the appearance of both sides is learned meanwhile. This is done on a small grid. Then every
//! pixel near the border, and everything thin that stands on the ground, is judged by its own light
//! in the median of the frames.

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
