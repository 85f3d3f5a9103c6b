//! Opens a picture file: reads its facts at once, and its samples row by row.

mod decode;
mod exif;
mod exr;
mod fits;
mod guarded;
mod jpeg;
mod layout;
mod orientation;
mod png;
mod raw;
mod rows;
mod tiff;
mod turned;
mod webp;

use crate::PictureError;
use crate::colour::Encoding;
use crate::facts::{Facts, FileFormat};
use crate::mosaic::{Mosaic, Sensor};
use crate::regular;
use crate::tiled::{RowWriter, SIDE, TiledFile};
use decode::{Colours, Decode, Opened};
pub use orientation::Orientation;
pub use rows::{LightRows, Rows, RowsOf};
use std::io::Read;
use std::path::{Path, PathBuf};
pub use tiff::InPlace;
use tiff::strips::Strips;
use turned::Turned;

/// An open picture file whose header was read and accepted.
pub struct PictureFile {
    path: PathBuf,
    facts: Facts,
    encoding: Encoding,
    /// For a mosaic, how its rows and columns have to be turned.
    orientation: Orientation,
    decoder: Box<dyn Decode>,
}

impl PictureFile {
    /// Reads the header of a camera raw, TIFF, PNG, JPEG, WebP, OpenEXR or FITS file, known by its
    /// content rather than its name.
    ///
    /// # Errors
    /// [`PictureError`] with one sentence for the person; sizes beyond [`crate::limits`] are
    /// refused before memory is taken for them.
    pub fn open(path: &Path) -> Result<Self, PictureError> {
        let io = PictureError::io(path);
        let mut begin = Vec::new();
        regular::open(path)?.take(16).read_to_end(&mut begin).map_err(&io)?;
        let Opened { mut facts, colours, orientation, mut decoder } = match sniff(path, &begin)? {
            Some(FileFormat::Raw) => raw::open(path)?,
            Some(FileFormat::Tiff) => tiff::open(path)?,
            Some(FileFormat::Png) => png::open(path)?,
            Some(FileFormat::Jpeg) => jpeg::open(path)?,
            Some(FileFormat::Exr) => exr::open(path)?,
            Some(FileFormat::WebP) => webp::open(path)?,
            Some(FileFormat::Fits) => fits::open(path)?,
            None => return Err(unknown(path, &begin)),
        };
        if orientation != Orientation::UPRIGHT {
            let stored = (facts.width, facts.height);
            (facts.width, facts.height) = orientation.size(stored);
            if decoder.sensor().is_none() {
                decoder = Box::new(Turned { inner: decoder, orientation, stored });
            }
        }
        let said = !matches!(colours, Colours::Unstated);
        let encoding = match colours {
            Colours::Unstated if decoder.is_float() => Encoding::linear_srgb(),
            Colours::Unstated => Encoding::srgb(),
            Colours::Icc(icc) => Encoding::from_icc(path, Some(&icc))?,
            Colours::Encoding(encoding) => encoding,
        };
        let profile = said.then(|| encoding.name().to_owned());
        let neutral = decoder.sensor().and_then(|sensor| sensor.neutral);
        let neutral = neutral.map(|[r, g, b]| [r / g, 1.0, b / g]);
        let facts = Facts { profile, neutral, ..facts };
        Ok(Self { path: path.to_owned(), facts, encoding, orientation, decoder })
    }

    /// Facts from the file.
    pub fn facts(&self) -> &Facts {
        &self.facts
    }

    /// The relation of its samples to light.
    pub fn encoding(&self) -> &Encoding {
        &self.encoding
    }

    /// Decodes the whole file into `rows`, holding a few rows in memory (for interlaced PNG and
    /// JPEG the whole picture).
    ///
    /// # Errors
    /// [`PictureError`] of the file, or what `rows` returned.
    pub fn rows(self, rows: Rows) -> Result<(), PictureError> {
        // Rows at a time; few enough to stay in the processor's cache until they are used.
        const FEW: u32 = 8;
        self.bands(FEW, rows)
    }

