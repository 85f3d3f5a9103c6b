//! Aligned frames that are ready to be combined: brought to one brightness, and weighed.

use crate::request::Request;
use crate::stages::align::note::AlignNote;
use crate::stages::combine::used::{UsedFrame, reference_first};
use crate::stages::frames::decoded::Decoded;
use crate::stages::frames::gallery::Gallery;
use jade_align::noise;
use jade_combine::edges;
use jade_combine::normalise::{self, Normalisation};
use jade_combine::reduce::Placed;
use jade_frames::Frame;
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_optics::space::{InReference, InResult, Origin};
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::frame_index::{FrameIndex, Given, PerFrame, Used};
use jade_plan::{CoreError, Edges, Method};
use rayon::prelude::*;

/// Aligned frames that are ready to be combined.
pub struct Stack<'a> {
    pub request: &'a Request<'a>,
    pub used: PerFrame<Used, UsedFrame<'a>>,
    /// Index of the reference frame among the given ones.
    pub reference: FrameIndex<Given>,
    /// Size of the reference frame.
    pub size: (u32, u32),
    /// The part of the reference frame that the result covers.
    pub region: InReference<Region>,
}

impl<'a> Stack<'a> {
    /// The frames that could be aligned; `motions` are theirs, one for each frame that was given.
    ///
    /// # Errors
    /// [`CoreError::Frames`] where fewer than two frames are left, or they have no part in common that
    /// edges could be trimmed to; [`CoreError::Picture`]; [`CoreError::Cancelled`].
    pub fn of(
        request: &'a Request,
        gallery: &'a Gallery,
        note: &AlignNote,
        motions: &'a PerFrame<Given, Option<Motion>>,
    ) -> Result<Self, CoreError> {
        let reference = gallery.header(note.reference);
        let mut used = used(&gallery.frames, motions)?;
        normalise(request, reference, note, used.as_mut_slice())?;
        weigh(request, note, used.as_mut_slice())?;
        let region = region(request.plan.combine.edges, &used, reference)?;
        Ok(Self { request, used, reference: note.reference, size: reference.size(), region })
    }

    /// Where the result lies in the reference frame.
    pub fn origin(&self) -> Origin {
        Origin([self.region.0.x, self.region.0.y])
    }

    /// Width and height of the result, in pixels.
    pub fn result_size(&self) -> (u32, u32) {
        (self.region.0.width, self.region.0.height)
    }

    /// Where a region of the result is in the reference frame.
    pub fn there(&self, region: Region) -> InReference<Region> {
        self.origin().to_reference(InResult(region))
    }

    /// The used frames in the order in which they are combined. Methods that sum take the reference
    /// frame first, as a run without scratch does, so that both round alike.
    pub fn in_order(&self) -> Vec<&UsedFrame<'a>> {
        match self.request.plan.combine.method {
            Method::Median | Method::Clipped => self.used.iter().collect(),
            _ => reference_first(&self.used, self.reference),
        }
    }

    /// Takes a frame out of the stack.
    pub fn left_out(&mut self, index: FrameIndex<Given>) {
        let used = std::mem::take(&mut self.used);
        self.used = used.into_iter().filter(|one| one.index != index).collect();
    }

    /// The used frames as they are combined, in order.
    pub fn placed(&self) -> Vec<Placed<'_>> {
        self.in_order().into_iter().map(UsedFrame::placed).collect()
    }
}

/// The frames that were aligned.
fn used<'a>(
    frames: &'a PerFrame<Given, Decoded>,
    motions: &'a PerFrame<Given, Option<Motion>>,
) -> Result<PerFrame<Used, UsedFrame<'a>>, CoreError> {
    let used = frames.enumerate().filter_map(|(index, frame)| {
        let (frame, motion) = (frame.as_ref().ok()?, motions[index].as_ref()?);
        Some(UsedFrame { index, frame, motion, levels: [Normalisation::NONE; 3], weight: 1.0 })
    });
    let used: PerFrame<Used, UsedFrame> = used.collect();
    match used.len() {
        0 | 1 => Err(CoreError::Frames(
            "No frame could be aligned with the reference frame; choose another reference frame, or combine without alignment.".to_owned(),
        )),
        _ => Ok(used),
    }
}

/// Brings frames to the reference frame's brightness, where the plan asks for it.
fn normalise(
    request: &Request,
    reference: &Frame,
    note: &AlignNote,
    used: &mut [UsedFrame],
) -> Result<(), CoreError> {
    if !request.plan.combine.level {
        return Ok(());
    }
    used.par_iter_mut().filter(|one| one.index != note.reference).try_for_each(|one| {
        stop(request)?;
        one.levels = normalise::find(one.frame, one.motion, reference)?;
        Ok(())
    })
}

/// Weighs frames, where the plan asks for it: by the inverse variance of their noise after they were
/// brought to one brightness, and less for wider stars, whose light is spread over more noise. The
/// heaviest frame counts 1.
fn weigh(request: &Request, note: &AlignNote, used: &mut [UsedFrame]) -> Result<(), CoreError> {
    if !request.plan.combine.weigh {
        return Ok(());
    }
    used.par_iter_mut().try_for_each(|one| {
        stop(request)?;
        let sigma = noise::typical(one.frame)? * one.levels[1].gain;
        let width = note.stars[one.index].and_then(|s| s.width).unwrap_or(1.0);
        one.weight = 1.0 / (sigma * width).max(1e-6).powi(2);
        Ok::<(), CoreError>(())
    })?;
    let heaviest = used.iter().map(|one| one.weight).fold(0.0, f32::max);
    used.iter_mut().for_each(|one| one.weight /= heaviest);
    Ok(())
}

fn stop(request: &Request) -> Result<(), PictureError> {
    match request.watch.cancelled() {
        true => Err(PictureError::Cancelled),
        false => Ok(()),
    }
}

/// The part of the reference frame that the result covers.
fn region(
    edges: Edges,
    used: &PerFrame<Used, UsedFrame>,
    reference: &Frame,
) -> Result<InReference<Region>, CoreError> {
    let (width, height) = reference.size();
    if edges != Edges::Trim {
        return Ok(InReference(Region { x: 0, y: 0, width, height }));
    }
    let motions: Vec<&Motion> = used.iter().map(|one| one.motion).collect();
    let common = edges::common(&motions, reference.lens(), width, height);
    common.map(InReference).ok_or_else(|| {
        CoreError::Frames(
            "The used frames have no part in common; keep the edges instead of trimming them."
                .to_owned(),
        )
    })
}
