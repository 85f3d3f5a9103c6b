//! Is it cleaner, and is it still sharp: figures of noise and stars.

pub mod noise;
