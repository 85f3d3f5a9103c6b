//! A mast by a salt pan at night: a wide lens on a fixed tripod under the turning sky.

mod card;
mod fringes;
mod land;
mod options;
mod scene;
mod sky;
mod star;
mod truth;
mod write;

pub use card::{Card, CardFrame, Purpose, Spoiled};
pub use land::Land;
pub use options::{Options, SKY_TURN};
pub use scene::NightSky;
pub use star::Star;
