//! The combine stage: picture, maps and figures from aligned frames.

use crate::product;
use crate::request::Request;
use crate::stages::align::note::AlignNote;
use crate::stages::align::star_lists::stars_of;
use crate::stages::combine::combination::{self, Combination};
use crate::stages::combine::figures::{Measured, candidates};
use crate::stages::combine::ground::Ground;
use crate::stages::combine::joined::{self, Join};
use crate::stages::combine::maps::RejectedShares;
use crate::stages::combine::noise_growth::ideal_gain;
use crate::stages::combine::stack::Stack;
use crate::stages::combine::streamed::{self, Running};
use crate::stages::frame_report::{exposures, frame_report};
use crate::stages::frames::gallery::Gallery;
use crate::stages::frames::lost::NotMade;
use crate::stages::note::PictureNote;
use jade_align::Aligned;
use jade_combine::mask::Mask;
use jade_frames::cache::Key;
use jade_optics::combined::Combined;
use jade_optics::motion::Motion;
use jade_optics::space::InReference;
use jade_optics::star::Star;
use jade_pixels::tiled::Region;
use jade_plan::frame_index::{FrameIndex, Given, PerFrame};
use jade_plan::report::{CombineReport, Figures, Report, SkylineReport};
use jade_plan::{AlignMode, CoreError};

/// A combined picture, and what was found while it was made.
struct Made {
    result: Combined,
    /// Share of rejected samples of each used frame, where the method rejects.
    rejected: RejectedShares,
    /// Noise after growing numbers of frames, of a run without scratch.
    running: Option<Running>,
    skyline: Option<SkylineReport>,
}

/// Makes the picture; with a mask, sky and ground apart.
///
/// # Errors
/// As for [`crate::stack`]; [`NotMade::ReferenceLost`].
pub fn combine(
    request: &Request,
    key: &Key,
    gallery: &Gallery,
    mut note: AlignNote,
    mask: Option<&Mask>,
) -> Result<PictureNote, NotMade> {
    let motions = motions(&note);
    let mut stack = Stack::of(request, gallery, &note, &motions)?;
    let stars = reference_stars(&stack, gallery)?;
    let made = match mask {
        Some(mask) => joined(&stack, key, gallery, mask)?,
        None if gallery.streamed().is_some() => {
            streamed(&mut stack, key, gallery, &stars, &mut note)?
        }
        None => {
            let (picture, rejected) = combination::write(&stack, key)?;
            Made { result: Combined(picture), rejected, running: None, skyline: None }
        }
    };
    let measured = Measured { stack: &stack, result: &made.result, stars: &stars, mask };
    let mut report = report(&stack, gallery, &note, &made);
    report.add(Figures::Combine(CombineReport {
        star_width_px: measured.star_width_px()?,
        noise: measured.noise(gallery)?,
        noise_by_frames: measured.noise_by_frames(made.running.as_ref())?,
    }));
    let profile = gallery.header(note.reference).encoding.icc().to_vec();
    Ok(PictureNote { reference: note.reference, profile, report })
}

/// The light of a region of the picture that [`combine`] makes, three channels interleaved.
///
/// # Errors
/// As for [`combine`]; [`CoreError::Setting`] for a region that does not lie inside the picture.
pub fn region(
    request: &Request,
    key: &Key,
    gallery: &Gallery,
    note: &AlignNote,
    mask: Option<&Mask>,
    region: Region,
) -> Result<Vec<f32>, NotMade> {
    let motions = motions(note);
    let stack = Stack::of(request, gallery, note, &motions)?;
    let Some(mask) = mask else {
        let combination = Combination::of(&stack)?;
        return Ok(product::region(&combination, region, &|| request.watch.cancelled())?);
    };
    product::inside(region, stack.result_size())?;
    let ground = Ground::open(request, &stack.used, gallery.header(note.reference), mask)?;
    Ok(joined::region(&Join { stack: &stack, key, ground: &ground, mask }, region)?)
}

fn motions(note: &AlignNote) -> PerFrame<Given, Option<Motion>> {
    note.alignment.frames.iter().map(|aligned| aligned.motion.clone()).collect()
}

/// Stars of the reference frame, where frames are aligned on stars.
fn reference_stars(stack: &Stack, gallery: &Gallery) -> Result<Vec<Star>, NotMade> {
    let Stack { request, reference, .. } = *stack;
    if request.plan.align.mode != AlignMode::Stars {
        return Ok(vec![]);
    }
    let list = gallery.with_reference(reference, |frame| stars_of(request, reference, frame))?;
    Ok(list.stars)
}

/// Combines sky and ground apart and joins them.
fn joined(stack: &Stack, key: &Key, gallery: &Gallery, mask: &Mask) -> Result<Made, CoreError> {
    let Stack { request, used, region, .. } = stack;
    let ground = Ground::open(request, used, gallery.header(stack.reference), mask)?;
    let (picture, rejected) = joined::write(&Join { stack, key, ground: &ground, mask })?;
    let ideal = ideal_gain(request.plan.skyline.ground.method, ground.count());
    let ground_noise = ground.noise(request, used, mask, ideal)?;
    let skyline = SkylineReport { ground_noise, ..joined::report(&ground, mask, *region) };
    Ok(Made { result: Combined(picture), rejected, running: None, skyline: Some(skyline) })
}

/// Combines frames that are decoded one after the other. Frames that cannot be decoded after all go
/// out of the stack, and `note` says why.
fn streamed(
    stack: &mut Stack,
    key: &Key,
    gallery: &Gallery,
    stars: &[Star],
    note: &mut AlignNote,
) -> Result<Made, NotMade> {
    let made = streamed::write(stack, key, gallery, &candidates(stack, stars))?;
    let all = stack.used.len();
    if let (Some((_, reason)), true) = (made.failed.first(), all - made.failed.len() < 2) {
        return Err(NotMade::Failed(CoreError::Frames(format!(
            "Only one of the {all} frames can be read; the first of the others: {reason}"
        ))));
    }
    for (index, reason) in made.failed {
        stack.left_out(index);
        note.alignment.frames[index] = Aligned::left_out(Some(reason));
    }
    let (result, running) = (Combined(made.picture), Some(made.running));
    Ok(Made { result, rejected: None, running, skyline: None })
}

/// The report without the figures of the combine stage.
fn report(stack: &Stack, gallery: &Gallery, note: &AlignNote, made: &Made) -> Report {
    let Stack { request, used, reference, size, region: InReference(region) } = stack;
    let frames = note.alignment.frames.enumerate().map(|(i, aligned)| {
        let place = used.position(|one| one.index == i);
        let part = place.map(|p| (&used[p], made.rejected.as_ref().map(|shares| shares[p])));
        frame_report(request.frame(i), aligned, note.stars[i], part, *size)
    });
    let indices: Vec<FrameIndex<Given>> = used.iter().map(|one| one.index).collect();
    let mut report = Report {
        version: Report::VERSION,
        reference: request.frame(*reference).name.clone(),
        reference_content: request.frame(*reference).id.clone(),
        size: [region.width, region.height],
        origin: stack.origin().0,
        frames: frames.collect(),
        stages: vec![],
        peak_memory_mib: 0,
    };
    report.add(Figures::Frames { exposures: exposures(&gallery.frames, &indices) });
    report.add(Figures::Align { lens: note.alignment.lens });
    if let Some(skyline) = &made.skyline {
        report.add(Figures::Skyline(skyline.clone()));
    }
    report
}
