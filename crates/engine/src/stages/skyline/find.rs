//! The skyline stage: where the sky ends.

use crate::keys::align_key;
use crate::present::Present;
use crate::request::Request;
use crate::stages::align::frames::aligned;
use crate::stages::align::note::AlignNote;
use crate::stages::align::star_lists::stars_of;
use crate::stages::frames::decode;
use crate::stages::frames::decoded::Decoded;
use crate::stages::frames::gallery::Gallery;
use crate::threads::pool;
use jade_combine::mask::Mask;
use jade_frames::Frame;
use jade_frames::cache::Key;
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_optics::space::InReference;
use jade_pixels::tiled::{Region, SIDE, TileWriter, TiledFile};
use jade_plan::frame_index::{FrameIndex, Given, PerFrame};
use jade_plan::progress::Stage;
use jade_plan::{AlignMode, CoreError, SkylineMode};
use jade_skyline::{Skyline, View};
use rayon::prelude::*;

/// Frames that are looked at at most, spread over all of them.
const LOOKED_AT: usize = 6;

/// The frames in which a skyline was found, with the motion of their sky and their point lights.
pub struct Sights(Vec<(Frame, Motion, Vec<[f64; 2]>)>);

impl Sights {
    /// How many there are.
    pub fn count(&self) -> usize {
        self.0.len()
    }

    /// What [`Skyline`] looks at.
    pub fn views(&self) -> Vec<View<'_>> {
        self.0.iter().map(|(light, motion, lights)| View { light, motion, lights }).collect()
    }
}

/// A skyline, and the frames it was found in.
pub struct SkylineFound {
    /// The skyline.
    pub skyline: Skyline,
    /// The frames.
    pub sights: Sights,
    /// Index of the reference frame.
    pub reference: FrameIndex<Given>,
}

/// Finds where the sky of the reference frame ends, once the frames are aligned on the stars. In a
/// frame that is alone nothing moves: it is found from lights, colours and edges, and less surely.
///
/// # Errors
/// As for [`crate::stack`] and [`Skyline::find`].
pub fn skyline(request: &Request) -> Result<SkylineFound, CoreError> {
    if request.plan.align.mode != AlignMode::Stars {
        return Err(CoreError::Setting(
            "The skyline is found in frames that are aligned on the stars; choose that alignment."
                .to_owned(),
        ));
    }
    // Regions of all frames are read more than once.
    let present = Present::of(request);
    let request = &Request { stream: false, ..present.request(request) };
    pool(request.budget)?.install(|| {
        let mut gallery = Gallery::open(request)?;
        let reference = decode::settle(&mut gallery.frames, request.reference)?;
        // A single frame has nothing to be aligned with.
        let alone = gallery.frames.iter().filter(|frame| frame.is_ok()).count() == 1;
        let chosen: Vec<(FrameIndex<Given>, Motion)> = match alone {
            true => vec![(reference, Motion::Still)],
            false => chosen(&aligned(request, &mut gallery, reference)?)?,
        };
        request.watch.begin(Stage::Skyline, 1);
        let lights = lights(request, &gallery.frames, &chosen)?;
        let mut frames: PerFrame<Given, Option<Frame>> =
            gallery.frames.into_iter().map(|frame| frame.ok()).collect();
        let sights = chosen
            .into_iter()
            .zip(lights)
            .filter_map(|((i, motion), lights)| Some((frames[i].take()?, motion, lights)));
        let sights = Sights(sights.collect());
        let skyline = Skyline::find(&sights.views(), &|| request.watch.cancelled())?;
        request.watch.advance(1);
        Ok(SkylineFound { skyline, sights, reference })
    })
}

/// The mask of a run as its plan wants it.
///
/// # Errors
/// As for [`Skyline::find`] and [`Mask::read`].
pub fn mask(
    request: &Request,
    frames: &PerFrame<Given, Decoded>,
    note: &AlignNote,
) -> Result<Mask, CoreError> {
    let plan = &request.plan.skyline;
    request.watch.begin(Stage::Skyline, 1);
    let header = frames[note.reference].as_ref();
    let size = header.map_err(|why| CoreError::Frames(why.clone()))?.size();
    let base = match plan.mode {
        SkylineMode::Mask => Mask::read(loaded(request)?, size)?,
        SkylineMode::Auto | SkylineMode::None => found(request, frames, note, size)?,
    };
    let mask = base.shaped(plan);
    request.watch.advance(1);
    Ok(mask)
}

