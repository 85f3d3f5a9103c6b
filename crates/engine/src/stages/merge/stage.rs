//! A focus sweep to one picture that is sharp from front to back.

use crate::product::{self, Product, Stop};
use crate::request::Request;
use crate::stages::frame_report::{exposures, frame_report};
use crate::stages::frames::decode;
use crate::stages::frames::decoded::Decoded;
use crate::stages::merge::sweep::{Sweep, names};
use crate::stages::note::PictureNote;
use crate::stages::source::Source;
use jade_combine::edges;
use jade_focus::{Merger, Scratch, Sight};
use jade_frames::FrameInput;
use jade_frames::cache::{Key, MapKind};
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_optics::space::{InResult, Origin};
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, SIDE, TileWriter};
use jade_plan::frame_index::{FrameIndex, Given, PerFrame};
use jade_plan::progress::Stage;
use jade_plan::report::{Figures, FocusReport, FrameReport, Report};
use jade_plan::{CoreError, Edges, Plan};

/// Merges the frames of a focus sweep, whatever their order, in place of combining them. Fails with
/// [`CoreError::Frames`] when fewer than three frames can be read or two be aligned, or nothing in them
/// tells an order.
pub struct Merge;

impl Source for Merge {
    fn notes(&self) -> &'static str {
        "focus"
    }

    fn key(&self, request: &Request) -> Key {
        key(request)
    }

    fn make(&self, request: &Request, key: &Key) -> Result<PictureNote, CoreError> {
        let decoded = decoded(request)?;
        let sweep = Sweep::of(request, &decoded)?;
        let said = sweep.report(&names(request), request.frames);
        let merging = Merging::of(request, &sweep)?;
        merging.write(request, key)?;
        let middle = &sweep.used[sweep.middle()];
        let profile = middle.frame.encoding.icc().to_vec();
        let report = report(request, &decoded, &sweep, merging.region, said);
        Ok(PictureNote { reference: middle.index, profile, report })
    }

    fn region(&self, request: &Request, region: Region) -> Result<Vec<f32>, CoreError> {
        let decoded = decoded(request)?;
        let sweep = Sweep::of(request, &decoded)?;
        let merging = Merging::of(request, &sweep)?;
        product::region(&merging, region, &|| request.watch.cancelled())
    }
}

fn decoded(request: &Request) -> Result<PerFrame<Given, Decoded>, CoreError> {
    let Request { cache, watch, .. } = *request;
    let mut decoded = decode::frames(request.frames, cache, (request.budget, true), watch)?;
    decode::settle(&mut decoded, None)?;
    Ok(decoded)
}

/// A sweep that is merged part by part.
struct Merging<'a> {
    merger: Merger<'a>,
    sweep: &'a Sweep<'a>,
    /// The part of the reference frame that is made.
    region: Region,
}

/// A merged part: its light, and which frame is sharp in it.
struct Merged {
    light: Vec<f32>,
    depth: Vec<u16>,
    certainty: Vec<u16>,
}

impl<'a> Merging<'a> {
    fn of(request: &Request, sweep: &'a Sweep) -> Result<Self, CoreError> {
        let (width, height) = sweep.used[sweep.middle()].frame.size();
        let region = match request.plan.combine.edges {
            Edges::Trim => common(&sweep.motions, (width, height))?,
            Edges::Keep | Edges::Fill => Region { x: 0, y: 0, width, height },
        };
        let placed = sweep.used.iter().zip(&sweep.motions).zip(&sweep.gains);
        let sights = placed.map(|((used, motion), gain)| {
            let light: &dyn Light = used.frame;
            Sight { light, motion: motion.clone(), gain: *gain }
        });
        let merger = Merger::new(sights.collect(), &sweep.map, request.plan.focus.way)?;
        Ok(Self { merger, sweep, region })
    }

