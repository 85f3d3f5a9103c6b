//! The command line as a person uses it.

mod common;
mod focus;
mod lens;
mod raw;
mod serve;
mod skyline;
mod stack;
