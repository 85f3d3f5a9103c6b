//! Everything small that must not be lost, in SQLite.

mod changeable;
mod connection;
mod exports;
mod frames;
mod history;
mod jobs;
mod names;
mod probes;
mod results;
mod rows;
mod sets;
mod shoots;
#[cfg(test)]
mod tests;
mod watched;

pub use connection::Store;
pub use frames::{FrameRow, NewFrame};
pub use jobs::JobRow;
pub use results::{NewResult, ResultRow};
pub use sets::in_run;
