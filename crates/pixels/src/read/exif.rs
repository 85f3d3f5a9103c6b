//! EXIF blocks as PNG and JPEG embed them.

use super::orientation::Orientation;
use crate::facts::Facts;
use exif::{In, Reader, Tag, Value};

/// Fills in what the block tells, and gives how the picture lies; a block that cannot be read tells
/// nothing.
pub fn apply(block: &[u8], facts: &mut Facts) -> Orientation {
    let Ok(exif) = Reader::new().read_raw(block.to_vec()) else {
        return Orientation::UPRIGHT;
    };
    let number = |tag| {
        let value = &exif.get_field(tag, In::PRIMARY)?.value;
        match value {
            Value::Rational(r) => r.first().map(|r| r.to_f64()),
            other => other.get_uint(0).map(f64::from),
        }
        .filter(|v| v.is_finite() && *v > 0.0)
    };
    let text = |tag| match &exif.get_field(tag, In::PRIMARY)?.value {
        Value::Ascii(lines) => lines.first().map(|l| String::from_utf8_lossy(l).into_owned()),
        _ => None,
    };
    facts.exposure_s = number(Tag::ExposureTime);
    facts.iso = number(Tag::PhotographicSensitivity).map(|v| v as u32);
    facts.aperture = number(Tag::FNumber);
    facts.focal_mm = number(Tag::FocalLength);
    facts.taken = text(Tag::DateTimeOriginal)
        .or_else(|| text(Tag::DateTime))
        .and_then(|t| Facts::time_from_exif(&t));
    facts.camera = camera(text(Tag::Make), text(Tag::Model));
    facts.lens = lens(text(Tag::LensModel));
    let orientation = exif.get_field(Tag::Orientation, In::PRIMARY);
    Orientation::from_tag(orientation.and_then(|field| field.value.get_uint(0)).unwrap_or(1))
}

/// The lens by name, unless the name says nothing.
pub fn lens(model: Option<String>) -> Option<String> {
    let name = model?.trim_matches(['\0', ' ']).to_owned();
    name.chars().any(char::is_alphanumeric).then_some(name)
}

/// Maker and model in one line, the maker not said twice.
pub fn camera(make: Option<String>, model: Option<String>) -> Option<String> {
    let clean = |s: Option<String>| {
        s.map(|s| s.trim_matches(['\0', ' ']).to_owned()).filter(|s| !s.is_empty())
    };
    match (clean(make), clean(model)) {
        (Some(make), Some(model)) if model.starts_with(&make) => Some(model),
        (Some(make), Some(model)) => Some(format!("{make} {model}")),
        (make, model) => model.or(make),
    }
}
