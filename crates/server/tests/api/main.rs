//! The routes, asked over the network as a browser or a script asks them.

mod doors;
mod exports;
mod frames;
mod house;
mod measures;
mod pictures;
mod prepare;
mod restarts;
mod runs;
mod sets;
mod shoots;
