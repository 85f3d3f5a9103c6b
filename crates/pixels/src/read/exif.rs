//! EXIF tags of a picture, wherever a file keeps them (EXIF 2.32, CIPA DC-008).

use super::orientation::Orientation;
use super::tiff::directory::{Directories, Directory, tag};
use crate::colour::{Encoding, Space};
use crate::facts::{Details, Facts, GpsEntry, GpsValue};
use exif::{Context, In, Reader, Tag};

/// The directory of a tag.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Place {
    Image,
    Exif,
    Gps,
    Interoperability,
}

/// The values of a tag.
#[derive(Debug, Clone, PartialEq)]
pub enum Value {
    Text(Vec<u8>),
    Numbers(Vec<u64>),
    Ratios(Vec<[u32; 2]>),
}

/// A place where tags can be looked up.
pub trait Tags {
    fn value(&self, place: Place, tag: u16) -> Option<Value>;
}

/// What tags say besides facts.
pub struct ExifHints {
    /// How the stored picture has to be turned.
    pub orientation: Orientation,
    /// The encoding of a file without a profile, if it is not sRGB.
    pub encoding: Option<Encoding>,
}

impl ExifHints {
    /// No hints.
    pub const NOTHING: Self = Self { orientation: Orientation::UPRIGHT, encoding: None };
}

/// Fills in facts from a block of EXIF, as PNG and JPEG embed it; a block that cannot be read is
/// ignored.
pub fn of_block(block: &[u8], facts: &mut Facts) -> ExifHints {
    match Reader::new().read_raw(block.to_vec()) {
        Ok(exif) => fill(&exif, facts),
        Err(_) => ExifHints::NOTHING,
    }
}

/// Fills in facts from the directory of a TIFF picture and those that it points to.
pub fn of_directory(all: &Directories, image: &Directory, facts: &mut Facts) -> ExifHints {
    let exif = all.led_to(image, tag::EXIF);
    let interoperability = exif.as_ref().and_then(|exif| all.led_to(exif, tag::INTEROPERABILITY));
    let gps = all.led_to(image, tag::GPS);
    fill(&Led { all, image, exif, gps, interoperability }, facts)
}

/// Fills in facts from tags; tags that cannot be read are ignored.
fn fill(tags: &dyn Tags, facts: &mut Facts) -> ExifHints {
    use Place::{Exif, Image, Interoperability};
    let text = |place, tag| match tags.value(place, tag)? {
        Value::Text(bytes) => words(&bytes),
        _ => None,
    };
    let whole = |place, tag| match tags.value(place, tag)? {
        Value::Numbers(all) => all.first().copied(),
        _ => None,
    };
    let number = |place, tag| {
        let value = match tags.value(place, tag)? {
            Value::Ratios(all) => all.first().map(|[n, d]| f64::from(*n) / f64::from(*d)),
            Value::Numbers(all) => all.first().map(|n| *n as f64),
            Value::Text(_) => None,
        };
        value.filter(|v| v.is_finite() && *v > 0.0)
    };
    facts.exposure_s = number(Exif, 0x829a);
    facts.aperture = number(Exif, 0x829d);
    facts.focal_mm = number(Exif, 0x920a);
    facts.iso = sensitivity([0x8827, 0x8833, 0x8832, 0x8831].map(|tag| whole(Exif, tag)));
    let time = |place, tag| text(place, tag).and_then(|t| Facts::time_from_exif(&t));
    let taken = time(Exif, 0x9003).map(|time| (time, 0x9291, 0x9011));
    let taken = taken.or_else(|| Some((time(Exif, 0x9004)?, 0x9292, 0x9012)));
    let taken = taken.or_else(|| Some((time(Image, 0x0132)?, 0x9290, 0x9010)));
    let (make, model) = (text(Image, 0x010f), text(Image, 0x0110));
    facts.camera = camera(make.as_deref(), model.as_deref());
    facts.lens = text(Exif, 0xa434).or_else(|| text(Exif, 0xa433)).filter(|name| says(name));
    facts.details = Details {
        make,
        model,
        lens_make: text(Exif, 0xa433),
        artist: text(Image, 0x013b),
        copyright: text(Image, 0x8298),
        description: text(Image, 0x010e),
        subsecond: taken.as_ref().and_then(|(_, part, _)| digits(text(Exif, *part)?)),
        offset: taken.as_ref().and_then(|(.., tag)| zone(text(Exif, *tag)?)),
        per_inch: resolution(tags),
        gps: gps(tags),
    };
    facts.taken = taken.map(|(time, ..)| time);
    let orientation = whole(Image, 0x0112).unwrap_or(1);
    // Colours stated without a profile: the optional colour space of the design rule for camera
    // file systems, which has the primaries of A98 RGB.
    let is_a98 =
        text(Interoperability, 1).as_deref() == Some("R03") || whole(Exif, 0xa001) == Some(2);
    ExifHints {
        orientation: Orientation::from_tag(orientation as u32),
        encoding: is_a98.then(|| Encoding::of_space(Space::A98)),
    }
}

