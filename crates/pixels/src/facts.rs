//! What a picture file tells about itself and about how it was taken.

use serde::{Deserialize, Serialize};

/// The formats that are read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum FileFormat {
    /// Tagged image file format: 8, 16 or 32 bit, or floating-point numbers.
    Tiff,
    /// Portable network graphics, 8 or 16 bit.
    Png,
    /// JPEG, 8 bit.
    Jpeg,
    /// Camera raw, DNG among it: a sensor's mosaic.
    Raw,
    /// OpenEXR: floating-point numbers.
    Exr,
    /// WebP, 8 bit.
    WebP,
    /// Flexible image transport system: 8 or 16 bit, or floating-point numbers.
    Fits,
}

impl FileFormat {
    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Tiff => "TIFF",
            Self::Png => "PNG",
            Self::Jpeg => "JPEG",
            Self::Raw => "raw",
            Self::Exr => "OpenEXR",
            Self::WebP => "WebP",
            Self::Fits => "FITS",
        }
    }
}

/// Facts of one picture file; `None` where the file does not say.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Facts {
    /// File format.
    pub format: FileFormat,
    /// Width in pixels of the upright picture, also where it is stored turned or mirrored.
    pub width: u32,
    /// Height in pixels of the upright picture.
    pub height: u32,
    /// Bits of one sample.
    pub bits: u8,
    /// Whether samples are floating-point numbers.
    #[serde(default)]
    pub float: bool,
    /// Exposure time in seconds.
    pub exposure_s: Option<f64>,
    /// ISO speed.
    pub iso: Option<u32>,
    /// Aperture as f-number.
    pub aperture: Option<f64>,
    /// Focal length in millimetres, as engraved.
    pub focal_mm: Option<f64>,
    /// When it was taken, `YYYY-MM-DD HH:MM:SS` on the camera's clock.
    pub taken: Option<String>,
    /// Camera maker and model.
    pub camera: Option<String>,
    /// The lens by name.
    pub lens: Option<String>,
    /// The name in the embedded colour profile.
    pub profile: Option<String>,
    /// The raw values of grey by the camera's white balance: red, green and blue, green 1.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schema(value_type = Option<(f32, f32, f32)>))]
    pub neutral: Option<[f32; 3]>,
    /// Further entries about how and by whom it was taken.
    #[serde(default, skip_serializing_if = "Details::is_empty")]
    pub details: Details,
}

/// Entries of a camera or a person, copied into what is made of the file.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Details {
    /// The camera's maker, as in the file.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub make: Option<String>,
    /// The camera's model, as in the file.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub model: Option<String>,
    /// The lens's maker.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub lens_make: Option<String>,
    /// The photographer.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub artist: Option<String>,
    /// The copyright.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub copyright: Option<String>,
    /// The description.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub description: Option<String>,
    /// Digits of the second after the point.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub subsecond: Option<String>,
    /// Offset of the camera's clock from UTC, such as `+01:00`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub offset: Option<String>,
    /// Pixels for each inch across and down.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "schema", schema(value_type = Option<(f64, f64)>))]
    pub per_inch: Option<[f64; 2]>,
    /// The entries about the place where it was taken.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub gps: Vec<GpsEntry>,
}

/// One entry about the place where a picture was taken (EXIF 2.32, 4.6.6).
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct GpsEntry {
    /// Its number.
    pub tag: u16,
    /// Its value.
    pub value: GpsValue,
}

/// The value of a [`GpsEntry`].
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum GpsValue {
    /// A text.
    Text(String),
    /// Bytes, as those of the version.
    Bytes(Vec<u8>),
    /// Numbers as numerator and denominator.
    Ratios(Vec<[u32; 2]>),
}

impl Details {
    /// Whether it has no entries.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }
}

impl Facts {
    /// Facts of a picture about which nothing else is known.
    pub fn bare(format: FileFormat, width: u32, height: u32, bits: u8) -> Self {
        Self {
            format,
            width,
            height,
            bits,
            float: false,
            exposure_s: None,
            iso: None,
            aperture: None,
            focal_mm: None,
            taken: None,
            camera: None,
            lens: None,
            profile: None,
            neutral: None,
            details: Details::default(),
        }
    }

    /// When it was taken, in seconds since 1970 on the camera's clock.
    pub fn taken_s(&self) -> Option<i64> {
        let text = self.taken.as_deref()?;
        let number = |from: usize, to: usize| text.get(from..to)?.parse::<i64>().ok();
        let (year, month, day) = (number(0, 4)?, number(5, 7)?, number(8, 10)?);
        let (hour, minute, second) = (number(11, 13)?, number(14, 16)?, number(17, 19)?);
        // Days of the Gregorian calendar, counted in years that begin in March.
        let year = if month <= 2 { year - 1 } else { year };
        let before = 365 * year + year.div_euclid(4) - year.div_euclid(100) + year.div_euclid(400);
        let days = before + (153 * ((month + 9) % 12) + 2) / 5 + day - 719_469;
        Some(((days * 24 + hour) * 60 + minute) * 60 + second)
    }

    /// `2026:03:14 22:10:05`, as EXIF writes it, becomes `2026-03-14 22:10:05`; blank or malformed
    /// times become `None`.
    pub fn time_from_exif(text: &str) -> Option<String> {
        let text = text.trim_end_matches('\0').trim();
        let (day, time) = text.split_once(' ')?;
        let parts: Vec<&str> = day.split(':').collect();
        let digits = |s: &str, n: usize| s.len() == n && s.bytes().all(|b| b.is_ascii_digit());
        match parts[..] {
            [y, m, d] if digits(y, 4) && digits(m, 2) && digits(d, 2) && time.len() >= 8 => {
                Some(format!("{y}-{m}-{d} {time}"))
            }
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::{Facts, FileFormat};

    #[test]
    fn times_are_counted_in_seconds() {
        let at = |text: &str| {
            let facts =
                Facts { taken: Some(text.to_owned()), ..Facts::bare(FileFormat::Tiff, 1, 1, 8) };
            facts.taken_s()
        };
        assert_eq!(at("1970-01-01 00:00:00"), Some(0));
        assert_eq!(at("2000-02-29 12:30:15"), Some(951_827_415));
        assert_eq!(at("2026-03-15 00:00:01"), Some(at("2026-03-14 23:59:59").unwrap() + 2));
        assert_eq!(at("yesterday"), None);
    }

    #[test]
    fn exif_time_is_turned_or_dropped() {
        let turned = Facts::time_from_exif("2026:03:14 22:10:05\0");
        assert_eq!(turned.as_deref(), Some("2026-03-14 22:10:05"));
        assert_eq!(Facts::time_from_exif("    :  :     :  :  "), None);
        assert_eq!(Facts::time_from_exif("yesterday evening"), None);
    }
}
