//! From frames and a plan to a picture: only the stages whose key is not in the cache are run.

mod calibrate;
pub mod export;
mod keys;
mod lens;
mod measure;
mod memory;
mod moving;
mod outcome;
mod placed;
mod present;
mod product;
mod record;
mod request;
mod run;
mod stages;
mod threads;

pub use calibrate::{calibrate, calibrate_ground};
pub use lens::{LensFound, lens_of_flats, lens_of_stars};
pub use measure::measure;
pub use memory::{Budget, default_memory};
pub use moving::moving;
pub use outcome::Outcome;
pub use placed::place;
pub use record::record;
pub use request::{Request, SkylineInputs};
pub use run::{region, stack};
pub use stages::merge::sweep::look_over;
pub use stages::skyline::find::{Sights, SkylineFound, skyline};