/// The sensitivity. An entry of 16 bits holds values up to 65535; 65535 itself refers to the other
/// entries.
pub fn sensitivity(all: [Option<u64>; 4]) -> Option<u32> {
    let [short, others @ ..] = all;
    let others =
        || others.into_iter().flatten().find(|iso| (1..=u64::from(u32::MAX)).contains(iso));
    match short {
        Some(iso @ 1..65_535) => Some(iso as u32),
        Some(65_535) => others().map_or(Some(65_535), |iso| Some(iso as u32)),
        _ => others().map(|iso| iso as u32),
    }
}

/// Text of a tag: UTF-8, or the letters of western Europe, up to its end.
pub fn words(bytes: &[u8]) -> Option<String> {
    let end = bytes.iter().position(|byte| *byte == 0).unwrap_or(bytes.len());
    let text = match std::str::from_utf8(&bytes[..end]) {
        Ok(text) => text.to_owned(),
        Err(_) => bytes[..end].iter().map(|byte| char::from(*byte)).collect(),
    };
    let text: String = text.chars().filter(|c| !c.is_control()).collect();
    let text = text.trim();
    (!text.is_empty()).then(|| text.to_owned())
}

/// Whether a name has a letter or a digit.
pub fn says(name: &str) -> bool {
    name.chars().any(char::is_alphanumeric)
}

/// Digits alone; `None` if there is anything else.
pub fn digits(text: String) -> Option<String> {
    text.bytes().all(|b| b.is_ascii_digit()).then_some(text)
}

/// An offset such as `+01:00`; `None` for anything else.
pub fn zone(text: String) -> Option<String> {
    let bytes = text.as_bytes();
    let form = bytes.len() == 6
        && matches!(bytes[0], b'+' | b'-')
        && bytes[3] == b':'
        && [1, 2, 4, 5].iter().all(|i| bytes[*i].is_ascii_digit());
    form.then_some(text)
}

/// Pixels for each inch across and down, if the file states the size of the picture.
fn resolution(tags: &dyn Tags) -> Option<[f64; 2]> {
    let ratio = |tag| match tags.value(Place::Image, tag)? {
        Value::Ratios(all) => all.first().map(|[n, d]| f64::from(*n) / f64::from(*d)),
        _ => None,
    };
    let unit = match tags.value(Place::Image, 0x0128) {
        Some(Value::Numbers(all)) => all.first().copied().unwrap_or(2),
        _ => 2,
    };
    let factor = match unit {
        2 => 1.0,
        3 => 2.54,
        _ => return None,
    };
    let both = [ratio(0x011a)? * factor, ratio(0x011b)? * factor];
    both.iter().all(|v| (1.0..=100_000.0).contains(v)).then_some(both)
}

/// The entries about the place, unchanged.
fn gps(tags: &dyn Tags) -> Vec<GpsEntry> {
    let entry = |tag: u16| {
        let value = match tags.value(Place::Gps, tag)? {
            // Text longer than this describes no place.
            Value::Text(bytes) if bytes.len() <= 256 => GpsValue::Text(words(&bytes)?),
            Value::Text(_) => return None,
            Value::Numbers(all) if all.len() > 256 => return None,
            Value::Numbers(all) => GpsValue::Bytes(
                all.iter().map(|v| u8::try_from(*v).ok()).collect::<Option<Vec<u8>>>()?,
            ),
            Value::Ratios(all) => GpsValue::Ratios(all),
        };
        Some(GpsEntry { tag, value })
    };
    (0..=31).filter(|tag| *tag != 30).filter_map(entry).collect()
}

