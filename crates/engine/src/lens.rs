//! Measures the flaws of a lens in a shoot's own frames.

use crate::memory::Budget;
use crate::stages::align::star_lists::stars_in;
use crate::threads::pool;
use jade_align::align_stars;
use jade_align::stars::StarList;
use jade_frames::cache::Cache;
use jade_frames::lens::{self, ColourOffsets};
use jade_frames::recorded::Recorded;
use jade_frames::shape::Shape;
use jade_frames::{Frame, FrameInput};
use jade_optics::lens::half_diagonal;
use jade_optics::light::Light;
use jade_pixels::PictureError;
use jade_pixels::read::PictureFile;
use jade_plan::frame_index::{FrameIndex, PerFrame, Readable};
use jade_plan::progress::{Stage, Watch};
use jade_plan::{CoreError, Denoise, LensPlan};
use nalgebra::Matrix3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// Most frames that are measured: more hardly add anything.
const MOST: usize = 24;
/// Fewer frames do not show how the sky turns.
const FEWEST: usize = 3;
/// Largest standard error of the distortion at the corners, as a share of half the diagonal, at
/// which it counts as known; less than half a percent is not visible in straight lines.
const KNOWN: f64 = 0.003;

/// Measured flaws of a lens.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct LensFound {
    /// The given flaws, with the measured ones in their place.
    pub lens: LensPlan,
    /// Displacement of the corners in pixels, outward above 0, and its standard error.
    #[cfg_attr(feature = "schema", schema(value_type = Option<(f32, f32)>))]
    pub distortion_px: Option<[f32; 2]>,
    /// Offsets of red and blue from green at the corners in pixels, outward above 0.
    #[cfg_attr(feature = "schema", schema(value_type = Option<(f32, f32)>))]
    pub colour_px: Option<[f32; 2]>,
    /// Standard errors of those offsets, in pixels.
    #[cfg_attr(feature = "schema", schema(value_type = Option<(f32, f32)>))]
    pub colour_error_px: Option<[f32; 2]>,
    /// Share of the middle's light that reaches the corners.
    pub corner_light: Option<f32>,
    /// Sentences about what could not be measured, and why.
    pub missing: Vec<String>,
}

/// Measures distortion and lateral colour from the stars of frames between which the sky turned.
/// Vignetting stays as given.
///
/// # Errors
/// [`CoreError::Frames`] when neither can be found; [`CoreError::Cancelled`].
pub fn lens_of_stars(
    frames: &[FrameInput],
    known: LensPlan,
    cache: &Cache,
    budget: Budget,
    watch: &dyn Watch,
) -> Result<LensFound, CoreError> {
    let stop = || watch.cancelled();
    let some: Vec<FrameInput> = spread(frames).into_iter().map(plain).collect();
    watch.begin(Stage::Prepare, some.len() as u64 + 1);
    type FrameStars = (StarList, Vec<ColourOffsets>, (u32, u32));
    // A few at a time, as each may have to be decoded.
    let look = |input: &FrameInput| -> Result<Option<FrameStars>, CoreError> {
        let decoded = Frame::decode(input, cache, &mut || match stop() {
            true => Err(PictureError::Cancelled),
            false => Ok(()),
        });
        let stars = match decoded {
            Ok(frame) => {
                let list = stars_in(input, cache, &frame, &stop)?;
                let parted = colours(input, &frame, &list, cache, &stop)?;
                Some((list, parted, frame.size()))
            }
            Err(CoreError::Cancelled) => return Err(CoreError::Cancelled),
            // A frame that cannot be read is reported when it is stacked.
            Err(_) => None,
        };
        watch.advance(1);
        Ok(stars)
    };
    pool(budget)?.install(|| {
        let star_lists: Result<Vec<Option<FrameStars>>, CoreError> =
            some.par_iter().map(look).collect();
        let star_lists: Vec<FrameStars> = star_lists?.into_iter().flatten().collect();
        let size = star_lists.first().map_or((0, 0), |one| one.2);
        let same = star_lists.iter().all(|one| one.2 == size);
        if star_lists.len() < FEWEST || !same {
            return Err(CoreError::Frames(format!(
                "The lens is found from {FEWEST} frames of one size or more; {} can be read.",
                star_lists.len()
            )));
        }
        let mut lists: Vec<StarList> = Vec::new();
        let mut all: Vec<ColourOffsets> = Vec::new();
        for (list, parted, _) in star_lists {
            lists.push(list);
            all.extend(parted);
        }
        let mut found = LensFound { lens: known, ..LensFound::default() };
        distortion(&mut found, lists, size, &stop)?;
        match lens::lateral_colour(&all, size) {
            Some([red, blue]) => {
                (found.lens.red, found.lens.blue) = (red.values, blue.values);
                found.colour_px = Some([red, blue].map(|colour| colour.corner_px as f32));
                found.colour_error_px = Some([red, blue].map(|colour| colour.error_px as f32));
            }
            None => found
                .missing
                .push("Lateral colour: too few bright stars stand alone to tell it.".to_owned()),
        }
        watch.advance(1);
        match found.distortion_px.is_none() && found.colour_px.is_none() {
            true => Err(CoreError::Frames(found.missing.join(" "))),
            false => Ok(found),
        }
    })
}

