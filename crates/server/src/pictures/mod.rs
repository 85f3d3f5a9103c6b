//! Every picture that can be shown, as tiles at any zoom.

mod derived;
mod difference;
pub(crate) mod gallery;
mod open;
mod open_picture;
mod overlay;
mod painted;
mod source;
mod stored;

pub use difference::difference;
pub use open::open;
pub use open_picture::{How, OpenPicture};
pub use overlay::Overlay;
pub use source::{Offer, Source};
pub use stored::{make_room_for, open_frame, open_result};