/// Maker and model in one line, with the maker only once.
pub fn camera(make: Option<&str>, model: Option<&str>) -> Option<String> {
    match (make, model) {
        (Some(make), Some(model)) if model.starts_with(make) => Some(model.to_owned()),
        (Some(make), Some(model)) => Some(format!("{make} {model}")),
        (make, model) => model.or(make).map(str::to_owned),
    }
}

impl Tags for exif::Exif {
    fn value(&self, place: Place, tag: u16) -> Option<Value> {
        let context = match place {
            Place::Image => Context::Tiff,
            Place::Exif => Context::Exif,
            Place::Gps => Context::Gps,
            Place::Interoperability => Context::Interop,
        };
        Some(match &self.get_field(Tag(context, tag), In::PRIMARY)?.value {
            exif::Value::Ascii(lines) => Value::Text(lines.first()?.clone()),
            exif::Value::Rational(all) => {
                Value::Ratios(all.iter().map(|ratio| [ratio.num, ratio.denom]).collect())
            }
            exif::Value::Byte(all) => Value::Numbers(all.iter().map(|v| (*v).into()).collect()),
            exif::Value::Undefined(all, _) => {
                Value::Numbers(all.iter().map(|v| (*v).into()).collect())
            }
            other => {
                let count = 0..;
                Value::Numbers(count.map_while(|i| other.get_uint(i).map(u64::from)).collect())
            }
        })
    }
}

/// The directories that a picture's directory points to.
struct Led<'a> {
    all: &'a Directories,
    image: &'a Directory,
    exif: Option<Directory>,
    gps: Option<Directory>,
    interoperability: Option<Directory>,
}

impl Tags for Led<'_> {
    fn value(&self, place: Place, tag: u16) -> Option<Value> {
        let directory = match place {
            Place::Image => Some(self.image),
            Place::Exif => self.exif.as_ref(),
            Place::Gps => self.gps.as_ref(),
            Place::Interoperability => self.interoperability.as_ref(),
        }?;
        let (kind, bytes) = self.all.value(directory, tag).ok()??;
        Some(match kind {
            2 => Value::Text(bytes),
            5 => {
                let long = |b: &[u8]| self.all.number(b) as u32;
                let pairs = bytes.chunks_exact(8).map(|b| [long(&b[..4]), long(&b[4..])]);
                Value::Ratios(pairs.collect())
            }
            _ => Value::Numbers(self.all.numbers(directory, tag).ok()??),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sensitivities_beyond_sixteen_bits_are_found() {
        assert_eq!(sensitivity([Some(3200), Some(9), None, None]), Some(3200));
        assert_eq!(sensitivity([Some(65_535), None, Some(102_400), None]), Some(102_400));
        assert_eq!(sensitivity([Some(65_535), None, None, None]), Some(65_535));
        assert_eq!(sensitivity([None, Some(409_600), None, None]), Some(409_600));
        assert_eq!(sensitivity([Some(0), None, None, None]), None);
    }

    #[test]
    fn text_is_read_in_either_coding() {
        assert_eq!(words("小米 13\0rest".as_bytes()).as_deref(), Some("小米 13"));
        assert_eq!(words(b"M\xfcller  ").as_deref(), Some("Müller"));
        assert_eq!(words(b"  \0"), None);
        assert_eq!(words(b"a\nb").as_deref(), Some("ab"));
    }

    #[test]
    fn the_maker_is_not_said_twice() {
        assert_eq!(camera(Some("Salt"), Some("Salt One")).as_deref(), Some("Salt One"));
        assert_eq!(camera(Some("Salt"), Some("One")).as_deref(), Some("Salt One"));
        assert_eq!(camera(None, Some("One")).as_deref(), Some("One"));
    }
}
