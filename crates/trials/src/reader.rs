//! The readers, and what must hold for all that they are given.

use jade_combine::mask::Mask;
use jade_pixels::PictureError;
use jade_pixels::read::PictureFile;
use jade_plan::PlanRecord;
use std::path::Path;

/// A reader of something that comes from outside.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reader {
    /// TIFF pictures.
    Tiff,
    /// PNG pictures.
    Png,
    /// JPEG pictures.
    Jpeg,
    /// Camera raw files, in their open form.
    Dng,
    /// WebP pictures.
    WebP,
    /// OpenEXR pictures.
    Exr,
    /// FITS pictures.
    Fits,
    /// Saved plans.
    Plan,
    /// Masks of the sky.
    Mask,
}

/// What came of an input that did not break a rule.
#[derive(Debug, Clone, PartialEq)]
pub enum Outcome {
    /// It was read.
    Read,
    /// It was refused, in one sentence.
    Refused(String),
}

/// The size of a picture in pixels, and its linear light: red, green and blue of all pixels; a
/// sensor's codes for a mosaic.
pub type Light = ((u32, u32), Vec<f32>);

impl Reader {
    /// All of them.
    pub const ALL: [Self; 9] = [
        Self::Tiff,
        Self::Png,
        Self::Jpeg,
        Self::Dng,
        Self::WebP,
        Self::Exr,
        Self::Fits,
        Self::Plan,
        Self::Mask,
    ];

    /// Its name, as the fuzz target has it.
    pub fn name(self) -> &'static str {
        match self {
            Self::Tiff => "tiff",
            Self::Png => "png",
            Self::Jpeg => "jpeg",
            Self::Dng => "dng",
            Self::WebP => "webp",
            Self::Exr => "exr",
            Self::Fits => "fits",
            Self::Plan => "plan",
            Self::Mask => "mask",
        }
    }

    /// Gives it an input, which lies at `path` for a moment where it reads files.
    ///
    /// # Panics
    /// When a rule is broken: when fewer or more rows come out than the header announces, when light
    /// is no number, when a refusal does not name the file, or when a plan is another one after it was
    /// written and read again.
    pub fn read(self, input: &[u8], path: &Path) -> Outcome {
        if self == Self::Plan {
            return plan(input);
        }
        std::fs::write(path, input).expect("there is room for one small file");
        let read = match self {
            Self::Mask => mask(path),
            _ => picture(path).map_err(|error| error.to_string()),
        };
        let Err(said) = read else { return Outcome::Read };
        let name = path.file_name().expect("the input has a name").to_string_lossy();
        assert!(said.contains(&*name), "the refusal does not name the file: {said}");
        Outcome::Refused(said)
    }
}

/// Reads all of a picture file, holding none of it.
fn picture(path: &Path) -> Result<(), PictureError> {
    let file = PictureFile::open(path)?;
    let (width, height) = (file.facts().width, file.facts().height);
    if file.sensor().is_some() {
        let Some((mosaic, _)) = file.mosaic()? else { panic!("a sensor without its mosaic") };
        assert_eq!(mosaic.codes.len(), mosaic.width as usize * mosaic.height as usize);
        return Ok(());
    }
    // A few bytes may truly hold a very large picture of one colour; it takes as long as one.
    const LARGEST: u64 = 30_000_000;
    if u64::from(width) * u64::from(height) > LARGEST {
        return Ok(());
    }
    let mut below = 0;
    file.light(&mut |y, light| {
        assert_eq!(y, below, "rows come one after the other");
        assert!(light.len().is_multiple_of(width as usize * 3), "whole rows come");
        assert!(light.iter().all(|v| v.is_finite()), "light is a number");
        below += (light.len() / (width as usize * 3)) as u32;
        Ok(())
    })?;
    assert_eq!(below, height, "all rows came");
    Ok(())
}

/// All light of a picture file, for small pictures.
///
/// # Errors
/// [`PictureError`] of the file.
pub fn light(path: &Path) -> Result<Light, PictureError> {
    let file = PictureFile::open(path)?;
    if file.sensor().is_some() {
        let Some((mosaic, _)) = file.mosaic()? else { panic!("a sensor without its mosaic") };
        let codes = mosaic.codes.iter().map(|code| f32::from(*code)).collect();
        return Ok(((mosaic.width, mosaic.height), codes));
    }
    let size = (file.facts().width, file.facts().height);
    let mut all = Vec::new();
    file.light(&mut |_, light| {
        all.extend_from_slice(light);
        Ok(())
    })?;
    Ok((size, all))
}

fn mask(path: &Path) -> Result<(), String> {
    let size = PictureFile::open(path).map(|file| (file.facts().width, file.facts().height));
    let size = size.map_err(|error| error.to_string())?;
    let mask = Mask::read(path, size).map_err(|error| error.to_string())?;
    assert_eq!(mask.size(), size);
    Ok(())
}

fn plan(input: &[u8]) -> Outcome {
    let Ok(text) = std::str::from_utf8(input) else {
        return Outcome::Refused("A plan is text.".to_owned());
    };
    let record = match PlanRecord::from_json(text) {
        Ok(record) => record,
        Err(error) => return Outcome::Refused(error.to_string()),
    };
    if let Err(error) = record.plan.check() {
        return Outcome::Refused(error.to_string());
    }
    let written = serde_json::to_string(&record).expect("a plan that was checked can be written");
    let again = PlanRecord::from_json(&written).expect("a written plan can be read");
    assert_eq!(again, record, "a plan stays what it is when it is written and read");
    Outcome::Read
}
