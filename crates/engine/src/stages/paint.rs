//! What is painted into a merged sweep: single frames, or the other way of merging.

use crate::outcome::Outcome;
use crate::product::{self, Product, Stop};
use crate::request::Request;
use crate::stages::change::Change;
use crate::stages::merge::stage::Merge;
use crate::stages::source::made;
use jade_combine::painting::{Painting, PartlyThere, Pixels, Stroke};
use jade_frames::Frame;
use jade_frames::cache::{Key, LayerKind};
use jade_optics::combined::Combined;
use jade_optics::light::Light;
use jade_optics::motion::Backward;
use jade_optics::resample::{self, Scratch};
use jade_optics::space::{InResult, Origin};
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, SIDE, TileWriter, TiledFile};
use jade_plan::progress::Stage;
use jade_plan::report::{Figures, FocusReport};
use jade_plan::{CoreError, FocusPlan, Patch, PatchFrom, Plan};
use std::collections::HashMap;
use std::path::Path;
use std::sync::Arc;

/// A frame's own pixels, as it lies on the reference frame.
struct Placed {
    frame: Frame,
    /// From the reference frame to the frame.
    backward: Backward,
    /// What brings its light to that of the others.
    gain: f32,
}

impl Pixels for Placed {
    fn read(
        &self,
        _: usize,
        region: Region,
        origin: [u32; 2],
    ) -> Result<PartlyThere, PictureError> {
        let mut planes = [(); 3].map(|()| vec![0.0; region.area()]);
        let slices = planes.each_mut().map(Vec::as_mut_slice);
        let there = Origin(origin).to_reference(InResult(region));
        let covered =
            resample::read(&self.frame, &self.backward, there, slices, &mut Scratch::default())?;
        let light = pixels_of(&planes).map(|pixel| pixel.map(|v| v * self.gain));
        Ok((light.collect(), covered))
    }
}

/// Another picture of the same frames, as large as the one that is painted on.
struct SamePlace(Combined);

impl Pixels for SamePlace {
    fn read(&self, _: usize, region: Region, _: [u32; 2]) -> Result<PartlyThere, PictureError> {
        let planes = self.0.planes(region)?;
        Ok((pixels_of(&planes).collect(), None))
    }
}

fn pixels_of(planes: &[Vec<f32>; 3]) -> impl Iterator<Item = [f32; 3]> {
    (0..planes[0].len()).map(|i| planes.each_ref().map(|plane| plane[i]))
}

/// Paints the plan's patches into the picture. Those of frames that are not at hand, or were not placed,
/// are left out and doubted in the report.
pub struct Paint;

impl Change for Paint {
    fn is_on(&self, plan: &Plan) -> bool {
        !plan.focus.patches.is_empty()
    }

    fn change(&self, request: &Request, merged: Outcome) -> Result<Outcome, CoreError> {
        let key = Key::of("patch", &request.plan.focus.patches, &[&merged.key]);
        let picture = request.cache.picture(&key);
        let note: Option<Vec<String>> = request.cache.read("patch", &key);
        let doubts = match note.filter(|_| TiledFile::<f32>::open(&picture).is_ok()) {
            Some(doubts) => doubts,
            None => {
                let doubts = paint(request, &merged, &key)?;
                request.cache.write("patch", &key, &doubts)?;
                doubts
            }
        };
        let mut report = merged.report;
        if let Some(focus) = report.focus() {
            let doubts = focus.doubts.iter().cloned().chain(doubts).collect();
            report.add(Figures::Merge(FocusReport { doubts, ..focus.clone() }));
        }
        report.add(Figures::Paint);
        Ok(Outcome { key, picture, report, ..merged })
    }

    fn region(
        &self,
        request: &Request,
        merged: &Outcome,
        region: Region,
    ) -> Result<Vec<f32>, CoreError> {
        let (painted, _) = Painted::of(request, merged)?;
        product::region(&painted, region, &|| request.watch.cancelled())
    }
}

fn paint(request: &Request, merged: &Outcome, key: &Key) -> Result<Vec<String>, CoreError> {
    let (painted, doubts) = Painted::of(request, merged)?;
    let (width, height) = painted.size();
    request.watch.begin(Stage::Finish, painted.parts().len() as u64);
    let out = TileWriter::<f32>::create(&request.cache.picture(key), width, height, 3)?;
    product::each(&painted, &|| request.watch.cancelled(), |part, light| {
        out.write_region(part, &light)?;
        request.watch.advance(1);
        Ok(())
    })?;
    out.finish(!request.stream)?;
    keep_unpainted(request, merged, key)?;
    Ok(doubts)
}

/// A picture with what is painted on it.
struct Painted {
    before: TiledFile<f32>,
    painting: Painting,
}

