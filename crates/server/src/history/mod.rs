//! What a person changed in a shoot, noted so that it can be undone and made again.

mod difference;

pub use difference::{Difference, Unlike, difference};

/// A change that is about to be made.
pub struct Title<'a> {
    /// What is changed, in words that go on from "Undo".
    pub text: &'a str,
    /// The gesture that it is a part of, such as one drag of a slider. Changes of one gesture that
    /// follow each other are undone together.
    pub gesture: Option<&'a str>,
}

impl<'a> From<&'a str> for Title<'a> {
    fn from(text: &'a str) -> Self {
        Self { text, gesture: None }
    }
}
