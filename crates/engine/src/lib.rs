//! From frames and a plan to a picture: only the stages whose key is not in the cache are run.

#![warn(missing_docs)]

mod align;
mod align_note;
mod blocks;
mod calibrate;
mod combine;
mod combine_note;
mod decode;
mod decoded;
pub mod export;
mod finish;
mod focus;
mod frame_report;
mod gallery;
mod ground;
mod interleaved;
mod joined;
mod keys;
mod lens;
mod measure;
mod memory;
mod moving;
mod noise_growth;
mod outcome;
mod patch;
mod placed;
mod present;
mod record;
mod request;
mod run;
mod sky_motion;
mod skyline;
mod squares;
mod stages;
mod star_lists;
mod streamed;
mod sweep;
mod threads;
mod used;

pub use calibrate::{calibrate, calibrate_ground};
pub use focus::look_over;
pub use lens::{LensFound, lens_of_flats, lens_of_stars};
pub use measure::measure;
pub use memory::{Budget, default_memory};
pub use moving::moving;
pub use outcome::Outcome;
pub use placed::place;
pub use record::record;
pub use request::{Beside, Request};
pub use run::stack;
pub use skyline::{Sights, SkylineFound, skyline};
