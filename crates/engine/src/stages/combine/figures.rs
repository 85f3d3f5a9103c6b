//! Figures of a combined picture relative to the reference frame: the width of its stars and its
//! noise.

use crate::stages::combine::noise_growth::{counts, ideal_gain, noise_points};
use crate::stages::combine::stack::Stack;
use crate::stages::combine::streamed::Running;
use crate::stages::combine::used::{UsedFrame, reference_first};
use crate::stages::frames::gallery::Gallery;
use crate::stages::frames::lost::NotMade;
use jade_align::{noise, stars};
use jade_combine::mask::{Mask, Side};
use jade_combine::reduce::{Reducer, Scratch};
use jade_optics::combined::Combined;
use jade_optics::star::Star;
use jade_optics::statistics::median;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::report::{NoiseGain, NoisePoint};
use jade_plan::{AlignMode, CoreError, Method};
use rayon::prelude::*;

/// Patches in which the noise of growing numbers of frames is measured.
const PATCHES: usize = 12;
/// Patches that one task measures: few, so that no thread waits for another at the end.
const TOGETHER: usize = 4;

/// A combined picture, and what is needed to measure it.
pub struct Measured<'a> {
    pub stack: &'a Stack<'a>,
    pub result: &'a Combined,
    /// Stars of the reference frame; none where frames are not aligned on stars.
    pub stars: &'a [Star],
    /// The skyline, where sky and ground were combined apart.
    pub mask: Option<&'a Mask>,
}

/// Whether a method averages noise, so that figures of noise are meaningful.
pub fn averages(method: Method) -> bool {
    matches!(method, Method::Mean | Method::Clipped | Method::Median)
}

/// Patches of the result that may be used to measure noise, before the result exists.
pub fn candidates(stack: &Stack, stars: &[Star]) -> Vec<Region> {
    match averages(stack.request.plan.combine.method) {
        true => noise::candidates(stack.result_size(), stack.origin().0, stars, PATCHES, &|_| true),
        false => vec![],
    }
}

impl Measured<'_> {
    /// Full width at half maximum of the result's stars, in pixels: of those that the reference frame
    /// shows as well. `None` where frames are not aligned on stars, or no star is in both.
    ///
    /// # Errors
    /// [`CoreError::Picture`], [`CoreError::Cancelled`].
    pub fn star_width_px(&self) -> Result<Option<f32>, CoreError> {
        let Stack { request, .. } = self.stack;
        if request.plan.align.mode != AlignMode::Stars {
            return Ok(None);
        }
        let found = stars::find(self.result, &|| request.watch.cancelled())?.stars;
        Ok(stars::width_of_the_same(&found, self.stars, self.stack.origin().0))
    }

    /// The result's noise beside the reference frame's; `None` where the method does not average, or no
    /// patch is plain enough.
    ///
    /// # Errors
    /// [`NotMade`] where the reference frame cannot be read.
    pub fn noise(&self, gallery: &Gallery) -> Result<Option<NoiseGain>, NotMade> {
        let Self { stack, result, stars, .. } = self;
        let method = stack.request.plan.combine.method;
        if !averages(method) {
            return Ok(None);
        }
        gallery.with_reference(stack.reference, |frame| {
            let ideal = ideal_gain(method, stack.used.len());
            let is_sky = |patch: Region| self.is_sky(patch);
            Ok(noise::gain(frame, *result, stack.origin().0, stars, ideal, &is_sky)?)
        })
    }

    /// Noise of growing numbers of frames; empty where the method does not average. `running` is what a
    /// run without scratch measured while it added frames.
    ///
    /// # Errors
    /// [`CoreError::Picture`], [`CoreError::Cancelled`].
    pub fn noise_by_frames(&self, running: Option<&Running>) -> Result<Vec<NoisePoint>, CoreError> {
        let Self { stack, result, stars, .. } = self;
        let method = stack.request.plan.combine.method;
        if !averages(method) {
            return Ok(vec![]);
        }
        let is_sky = |patch: Region| self.is_sky(patch);
        let patches = noise::patches(*result, stack.origin().0, stars, PATCHES, &is_sky)?;
        let counts = counts(stack.used.len());
        let measured = match running {
            Some(running) => running_noise(running, &patches, counts.len()),
            None => noise_of_counts(stack, &counts, &patches)?,
        };
        Ok(noise_points(method, &counts, measured))
    }

    /// Whether a patch of the result shows sky alone, or there is no skyline.
    fn is_sky(&self, patch: Region) -> bool {
        self.mask.is_none_or(|mask| mask.side(self.stack.there(patch)) == Side::Sky)
    }
}

/// Noise of some patches if only the first `counts` frames were combined, the reference frame first;
/// 0 without patches.
fn noise_of_counts(
    stack: &Stack,
    counts: &[usize],
    patches: &[Region],
) -> Result<Vec<f32>, CoreError> {
    let Stack { request, used, reference, .. } = stack;
    let order: Vec<&UsedFrame> = reference_first(used, *reference);
    let reducer = |&n: &usize| {
        let placed = order[..n].iter().map(|one| one.placed()).collect();
        Reducer::new(placed, &request.plan.combine)
    };
    let reducers: Vec<Reducer> = counts.iter().map(reducer).collect();
    let each: Vec<(&Reducer, &Region)> =
        reducers.iter().flat_map(|reducer| patches.iter().map(move |p| (reducer, p))).collect();
    let figures: Result<Vec<f32>, PictureError> = each
        .into_par_iter()
        .with_max_len(TOGETHER)
        .map_init(Scratch::default, |scratch, (reducer, patch)| {
            let there = stack.there(*patch);
            let made = reducer.reduce(there, scratch, &|| request.watch.cancelled())?;
            Ok(noise::of_light(&made.light, patch.width as usize))
        })
        .collect();
    let figures = figures?;
    let of_count = |i: usize| figures[i * patches.len()..(i + 1) * patches.len()].to_vec();
    Ok((0..counts.len()).map(|i| middle(of_count(i))).collect())
}

/// Noise of some patches from what was measured while frames were added.
fn running_noise(running: &Running, patches: &[Region], counts: usize) -> Vec<f32> {
    let after = |n: usize| {
        let patches = patches.iter().filter_map(|p| running.get(&(p.x, p.y))?.get(n).copied());
        middle(patches.collect())
    };
    (0..counts).map(after).collect()
}

/// The median; 0 without values.
fn middle(mut figures: Vec<f32>) -> f32 {
    if figures.is_empty() { 0.0 } else { median(&mut figures) }
}
