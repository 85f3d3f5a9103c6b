//! Names that people give.

use crate::error::ApiError;

/// Checks a name: something visible, and not too long.
pub fn checked_name(of: &str, name: &str) -> Result<String, ApiError> {
    let name = name.trim();
    match name.chars().count() {
        0 => Err(ApiError::field("name", format!("A {of} needs a name; type one."))),
        1..=120 => Ok(name.to_owned()),
        n => {
            Err(ApiError::field("name", format!("The name has {n} characters; 120 are the most.")))
        }
    }
}