/// The mask that was loaded.
///
/// # Errors
/// [`CoreError::Setting`] where there is none.
pub fn loaded<'a>(request: &Request<'a>) -> Result<&'a std::path::Path, CoreError> {
    request.skyline_inputs.mask.ok_or_else(|| {
        CoreError::Setting(
            "The mask's file is gone; load it again, or find the skyline.".to_owned(),
        )
    })
}

/// The mask that the frames show, with what strokes tell, from the cache where it was found before.
fn found(
    request: &Request,
    frames: &PerFrame<Given, Decoded>,
    note: &AlignNote,
    size: (u32, u32),
) -> Result<Mask, CoreError> {
    let strokes = request.plan.skyline.strokes.iter().filter(|stroke| stroke.paint.is_stroke());
    let strokes: Vec<_> = strokes.collect();
    let lights: Vec<Key> = request.frames.iter().map(|input| input.light_key()).collect();
    let align = align_key(request);
    let inputs: Vec<&Key> = std::iter::once(&align).chain(&lights).collect();
    let key = Key::of("skyline", &strokes, &inputs);
    let path = request.cache.mask(&key);
    if let Ok(file) = TiledFile::<u16>::open(&path) {
        return read(&file);
    }
    let chosen = chosen(note)?;
    let lights = self::lights(request, frames, &chosen)?;
    let views = chosen.iter().zip(&lights).filter_map(|((i, motion), lights)| {
        Some(View { light: frames[*i].as_ref().ok()?, motion, lights })
    });
    let views: Vec<View> = views.collect();
    let stop = || request.watch.cancelled();
    let mut skyline = Skyline::find(&views, &stop)?;
    for stroke in strokes {
        skyline.stroke(stroke);
    }
    let mask = skyline.mask(&views, &stop)?;
    if !request.stream {
        write(&mask, &path, InReference(Region { x: 0, y: 0, width: size.0, height: size.1 }))?;
    }
    Ok(mask)
}

/// Reads a mask from tiles.
fn read(file: &TiledFile<u16>) -> Result<Mask, CoreError> {
    let (width, height) = (file.width(), file.height());
    let codes = file.read_region(Region { x: 0, y: 0, width, height })?;
    Ok(Mask::new((width, height), codes.into_iter().map(|code| (code / 257) as u8).collect()))
}

/// Writes a part of a mask as tiles.
pub fn write(
    mask: &Mask,
    path: &std::path::Path,
    InReference(part): InReference<Region>,
) -> Result<(), CoreError> {
    let writer = TileWriter::<u16>::create(path, part.width, part.height, 1)?;
    Region::covering(part.width, part.height, [4 * SIDE; 2]).into_par_iter().try_for_each(
        |tile| {
            let shares = mask.region(InReference(tile.moved([part.x, part.y])));
            let codes: Vec<u16> = shares.into_iter().map(|share| u16::from(share) * 257).collect();
            writer.write_region(tile, &codes)
        },
    )?;
    writer.finish(false)?;
    Ok(())
}

/// The frames that are looked at, and the motions of their skies.
fn chosen(note: &AlignNote) -> Result<Vec<(FrameIndex<Given>, Motion)>, CoreError> {
    let frames = &note.alignment.frames;
    let placed = frames.enumerate();
    let used: Vec<(FrameIndex<Given>, &Motion)> =
        placed.filter_map(|(i, frame)| Some((i, frame.motion.as_ref()?))).collect();
    let count = used.len().min(LOOKED_AT);
    if count < 2 {
        return Err(CoreError::Frames(
            "Only the reference frame could be placed, so that nothing tells sky from ground; load a mask, or see why the others were left out."
                .to_owned(),
        ));
    }
    let spread = (0..count).map(|k| used[k * (used.len() - 1) / (count - 1)]);
    Ok(spread.map(|(i, motion)| (i, motion.clone())).collect())
}

/// Their point lights.
fn lights(
    request: &Request,
    frames: &PerFrame<Given, Decoded>,
    chosen: &[(FrameIndex<Given>, Motion)],
) -> Result<Vec<Vec<[f64; 2]>>, CoreError> {
    chosen
        .par_iter()
        .map(|&(i, _)| {
            let frame = frames[i].as_ref().map_err(|why| CoreError::Frames(why.clone()))?;
            let list = stars_of(request, i, frame)?;
            Ok(list.stars.iter().map(|star| [star.x, star.y]).collect())
        })
        .collect()
}
