//! Every picture that can be shown, as tiles at any zoom.

mod derived;
mod difference;
mod gallery;
mod laid;
mod open;
mod painted;
mod shown;
mod source;
mod stored;

pub use difference::difference;
pub use gallery::Gallery;
pub use laid::Laid;
pub use open::open;
pub use shown::{How, Shown};
pub use source::{Offer, Source};
pub use stored::{make_room_for, open_frame, open_result};
