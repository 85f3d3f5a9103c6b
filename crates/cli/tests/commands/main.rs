//! The command line as a person uses it.

mod backup;
mod common;
mod focus;
mod lens;
mod outputs;
mod raw;
mod serve;
mod signals;
mod skyline;
mod stack;
mod written;
