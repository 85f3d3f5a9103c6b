//! EXIF of a written picture: how it was taken and what it was made of (EXIF 2.32, CIPA DC-008), as
//! tags that each format writes in its way.

use crate::facts::{Details, Facts, GpsValue};
use exif::experimental::Writer;
use exif::{Context, Field, In, Tag};
use std::io::Cursor;

/// How a picture was taken, and what it was made of.
#[derive(Debug, Clone, Copy)]
pub struct Taken<'a> {
    /// Facts of the frame that stands for all.
    pub facts: &'a Facts,
    /// The frames that were combined into it.
    pub stack: Option<Stack>,
    /// Whether to include where it was taken.
    pub place: bool,
}

/// Frames of which one picture was made, and their exposures in seconds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stack {
    /// Number of given frames.
    pub given: u32,
    /// Number of combined frames.
    pub used: u32,
    /// Exposures of the given and of the combined frames; `None` if any frame's is unknown.
    pub exposures: Option<Exposures>,
}

/// Exposures in seconds, of the given frames and of the combined ones.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Exposures {
    /// Sum.
    pub total: [f64; 2],
    /// Longest.
    pub longest: [f64; 2],
    /// Shortest.
    pub shortest: [f64; 2],
}

/// The program's name in files.
pub const SOFTWARE: &str = concat!("Jade Stack ", env!("CARGO_PKG_VERSION"));

/// A directory of tags.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Place {
    Image,
    Exif,
    Gps,
}

/// The value of a tag.
#[derive(Debug, Clone, PartialEq)]
pub enum Value {
    Text(String),
    Bytes(Vec<u8>),
    Undefined(Vec<u8>),
    Shorts(Vec<u16>),
    Long(u32),
    Ratios(Vec<[u32; 2]>),
}

/// Properties of a picture besides how it was taken.
#[derive(Debug, Clone, Copy)]
pub struct Look {
    pub width: u32,
    pub height: u32,
    /// Whether its colours are those of sRGB.
    pub srgb: bool,
    /// Whether its samples are compressed as JPEG.
    pub jpeg: bool,
}

