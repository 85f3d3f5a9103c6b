//! The skyline stage: where the sky ends in the reference frame.

pub mod find;
