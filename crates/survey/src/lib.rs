//! Judges frames before they are stacked: measures, doubts, sets, the proposed reference frame, and
//! conditions that would spoil a stack.

mod balance;
pub mod checks;
pub mod judge;
pub mod measures;
pub mod reference;
pub mod sets;
mod sort;