/// The tags of a picture, in order of their numbers within each directory.
pub fn tags(taken: Option<Taken>, look: Look) -> Vec<(Place, u16, Value)> {
    let mut all: Vec<(Place, u16, Value)> = vec![];
    let mut put = |place: Place, tag: u16, value: Option<Value>| {
        all.extend(value.map(|value| (place, tag, value)));
    };
    let text = |text: &Option<String>| text.clone().map(Value::Text);
    let bare = Facts::bare(crate::facts::FileFormat::Tiff, look.width, look.height, 16);
    let facts = taken.map_or(&bare, |taken| taken.facts);
    let Details { make, model, lens_make, artist, copyright, description, .. } = &facts.details;
    // Facts stored by earlier versions have maker and model in one entry.
    let model = model.clone().or_else(|| facts.camera.clone());
    let [across, down] = facts.details.per_inch.unwrap_or([72.0; 2]);
    put(Place::Image, 0x010e, text(description));
    put(Place::Image, 0x010f, text(make));
    put(Place::Image, 0x0110, text(&model));
    put(Place::Image, 0x011a, Some(ratio(across)));
    put(Place::Image, 0x011b, Some(ratio(down)));
    put(Place::Image, 0x0128, Some(Value::Shorts(vec![2])));
    put(Place::Image, 0x0131, Some(Value::Text(SOFTWARE.to_owned())));
    put(Place::Image, 0x013b, text(artist));
    if look.jpeg {
        put(Place::Image, 0x0213, Some(Value::Shorts(vec![1])));
    }
    put(Place::Image, 0x8298, text(copyright));

    put(Place::Exif, 0x829a, facts.exposure_s.map(ratio));
    put(Place::Exif, 0x829d, facts.aperture.map(ratio));
    if let Some(iso) = facts.iso {
        put(Place::Exif, 0x8827, Some(Value::Shorts(vec![iso.min(65_535) as u16])));
        if iso > 65_535 {
            // The recommended exposure index holds values that sixteen bits do not.
            put(Place::Exif, 0x8830, Some(Value::Shorts(vec![2])));
            put(Place::Exif, 0x8832, Some(Value::Long(iso)));
        }
    }
    put(Place::Exif, 0x9000, Some(Value::Undefined(b"0232".to_vec())));
    let time =
        facts.taken.as_ref().and_then(|text| text.get(..19)).map(|text| text.replace('-', ":"));
    put(Place::Exif, 0x9003, time.clone().map(Value::Text));
    if time.is_some() {
        put(Place::Exif, 0x9011, text(&facts.details.offset));
    }
    if look.jpeg {
        put(Place::Exif, 0x9101, Some(Value::Undefined(vec![1, 2, 3, 0])));
    }
    put(Place::Exif, 0x920a, facts.focal_mm.map(ratio));
    if time.is_some() {
        put(Place::Exif, 0x9291, text(&facts.details.subsecond));
    }
    put(Place::Exif, 0xa000, Some(Value::Undefined(b"0100".to_vec())));
    put(Place::Exif, 0xa001, Some(Value::Shorts(vec![if look.srgb { 1 } else { 0xffff }])));
    if look.jpeg {
        put(Place::Exif, 0xa002, Some(Value::Long(look.width)));
        put(Place::Exif, 0xa003, Some(Value::Long(look.height)));
    }
    put(Place::Exif, 0xa433, text(lens_make));
    put(Place::Exif, 0xa434, text(&facts.lens));
    if let Some(stack) = taken.and_then(|taken| taken.stack) {
        // Composite image: made of several frames after they were taken.
        put(Place::Exif, 0xa460, Some(Value::Shorts(vec![2])));
        let few = |count: u32| count.min(65_535) as u16;
        put(Place::Exif, 0xa461, Some(Value::Shorts(vec![few(stack.given), few(stack.used)])));
        put(Place::Exif, 0xa462, stack.exposures.map(exposures));
    }
    if taken.is_some_and(|taken| taken.place) && !facts.details.gps.is_empty() {
        let gps = &facts.details.gps;
        let mut values: Vec<(u16, Value)> = gps
            .iter()
            .map(|entry| {
                let value = match entry.value.clone() {
                    GpsValue::Text(text) => Value::Text(text),
                    // Method and area are texts that begin with the code of their character set.
                    GpsValue::Bytes(bytes) if [0x1b, 0x1c].contains(&entry.tag) => {
                        Value::Undefined(bytes)
                    }
                    GpsValue::Bytes(bytes) => Value::Bytes(bytes),
                    GpsValue::Ratios(all) => Value::Ratios(all),
                };
                (entry.tag, value)
            })
            .collect();
        if gps.iter().all(|entry| entry.tag != 0) {
            values.push((0, Value::Bytes(vec![2, 3, 0, 0])));
        }
        // Readers expect the method by which the place was found; `GPS` stands for the satellites.
        if gps.iter().all(|entry| entry.tag != 0x1b) {
            values.push((0x1b, Value::Undefined(b"ASCII\0\0\0GPS".to_vec())));
        }
        values.sort_by_key(|(tag, _)| *tag);
        for (tag, value) in values {
            put(Place::Gps, tag, Some(value));
        }
    }
    all
}

/// Exposure times of a composite's frames (EXIF 2.32, 4.6.5, SourceExposureTimesOfCompositeImage):
/// sums for the whole, all frames and the used ones; the longest and the shortest of all and of the
/// used; no sequences.
fn exposures(Exposures { total, longest, shortest }: Exposures) -> Value {
    let seconds = [total[1], total[0], total[1], longest[0], longest[1], shortest[0], shortest[1]];
    let mut bytes = vec![];
    for value in seconds {
        let Value::Ratios(ratio) = ratio(value) else { continue };
        bytes.extend(ratio.into_iter().flatten().flat_map(u32::to_le_bytes));
    }
    bytes.extend(0u16.to_le_bytes());
    Value::Undefined(bytes)
}

