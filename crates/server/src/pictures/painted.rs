//! A merged sweep with the patches painted on it, as the next run would make it.

use super::derived::Derived;
use super::open_picture::{Levels, OpenPicture};
use super::source::{Offer, Source};
use super::stored;
use crate::app::App;
use crate::error::ApiError;
use crate::store::{FrameRow, ResultRow};
use jade_combine::painting::{Painting, PartlyThere, Pixels, Stroke};
use jade_frames::cache::Key;
use jade_optics::motion::Backward;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::report::Report;
use jade_plan::{MergeMethod, Patch, PatchFrom};
use std::collections::HashMap;
use std::sync::Arc;

/// A picture and what is painted on it.
struct Painted {
    base: Arc<OpenPicture>,
    painting: Painting,
}

impl Derived for Painted {
    fn count(&self) -> usize {
        self.base.count()
    }

    fn level_size(&self, level: usize) -> (u32, u32) {
        self.base.level_size(level)
    }

    fn light_of(&self, level: usize, region: Region) -> Result<Vec<[f32; 3]>, PictureError> {
        let mut light = self.base.light_of(level, region)?;
        self.painting.paint(&mut light, region, level, self.base.level_size(level))?;
        Ok(light)
    }
}

/// A frame's picture, the motion from the reference frame to it, and the factor for its light.
struct PlacedFrame(Arc<OpenPicture>, Backward, f32);

impl Pixels for PlacedFrame {
    fn read(
        &self,
        level: usize,
        region: Region,
        origin: [u32; 2],
    ) -> Result<PartlyThere, PictureError> {
        let Self(picture, backward, gain) = self;
        let (mut light, covered) = picture.placed(level, region, backward, origin)?;
        light.iter_mut().flatten().for_each(|v| *v *= gain);
        Ok((light, covered))
    }
}

/// A picture in the same place as the base.
struct SamePlace(Arc<OpenPicture>);

impl Pixels for SamePlace {
    fn read(&self, level: usize, region: Region, _: [u32; 2]) -> Result<PartlyThere, PictureError> {
        Ok((self.0.light_of(level, region)?, None))
    }
}

/// Opens a merged sweep with the patches in its shoot's plan. Patches from another method are left
/// out while the sweep has not been merged by that method.
///
/// # Errors
/// [`ApiError`] when it is missing or cannot be read.
pub async fn open(app: &Arc<App>, id: i64) -> Result<Arc<OpenPicture>, ApiError> {
    let source = Source::Painted(id);
    let row = app.store.result(id).await?;
    let patches = app.store.plan(row.shoot_id).await?.focus.patches;
    let others = app.store.results_of(row.shoot_id).await?;
    let newest = others.first().map_or(0, |row| row.id);
    let version = Key::of("painted", &(&row.key, &patches, newest), &[]).as_str()[..20].to_owned();
    if let Some(picture) = app.gallery.known(source).filter(|picture| picture.version == version) {
        return Ok(picture);
    }
    let merged = Merged::of(app, row, others).await?;
    let mut found: HashMap<PatchFrom, Option<Arc<dyn Pixels>>> = HashMap::new();
    let mut strokes = vec![];
    for patch in patches {
        if !found.contains_key(&patch.from) {
            let pixels = match &patch.from {
                PatchFrom::Way { way } => merged.in_way(app, *way).await?,
                PatchFrom::Frame { blake3 } => {
                    let frame = merged.frames.iter().find(|frame| frame.blake3 == *blake3);
                    match frame {
                        Some(frame) => merged.frame(app, frame).await?,
                        None => None,
                    }
                }
            };
            found.insert(patch.from.clone(), pixels);
        }
        if let Some(Some(pixels)) = found.get(&patch.from) {
            let Patch { points, soft, .. } = patch;
            strokes.push(Stroke { pixels: pixels.clone(), points, soft });
        }
    }
    Ok(merged.kept(app, source, version, strokes))
}