impl Painted {
    /// The plan's patches on a merged picture; also says which of them are left out.
    fn of(request: &Request, merged: &Outcome) -> Result<(Self, Vec<String>), CoreError> {
        let (pixels, doubts) = pixels(request, merged)?;
        let strokes = request.plan.focus.patches.iter().filter_map(|patch| {
            let Patch { points, soft, .. } = patch.clone();
            Some(Stroke { pixels: pixels.get(&patch.from)?.clone(), points, soft })
        });
        let painting = Painting { strokes: strokes.collect(), origin: merged.report.origin };
        Ok((Self { before: TiledFile::open(&merged.picture)?, painting }, doubts))
    }
}

impl Product for Painted {
    type Part = Vec<f32>;
    type Scratch = ();
    const PART: [u32; 2] = [2 * SIDE; 2];

    fn size(&self) -> (u32, u32) {
        (self.before.width(), self.before.height())
    }

    fn make(&self, part: Region, (): &mut (), _: Stop) -> Result<Vec<f32>, PictureError> {
        let mut light = self.before.read_region(part)?;
        self.painting.paint(light.as_chunks_mut::<3>().0, part, 0, self.size())?;
        Ok(light)
    }

    fn light(part: &Vec<f32>) -> &[f32] {
        part
    }
}

/// Keeps what was merged beside the painted picture, so that it can be painted on anew.
fn keep_unpainted(request: &Request, merged: &Outcome, key: &Key) -> Result<(), PictureError> {
    let kept = request.cache.layer(key, LayerKind::Merged);
    let folder = kept.parent().expect("a layer lies in a folder");
    std::fs::create_dir_all(folder).map_err(PictureError::io(folder))?;
    let _ = std::fs::remove_file(&kept);
    if std::fs::hard_link(&merged.picture, &kept).is_err() {
        std::fs::copy(&merged.picture, &kept).map_err(PictureError::io(&kept))?;
    }
    Ok(())
}

/// All that the plan's patches are taken from, and what is to be doubted.
type Found<'a> = (HashMap<&'a PatchFrom, Arc<dyn Pixels>>, Vec<String>);

fn pixels<'a>(request: &Request<'a>, merged: &Outcome) -> Result<Found<'a>, CoreError> {
    let plan: &'a Plan = request.plan;
    let (mut found, mut missing) = (HashMap::new(), HashMap::<String, usize>::new());
    let beside = |path: &Path| -> Result<Option<Arc<dyn Pixels>>, PictureError> {
        Ok(Some(Arc::new(SamePlace(Combined(TiledFile::open(path)?)))))
    };
    for Patch { from, .. } in &plan.focus.patches {
        if found.contains_key(from) {
            continue;
        }
        let pixels = match from {
            PatchFrom::Way { way } if *way == plan.focus.way => beside(&merged.picture)?,
            PatchFrom::Way { way } => {
                let focus = FocusPlan { way: *way, patches: vec![] };
                let plan = Plan { focus, ..plan.clone() };
                let other = made(&Merge, &Request { plan: &plan, ..*request })?;
                beside(&other.picture)?
            }
            PatchFrom::Frame { blake3 } => {
                let index = request.frames.iter().position(|frame| frame.id == *blake3);
                let report = index.map(|index| &merged.report.frames[index]);
                match (index, report.and_then(|report| report.motion.as_ref())) {
                    (Some(index), Some(motion)) => {
                        let input = &request.frames[index];
                        let stop = &mut || match request.watch.cancelled() {
                            true => Err(PictureError::Cancelled),
                            false => Ok(()),
                        };
                        let frame = Frame::decode(input, request.cache, stop)?;
                        let level = merged.report.frames[index].level;
                        let gain = level.map_or(1.0, |[factor, _]| factor);
                        let backward = motion.backward();
                        let placed: Arc<dyn Pixels> = Arc::new(Placed { frame, backward, gain });
                        Some(placed)
                    }
                    (Some(index), None) => {
                        let name = &request.frames[index].name;
                        *missing.entry(format!("{name}, which could not be used,")).or_default() +=
                            1;
                        None
                    }
                    (None, _) => {
                        let what = "a frame that is not in this run".to_owned();
                        *missing.entry(what).or_default() += 1;
                        None
                    }
                }
            }
        };
        if let Some(pixels) = pixels {
            found.insert(from, pixels);
        }
    }
    let mut doubts: Vec<String> = missing
        .into_iter()
        .map(|(whence, count)| match count {
            1 => format!("A patch from {whence} is left out."),
            count => format!("{count} patches from {whence} are left out."),
        })
        .collect();
    doubts.sort();
    Ok((found, doubts))
}
