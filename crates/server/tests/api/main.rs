//! The routes, asked over the network as a browser or a script asks them.

mod contract;
mod doors;
mod exports;
mod focus;
mod frames;
mod history;
mod house;
mod in_place;
mod measures;
mod old_stores;
mod pictures;
mod prepare;
mod restarts;
mod runs;
mod sets;
mod sharing;
mod shoots;
mod skyline;
mod soundness;
