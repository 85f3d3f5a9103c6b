//! Frames combined sample by sample to one picture.

use crate::product::{self, Product, Stop};
use crate::stages::align::sky_motion;
use crate::stages::align::star_lists::stars_of;
use crate::stages::combine::maps::{Maps, Noted, RejectedShares};
use crate::stages::combine::stack::Stack;
use crate::stages::combine::used::{BLOCK, UsedFrame};
use jade_align::noise;
use jade_combine::gaps::{self, Exposure, Gap};
use jade_combine::reduce::{Reducer, Scratch};
use jade_combine::reduced::Reduced;
use jade_frames::Frame;
use jade_frames::cache::Key;
use jade_optics::motion::Motion;
use jade_optics::space::{InResult, Origin};
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, TileWriter, TiledFile};
use jade_plan::frame_index::{FrameIndex, Given, PerFrame, Used};
use jade_plan::progress::Stage;
use jade_plan::{AlignMode, CoreError, Method};
use rayon::prelude::*;

/// Frames combined sample by sample.
pub struct Combination<'a> {
    reducer: Reducer<'a>,
    origin: Origin,
    size: (u32, u32),
}

impl<'a> Combination<'a> {
    /// Prepares to combine a stack, with the gaps of star trails that the plan asks to fill.
    ///
    /// # Errors
    /// [`CoreError::Picture`], [`CoreError::Cancelled`].
    pub fn of(stack: &'a Stack) -> Result<Self, CoreError> {
        let request = stack.request;
        let reducer = Reducer::new(stack.placed(), &request.plan.combine);
        let reducer = reducer.with_gaps(gaps(stack)?);
        Ok(Self { reducer, origin: stack.origin(), size: stack.result_size() })
    }
}

impl Product for Combination<'_> {
    type Part = Reduced;
    type Scratch = Scratch;
    const PART: [u32; 2] = BLOCK;

    fn size(&self) -> (u32, u32) {
        self.size
    }

    fn make(
        &self,
        part: Region,
        scratch: &mut Scratch,
        stop: Stop,
    ) -> Result<Reduced, PictureError> {
        self.reducer.reduce(self.origin.to_reference(InResult(part)), scratch, stop)
    }

    fn light(part: &Reduced) -> &[f32] {
        &part.light
    }
}

/// Makes the picture of a stack and its maps; with a method that rejects, also gives the share of
/// rejected samples of each used frame.
///
/// # Errors
/// [`CoreError::Picture`], [`CoreError::Cancelled`].
pub fn write(stack: &Stack, key: &Key) -> Result<(TiledFile<f32>, RejectedShares), CoreError> {
    let (request, (width, height)) = (stack.request, stack.result_size());
    let combination = Combination::of(stack)?;
    request.watch.begin(Stage::Combine, combination.parts().len() as u64);
    let picture = request.cache.picture(key);
    let writer = TileWriter::<f32>::create(&picture, width, height, 3)?;
    let maps = Maps::create(request, key, (width, height), stack.used.len())?;
    product::each(&combination, &|| request.watch.cancelled(), |part, made| {
        writer.write_region(part, &made.light)?;
        maps.note_coverage(part, &Noted::All, &made)?;
        maps.note_rejected(part, &Noted::All, &made)?;
        request.watch.advance(1);
        Ok(())
    })?;
    let rejected = maps.finish()?;
    Ok((writer.finish(!request.stream)?, rejected))
}

/// The gaps of star trails that the plan asks to fill.
fn gaps<'a>(stack: &Stack<'a>) -> Result<Vec<Gap<'a>>, CoreError> {
    let Stack { request, used, reference, .. } = stack;
    let plan = &request.plan;
    let trails = plan.align.mode == AlignMode::None && plan.combine.method == Method::Lightest;
    if !plan.combine.fill_gaps || !trails {
        return Ok(vec![]);
    }
    let frames: PerFrame<Used, (FrameIndex<Given>, &Frame)> =
        used.iter().map(|one| (one.index, one.frame)).collect();
    let skies = sky_motion::sky(request, &frames, *reference)?;
    let mut order: Vec<(&UsedFrame, Option<Motion>)> = used.iter().zip(skies).collect();
    // In the order in which they were taken, where every frame says when that was.
    if used.iter().all(|one| one.frame.facts.taken.is_some()) {
        order.sort_by(|a, b| a.0.frame.facts.taken.cmp(&b.0.frame.facts.taken));
    }
    let exposures: Result<Vec<Exposure>, CoreError> = order
        .into_par_iter()
        .map(|(one, sky)| {
            let level = stars_of(request, one.index, one.frame)?.sky_level;
            let noise = noise::typical(one.frame)?;
            Ok(Exposure { light: one.frame, sky, noise, level })
        })
        .collect();
    Ok(gaps::find(&exposures?))
}
