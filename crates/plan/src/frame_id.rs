//! Names of frames, which do not depend on file names.

use serde::{Deserialize, Serialize};
use std::fmt;

/// Suffix of the name of a frame whose file cannot be opened.
const GONE: &str = " (gone)";

/// Names a frame by the content of its file: BLAKE3 as hexadecimal digits, or in a run whose cache
/// is its own, any text that differs from file to file. Empty in reports and plans that were saved
/// before frames were named by their content.
#[derive(Debug, Clone, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(transparent)]
pub struct FrameId(String);

impl FrameId {
    /// The name as text.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// Whether the frame is named at all; frames of old reports are not.
    pub fn is_known(&self) -> bool {
        !self.0.is_empty()
    }

    /// The name of the same frame while its file cannot be opened. What is made without a frame
    /// must never be taken for what is made with it.
    pub fn gone(&self) -> Self {
        Self(format!("{}{GONE}", self.0))
    }

    /// The frame's name, whether its file can be opened or not.
    pub fn there_or_gone(&self) -> Self {
        Self(self.0.strip_suffix(GONE).unwrap_or(&self.0).to_owned())
    }
}

impl From<String> for FrameId {
    fn from(content: String) -> Self {
        Self(content)
    }
}

impl From<&str> for FrameId {
    fn from(content: &str) -> Self {
        Self(content.to_owned())
    }
}

impl fmt::Display for FrameId {
    fn fmt(&self, out: &mut fmt::Formatter) -> fmt::Result {
        out.write_str(&self.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_frame_that_is_gone_has_another_name_until_it_is_back() {
        let frame = FrameId::from("a1b2");
        assert_ne!(frame.gone(), frame);
        assert_eq!(frame.gone().there_or_gone(), frame);
        assert_eq!(frame.there_or_gone(), frame);
        assert!(!FrameId::default().is_known());
    }
}