/// Opens what the brush would paint on a merged sweep, over the whole picture.
///
/// # Errors
/// [`ApiError`] when it is missing, cannot be read, or is not available: the sweep was not merged
/// by this method yet, or the frame was not placed.
pub async fn offered(app: &Arc<App>, id: i64, offer: Offer) -> Result<Arc<OpenPicture>, ApiError> {
    let source = Source::Offered(id, offer);
    let row = app.store.result(id).await?;
    let others = app.store.results_of(row.shoot_id).await?;
    let newest = others.first().map_or(0, |row| row.id);
    let treatment = app.store.plan(row.shoot_id).await?.prepare;
    let made_of = (&row.key, format!("{offer:?}"), newest, treatment);
    let version = Key::of("offered", &made_of, &[]).as_str()[..20].to_owned();
    if let Some(picture) = app.gallery.known(source).filter(|picture| picture.version == version) {
        return Ok(picture);
    }
    let merged = Merged::of(app, row, others).await?;
    let pixels = match offer {
        Offer::Way(way) => merged.in_way(app, way).await?,
        Offer::Frame(id) => {
            let frame = merged.frames.iter().find(|frame| frame.id == id);
            merged.frame(app, frame.ok_or_else(|| ApiError::missing("This frame"))?).await?
        }
    };
    let pixels = pixels.ok_or_else(|| ApiError::missing("What would be painted"))?;
    // A dot in the middle that reaches beyond the corners.
    let (width, high) = merged.base.level_size(0);
    let [left, top] = merged.base.origin;
    let middle = [left + width / 2, top + high / 2].map(|v| v as f32);
    let points = vec![[middle[0], middle[1], (width + high) as f32]];
    let all_over = Stroke { pixels, points, soft: 0.0 };
    Ok(merged.kept(app, source, version, vec![all_over]))
}

/// A merged sweep that patches are painted on.
struct Merged {
    report: Report,
    way: MergeMethod,
    base: Arc<OpenPicture>,
    frames: Vec<FrameRow>,
    /// All results of its shoot, the newest first.
    others: Vec<ResultRow>,
}

impl Merged {
    async fn of(app: &Arc<App>, row: ResultRow, others: Vec<ResultRow>) -> Result<Self, ApiError> {
        Ok(Self {
            report: row.report()?,
            way: row.record()?.plan.focus.way,
            base: unpainted(app, &row).await?,
            frames: app.store.frames(row.shoot_id).await?,
            others,
        })
    }

    /// The sweep merged by a method, if that was done.
    async fn in_way(
        &self,
        app: &Arc<App>,
        way: MergeMethod,
    ) -> Result<Option<Arc<dyn Pixels>>, ApiError> {
        if way == self.way {
            return Ok(Some(Arc::new(SamePlace(self.base.clone()))));
        }
        let lies = |report: &Report| {
            let reference = match report.reference_content.as_str() {
                "" => report.reference.clone(),
                content => content.to_owned(),
            };
            (reference, report.size, report.origin)
        };
        for row in &self.others {
            let its_report = row.report()?;
            let alike = its_report.focus().is_some() && lies(&its_report) == lies(&self.report);
            if alike && row.record()?.plan.focus.way == way {
                return Ok(Some(Arc::new(SamePlace(unpainted(app, row).await?))));
            }
        }
        Ok(None)
    }

    /// A frame's pixels, if the frame was placed.
    async fn frame(
        &self,
        app: &Arc<App>,
        frame: &FrameRow,
    ) -> Result<Option<Arc<dyn Pixels>>, ApiError> {
        let reported = self.report.frame(&frame.blake3, &frame.name);
        let Some((reported, motion)) =
            reported.and_then(|reported| Some((reported, reported.motion.as_ref()?)))
        else {
            return Ok(None);
        };
        let gain = reported.level.map_or(1.0, |[factor, _]| factor);
        let picture = stored::open(app, Source::Calibrated(frame.id)).await?;
        Ok(Some(Arc::new(PlacedFrame(picture, motion.backward(), gain))))
    }

    /// The picture with what is painted on it, kept open.
    fn kept(
        self,
        app: &Arc<App>,
        source: Source,
        version: String,
        strokes: Vec<Stroke>,
    ) -> Arc<OpenPicture> {
        let (encoding, origin) = (jade_pixels::colour::Encoding::srgb(), self.base.origin);
        let levels = Levels::Derived(Box::new(Painted {
            base: self.base,
            painting: Painting { strokes, origin },
        }));
        let picture = Arc::new(OpenPicture { levels, encoding, version, origin });
        app.gallery.keep(source, &picture);
        picture
    }
}

/// The merged picture without patches.
async fn unpainted(app: &Arc<App>, row: &ResultRow) -> Result<Arc<OpenPicture>, ApiError> {
    use jade_frames::cache::LayerKind::Merged;
    let painted = app.result_folder(&row.key).join(Merged.name()).exists();
    let source = if painted { Source::Layer(Merged, row.id) } else { Source::Result(row.id) };
    stored::open(app, source).await
}