/// A positive number as a fraction, precise to at least four digits.
pub fn ratio(value: f64) -> Value {
    let value = value.clamp(0.0, 4e9);
    // Short exposures are one over a whole number.
    let over = 1.0 / value;
    let (n, d) = if value > 0.0 && value < 0.5 && (over - over.round()).abs() < 1e-4 * over {
        (1, over.round() as u32)
    } else {
        let d = [1u32, 10, 1000, 1_000_000]
            .into_iter()
            .find(|d| {
                let scaled = value * f64::from(*d);
                (scaled - scaled.round()).abs() <= 1e-5 * scaled && scaled < 4e9
            })
            .unwrap_or(if value < 1000.0 { 1_000_000 } else { 1 });
        ((value * f64::from(d)).round() as u32, d)
    };
    Value::Ratios(vec![[n, d]])
}

/// The tags as one block, as PNG and JPEG embed it.
pub fn block(tags: &[(Place, u16, Value)]) -> Vec<u8> {
    let field = |(place, tag, value): &(Place, u16, Value)| {
        let context = match place {
            Place::Image => Context::Tiff,
            Place::Exif => Context::Exif,
            Place::Gps => Context::Gps,
        };
        let value = match value.clone() {
            Value::Text(text) => exif::Value::Ascii(vec![text.into_bytes()]),
            Value::Bytes(bytes) => exif::Value::Byte(bytes),
            Value::Undefined(bytes) => exif::Value::Undefined(bytes, 0),
            Value::Shorts(all) => exif::Value::Short(all),
            Value::Long(value) => exif::Value::Long(vec![value]),
            Value::Ratios(all) => {
                let all = all.into_iter().map(|[num, denom]| exif::Rational { num, denom });
                exif::Value::Rational(all.collect())
            }
        };
        Field { tag: Tag(context, *tag), ifd_num: In::PRIMARY, value }
    };
    let fields: Vec<Field> = tags.iter().map(field).collect();
    let mut writer = Writer::new();
    fields.iter().for_each(|field| writer.push_field(field));
    let mut bytes = Cursor::new(vec![]);
    match writer.write(&mut bytes, true) {
        Ok(()) => bytes.into_inner(),
        // If the block cannot be made, the picture is written without it.
        Err(_) => vec![],
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fractions_keep_what_matters() {
        let of = |value: f64| match ratio(value) {
            Value::Ratios(all) => all[0],
            _ => [0, 0],
        };
        assert_eq!(of(8.0), [8, 1]);
        assert_eq!(of(1.0 / 4000.0), [1, 4000]);
        assert_eq!(of(2.8), [28, 10]);
        assert_eq!(of(0.3), [3, 10]);
        assert_eq!(of(0.0), [0, 1]);
        for value in [13.3721, 1.0 / 3.0, 123_456.789, 0.000_123] {
            let [n, d] = of(value);
            assert!((f64::from(n) / f64::from(d) / value - 1.0).abs() < 1e-4, "{value}: {n}/{d}");
        }
    }

    #[test]
    fn an_unknown_frame_has_no_more_than_the_picture_itself() {
        let look = Look { width: 3, height: 2, srgb: true, jpeg: false };
        let tags = tags(None, look);
        let of = |place| tags.iter().filter(move |tag| tag.0 == place).map(|tag| tag.1);
        assert_eq!(of(Place::Image).collect::<Vec<_>>(), [0x011a, 0x011b, 0x0128, 0x0131]);
        assert_eq!(of(Place::Exif).collect::<Vec<_>>(), [0x9000, 0xa000, 0xa001]);
        assert_eq!(of(Place::Gps).count(), 0);
    }
}