    /// Whether the file holds floating-point numbers, which may be finer than 16 bit and brighter
    /// than white. [`PictureFile::light`] reads them unchanged.
    pub fn is_float(&self) -> bool {
        self.decoder.is_float()
    }

    /// The sensor, if the file holds its mosaic. [`PictureFile::mosaic`] reads it; it has no rows
    /// of colours before it is developed.
    pub fn sensor(&self) -> Option<&Sensor> {
        self.decoder.sensor()
    }

    /// Width and height of a mosaic as stored; of other pictures upright, as they are decoded.
    pub fn stored_size(&self) -> (u32, u32) {
        let size = (self.facts.width, self.facts.height);
        if self.sensor().is_some() { self.orientation.size(size) } else { size }
    }

    /// How the stored rows and columns have to be turned to be upright.
    pub fn orientation(&self) -> Orientation {
        self.orientation
    }

    /// The sensor's mosaic as stored, and how it has to be turned; `None` for developed pictures.
    ///
    /// # Errors
    /// [`PictureError`] of the file.
    pub fn mosaic(self) -> Result<Option<(Mosaic, Orientation)>, PictureError> {
        Ok(self.decoder.mosaic()?.map(|mosaic| (mosaic, self.orientation)))
    }

    /// Decodes the whole file into linear light. Infinite numbers and NaN become black; impossibly
    /// large numbers are refused.
    ///
    /// # Errors
    /// [`PictureError`] of the file, or what `rows` returned.
    pub fn light(self, rows: LightRows) -> Result<(), PictureError> {
        let mut light = Vec::new();
        if self.decoder.is_float() {
            let path = self.path;
            return self.decoder.floats(&mut |y, samples| {
                light.clear();
                // Infinite numbers and NaN are not refused: they mark missing samples.
                if let Some(odd) = samples.iter().find(|v| v.is_finite() && v.abs() > BRIGHTEST) {
                    let what = format!("light of {odd:e}, where white is 1,");
                    let remedy = "divide its numbers so that white is 1";
                    return Err(PictureError::unsupported_so(&path, what, remedy));
                }
                let channels = [0, 1, 2].into_iter().cycle();
                let decode = |(channel, v): (usize, &f32)| self.encoding.decode_float(channel, *v);
                light.extend(channels.zip(samples).map(decode));
                rows(y, &light)
            });
        }
        let curves = [0, 1, 2].map(|c| self.encoding.curve(c));
        self.decoder.rows(SIDE, &mut |y, samples| {
            light.clear();
            let channels = [0, 1, 2].into_iter().cycle();
            light.extend(channels.zip(samples).map(|(c, v)| curves[c][*v as usize]));
            rows(y, &light)
        })
    }

    /// Passes on all rows as 16-bit codes, `height` at a time if the format leaves the choice.
    fn bands(self, height: u32, rows: Rows) -> Result<(), PictureError> {
        if !self.decoder.is_float() {
            return self.decoder.rows(height, rows);
        }
        let encoding = self.encoding.clone();
        let mut codes = Vec::new();
        self.light(&mut |y, light| {
            codes.resize(light.len(), 0);
            encoding.encode_pixels(light, &mut codes);
            rows(y, &codes)
        })
    }

    /// Most bytes that decoding takes besides its output.
    pub fn decoding_bytes(&mut self) -> u64 {
        // A whole picture of 16 bit and four channels, if the format does not say.
        let whole = u64::from(self.facts.width) * u64::from(self.facts.height) * 8;
        self.decoder.decoding_bytes().unwrap_or(whole)
    }

    /// The picture in its file, if any part of it can be read without the rest.
    ///
    /// # Errors
    /// [`PictureError::Io`].
    pub fn in_place(&mut self) -> Result<Option<InPlace>, PictureError> {
        let strips = self.decoder.strips().filter(Strips::is_plain);
        strips.map(InPlace::open).transpose()
    }

    /// Decodes the whole file into a tiled file at `path`, and passes every band of rows to
    /// `watch`.
    ///
    /// # Errors
    /// [`PictureError`] of either file, or what `watch` returned.
    pub fn decode_to(self, path: &Path, watch: Rows) -> Result<TiledFile<u16>, PictureError> {
        let mut writer = RowWriter::create(path, self.facts.width, self.facts.height, 3)?;
        self.bands(SIDE, &mut |y, samples| {
            watch(y, samples)?;
            writer.write(samples)
        })?;
        writer.finish()
    }

