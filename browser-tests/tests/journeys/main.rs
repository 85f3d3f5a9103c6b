//! The application in a real browser, used as a person would.

mod align_and_combine;
mod at_once;
mod boxes;
mod contrast;
mod finish;
mod focus;
mod frames;
mod journey;
mod keyboard;
mod page;
mod prepare;
mod skyline;
mod sorting;
mod workbench;