    /// Writes the picture and the maps of depth.
    fn write(&self, request: &Request, key: &Key) -> Result<(), CoreError> {
        let Request { cache, watch, .. } = *request;
        let (width, height) = self.size();
        let out = TileWriter::<f32>::create(&cache.picture(key), width, height, 3)?;
        let map = |kind| TileWriter::<u16>::create(&cache.map(key, kind), width, height, 1);
        let (depth, certainty) = (map(MapKind::Depth)?, map(MapKind::Certainty)?);
        watch.begin(Stage::Combine, self.parts().len() as u64);
        product::each(self, &|| watch.cancelled(), |part, made| {
            out.write_region(part, &made.light)?;
            depth.write_region(part, &made.depth)?;
            certainty.write_region(part, &made.certainty)?;
            watch.advance(1);
            Ok(())
        })?;
        out.finish(!request.stream)?;
        depth.finish(false)?;
        certainty.finish(false)?;
        Ok(())
    }
}

impl Product for Merging<'_> {
    type Part = Merged;
    type Scratch = Scratch;
    const PART: [u32; 2] = [2 * SIDE; 2];

    fn size(&self) -> (u32, u32) {
        (self.region.width, self.region.height)
    }

    fn make(
        &self,
        part: Region,
        scratch: &mut Scratch,
        stop: Stop,
    ) -> Result<Merged, PictureError> {
        let origin = Origin([self.region.x, self.region.y]);
        let there = origin.to_reference(InResult(part));
        Ok(Merged {
            light: self.merger.merge(there, scratch, stop)?,
            depth: self.sweep.map.codes(there),
            certainty: self.sweep.map.certainty(there),
        })
    }

    fn light(part: &Merged) -> &[f32] {
        &part.light
    }
}

/// The report of a merged sweep, of which `region` of the reference frame is in the picture.
fn report(
    request: &Request,
    decoded: &PerFrame<Given, Decoded>,
    sweep: &Sweep,
    region: Region,
    said: FocusReport,
) -> Report {
    let middle = &sweep.used[sweep.middle()];
    let size = middle.frame.size();
    let frame = |i: FrameIndex<Given>| {
        frame_report(request.frame(i), &sweep.placed.of(i), None, None, size)
    };
    let mut frames: PerFrame<Given, FrameReport> = decoded.indices().map(frame).collect();
    for (frame, gain) in sweep.used.iter().zip(&sweep.gains) {
        frames[frame.index].weight = 1.0;
        frames[frame.index].level = (*gain != 1.0).then_some([*gain, 0.0]);
    }
    let indices: Vec<FrameIndex<Given>> = sweep.used.iter().map(|frame| frame.index).collect();
    let mut report = Report {
        version: Report::VERSION,
        reference: request.frame(middle.index).name.clone(),
        reference_content: request.frame(middle.index).id.clone(),
        size: [region.width, region.height],
        origin: [region.x, region.y],
        frames: frames.into_vec(),
        stages: vec![],
        peak_memory_mib: 0,
    };
    report.add(Figures::Frames { exposures: exposures(decoded, &indices) });
    report.add(Figures::Align { lens: None });
    report.add(Figures::Merge(said));
    report
}

/// What all frames cover.
fn common(motions: &[Motion], (width, height): (u32, u32)) -> Result<Region, CoreError> {
    let motions: Vec<&Motion> = motions.iter().collect();
    edges::common(&motions, None, width, height).ok_or_else(|| {
        CoreError::Frames(
            "These frames have no part in common; fill edges instead of trimming them.".to_owned(),
        )
    })
}

/// Names the picture; the report speaks of frames by name.
fn key(request: &Request) -> Key {
    let Plan { focus, align, combine, .. } = request.plan;
    let names: Vec<&str> = request.frames.iter().map(|frame| frame.name.as_str()).collect();
    let keys: Vec<Key> = request.frames.iter().map(FrameInput::light_key).collect();
    let settings = (focus.way, align.mode, combine.edges, names);
    Key::of("focus", &settings, &keys.iter().collect::<Vec<_>>())
}
