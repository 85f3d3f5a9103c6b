//! What frames show before they are stacked: measures of each, doubts, the sets that they belong
//! to, the proposed reference frame, and what would spoil a stack.

mod balance;
pub mod checks;
pub mod judge;
pub mod measures;
pub mod reference;
pub mod sets;
mod sort;