/// Offsets of the colours of a frame's stars, as they were recorded.
fn colours(
    input: &FrameInput,
    frame: &Frame,
    list: &StarList,
    cache: &Cache,
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<Vec<ColourOffsets>, CoreError> {
    let recorded = Recorded::open(input, cache, &mut || match stop() {
        true => Err(PictureError::Cancelled),
        false => Ok(()),
    })?;
    let Shape { width, height, channels } = recorded.shape();
    let mut stars = list.stars.clone();
    if channels == 1 {
        // A mosaic lies as it was recorded.
        let orientation = PictureFile::open(&input.path)?.orientation();
        for star in &mut stars {
            [star.x, star.y] = orientation.stored_place([star.x, star.y], (width, height));
        }
    } else {
        debug_assert_eq!((width, height), frame.size());
    }
    Ok(lens::colour_offsets((width, height), &stars, &|region| recorded.by_colour(region))?)
}

fn distortion(
    found: &mut LensFound,
    lists: Vec<StarList>,
    size: (u32, u32),
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<(), CoreError> {
    let middle = FrameIndex::new(lists.len() / 2);
    let lists: PerFrame<Readable, StarList> = lists.into();
    let hints = lists.iter().map(|_| None).collect();
    let said = match align_stars(lists, middle, hints, size, stop) {
        Ok(alignment) => alignment.lens.zip(alignment.lens_spread),
        Err(CoreError::Frames(why)) => {
            found.missing.push(format!("Distortion: {why}"));
            return Ok(());
        }
        Err(error) => return Err(error),
    };
    let known = said.map(|(lens, spread)| lens::bent(&lens, &Matrix3::from(spread), size));
    let limit = KNOWN * half_diagonal(size);
    match known {
        Some(bent) if bent.error_px <= limit => {
            found.lens.distortion = bent.distortion;
            found.distortion_px = Some([bent.corner_px as f32, bent.error_px as f32]);
        }
        Some(bent) => found.missing.push(format!(
            "Distortion: the sky turned too little between these frames to tell it; the corners are known to {:.1} px only. Take frames over a longer time.",
            bent.error_px
        )),
        None => found.missing.push(
            "Distortion: the stars do not show it; their motion is that of a picture as a whole."
                .to_owned(),
        ),
    }
    Ok(())
}

/// Measures vignetting from flat frames, without dust. The rest stays as given.
///
/// # Errors
/// [`CoreError::Frames`] when they show none; [`CoreError::Picture`], [`CoreError::Cancelled`].
pub fn lens_of_flats(
    flats: &[FrameInput],
    known: LensPlan,
    cache: &Cache,
    budget: Budget,
    watch: &dyn Watch,
) -> Result<LensFound, CoreError> {
    let Some(first) = flats.first() else {
        return Err(CoreError::Frames("There are no flat frames; add some.".to_owned()));
    };
    // One is enough: the fit averages over thousands of pixels.
    let first = plain(first);
    pool(budget)?.install(|| {
        let frame = Frame::decode(&first, cache, &mut || match watch.cancelled() {
            true => Err(PictureError::Cancelled),
            false => Ok(()),
        })?;
        let shading = lens::vignetting_of(&frame)?;
        let lens = LensPlan { shading, ..known };
        lens.check()?;
        let corner_light = Some(1.0 + shading.iter().sum::<f32>());
        Ok(LensFound { lens, corner_light, ..LensFound::default() })
    })
}

/// The frame without lens correction and noise reduction.
fn plain(input: &FrameInput) -> FrameInput {
    let mut input = input.clone();
    input.prepare.lens = LensPlan::default();
    input.prepare.denoise = Denoise::default();
    input
}

/// Some frames, spread over the sequence.
fn spread(frames: &[FrameInput]) -> Vec<&FrameInput> {
    let few = frames.len().min(MOST);
    (0..few).map(|i| &frames[i * (frames.len() - 1) / (few - 1).max(1)]).collect()
}
