//! What the readers are tried with: small whole files of every kind, damage done to them, and what
//! must hold whatever comes of it.
//!
//! The fuzz targets in `fuzz/`, the short run among this crate's tests and `cargo xtask trials` all
//! try the same inputs by the same rules.

mod damage;
mod reader;
mod seeds;

use jade_allocator::Reserving;

/// The program has the same one.
#[global_allocator]
static ALLOCATOR: Reserving = Reserving;

pub use damage::{Damage, damaged};
pub use reader::{Light, Outcome, Reader, light};
pub use seeds::{Seed, seeds};