    /// Decodes the whole file into a tiled file of linear light at `path`, and calls `watch`
    /// between bands.
    ///
    /// # Errors
    /// [`PictureError`] of either file, or what `watch` returned.
    pub fn light_to(
        self,
        path: &Path,
        watch: &mut dyn FnMut() -> Result<(), PictureError>,
    ) -> Result<TiledFile<f32>, PictureError> {
        let mut writer = RowWriter::create(path, self.facts.width, self.facts.height, 3)?;
        self.light(&mut |_, light| {
            watch()?;
            writer.write(light)
        })?;
        writer.finish()
    }
}

/// The brightest number that is accepted as light, where white is 1: sums of squares over a whole
/// picture of it stay finite.
const BRIGHTEST: f32 = 1e9;

/// Why a file of an unknown format is refused, and what to do.
fn unknown(path: &Path, begin: &[u8]) -> PictureError {
    let convert = "convert it to TIFF, PNG or JPEG";
    let at = |from: usize, what: &[u8]| begin.get(from..from + what.len()) == Some(what);
    let brand = |brands: &[&[u8]]| at(4, b"ftyp") && brands.iter().any(|brand| at(8, brand));
    let known: [(bool, &str, &'static str); 8] = [
        (
            brand(&[b"heic", b"heix", b"heim", b"heis", b"hevc", b"mif1", b"msf1"]),
            "an HEIC picture",
            "set the camera to JPEG or raw, or convert it to TIFF or JPEG",
        ),
        (brand(&[b"avif", b"avis"]), "an AVIF picture", convert),
        (at(0, &[0xff, 0x0a]) || at(0, b"\0\0\0\x0cJXL \r\n"), "a JPEG XL picture", convert),
        (
            at(0, b"\0\0\0\x0cjP  \r\n") || at(0, &[0xff, 0x4f, 0xff, 0x51]),
            "a JPEG 2000 picture",
            convert,
        ),
        (at(4, b"ftyp"), "a film", "take single frames out of it, as TIFF or PNG"),
        (at(0, b"GIF8"), "a GIF picture", convert),
        (at(0, b"BM") && begin.len() > 10, "a bitmap (BMP)", convert),
        (at(0, b"%PDF"), "a PDF document", "export the picture in it as TIFF or PNG"),
    ];
    if let Some((_, what, remedy)) = known.into_iter().find(|(is, ..)| *is) {
        return PictureError::unsupported_so(path, what, remedy);
    }
    let readable = begin.iter().all(|b| b.is_ascii_graphic() || b.is_ascii_whitespace());
    let begins = match begin.is_empty() {
        true => "nothing: it is empty".to_owned(),
        false if readable => format!("\"{}\"", begin.escape_ascii()),
        false => "bytes of no known format".to_owned(),
    };
    PictureError::UnknownFormat { path: path.to_owned(), begins }
}

fn sniff(path: &Path, begin: &[u8]) -> Result<Option<FileFormat>, PictureError> {
    if raw::is_raw(path, begin)? {
        return Ok(Some(FileFormat::Raw));
    }
    let starts = |magic: &[u8]| begin.starts_with(magic);
    let tiff: [&[u8]; 4] = [b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"];
    Ok(if tiff.iter().any(|magic| starts(magic)) {
        Some(FileFormat::Tiff)
    } else if starts(b"\x89PNG\r\n\x1a\n") {
        Some(FileFormat::Png)
    } else if starts(&[0xff, 0xd8, 0xff]) {
        Some(FileFormat::Jpeg)
    } else if starts(&[0x76, 0x2f, 0x31, 0x01]) {
        Some(FileFormat::Exr)
    } else if starts(b"RIFF") && begin.get(8..12) == Some(b"WEBP") {
        Some(FileFormat::WebP)
    } else if starts(b"SIMPLE  =") {
        Some(FileFormat::Fits)
    } else {
        None
    })
}
