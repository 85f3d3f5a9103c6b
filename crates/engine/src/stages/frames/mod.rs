//! The frames stage: every frame decoded once.

pub mod decode;
pub mod decoded;
pub mod gallery;
pub mod lost;
