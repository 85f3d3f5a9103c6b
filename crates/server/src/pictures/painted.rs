//! A merged sweep with what is being painted on it, as the next run would make it.

use super::shown::Levels;
use super::{Shown, Source};
use crate::App;
use crate::error::ApiError;
use crate::store::ResultRow;
use jade_core::align::Motion;
use jade_core::brush::Brush;
use jade_core::cache::Key;
use jade_core::focus::{Patch, PatchFrom, Way};
use jade_core::report::Report;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use std::collections::HashMap;
use std::sync::Arc;

/// A picture and what is painted on it.
pub struct Painted {
    pub(super) base: Arc<Shown>,
    patches: Vec<(Arc<Pixels>, Patch)>,
}

/// What a patch is taken from.
enum Pixels {
    /// A frame, the way to it from the reference frame, and what its light is multiplied with.
    Frame(Arc<Shown>, Motion, f32),
    /// A picture that lies as the base does.
    Picture(Arc<Shown>),
}

impl Painted {
    /// Linear light of a region of a level in sRGB's primaries.
    pub(super) fn light_of(
        &self,
        level: usize,
        region: Region,
    ) -> Result<Vec<[f32; 3]>, PictureError> {
        let mut light = self.base.light_of(level, region)?;
        let (size, origin) = (self.base.level_size(level), self.base.origin);
        let times = 2f64.powi(level as i32);
        for (pixels, patch) in &self.patches {
            let points = patch.brush().points_in(origin, times as f32);
            let brush = Brush { points: &points, soft: patch.soft };
            let Some(both) = brush.bounds(size).and_then(|own| own.shared_with(region)) else {
                continue;
            };
            let (own, covered) = match &**pixels {
                Pixels::Picture(shown) => (shown.light_of(level, both)?, None),
                Pixels::Frame(shown, backward, gain) => {
                    let Some(backward) = backward.smaller(times, origin) else { continue };
                    let (mut own, covered) = shown.placed(level, both, &backward)?;
                    own.iter_mut().flatten().for_each(|v| *v *= gain);
                    (own, covered)
                }
            };
            let there = |i: usize| covered.as_ref().is_none_or(|covered| covered[i]);
            brush.lay(&mut light, region, both, |i| there(i).then(|| own[i]));
        }
        Ok(light)
    }
}

/// Opens a merged sweep with the patches that its shoot's plan has now. Those whose pixels are not at
/// hand, as the sweep was not merged in their way yet, are not seen.
///
/// # Errors
/// [`ApiError`] when it is gone or cannot be read.
pub async fn open(app: &Arc<App>, id: i64) -> Result<Arc<Shown>, ApiError> {
    let source = Source::Painted(id);
    let row = app.store.result(id).await?;
    let patches = app.store.plan(row.shoot_id).await?.focus.patches;
    let others = app.store.results_of(row.shoot_id).await?;
    let newest = others.first().map_or(0, |row| row.id);
    let version = Key::of("painted", &(&row.key, &patches, newest), &[]).as_str()[..20].to_owned();
    if let Some(shown) = app.gallery.known(source).filter(|own| own.version == version) {
        return Ok(shown);
    }
    let report = row.report()?;
    let base = unpainted(app, &row).await?;
    let frames = app.store.frames(row.shoot_id).await?;
    let treatment = row.record()?.plan;
    let mut found: HashMap<PatchFrom, Option<Arc<Pixels>>> = HashMap::new();
    let mut painted = vec![];
    for patch in patches {
        if !found.contains_key(&patch.from) {
            let own = match &patch.from {
                PatchFrom::Way { way } if *way == treatment.focus.way => {
                    Some(Pixels::Picture(base.clone()))
                }
                PatchFrom::Way { way } => {
                    merged_in(app, &others, *way, &report).await?.map(Pixels::Picture)
                }
                PatchFrom::Frame { blake3 } => {
                    let frame = frames.iter().find(|frame| frame.blake3 == *blake3);
                    let placed = frame.and_then(|frame| {
                        let own = report.frames.iter().find(|own| own.file == frame.name)?;
                        let gain = own.level.map_or(1.0, |[factor, _]| factor);
                        Some((frame.id, own.motion.as_ref()?.backward(), gain))
                    });
                    match placed {
                        Some((frame, backward, gain)) => {
                            let shown = Box::pin(super::open(app, Source::Calibrated(frame)));
                            Some(Pixels::Frame(shown.await?, backward, gain))
                        }
                        None => None,
                    }
                }
            };
            found.insert(patch.from.clone(), own.map(Arc::new));
        }
        if let Some(Some(pixels)) = found.get(&patch.from) {
            painted.push((pixels.clone(), patch));
        }
    }
    let origin = base.origin;
    let encoding = jade_pixels::colour::Encoding::srgb();
    let levels = Levels::Painted(Painted { base, patches: painted });
    let shown = Arc::new(Shown { levels, encoding, version, origin });
    app.gallery.keep(source, &shown);
    Ok(shown)
}

/// A result as it was merged, without what was painted.
async fn unpainted(app: &Arc<App>, row: &ResultRow) -> Result<Arc<Shown>, ApiError> {
    use jade_core::cache::LayerKind::Merged;
    let painted = app.result_folder(&row.key).join(Merged.name()).exists();
    let source = if painted { Source::Layer(Merged, row.id) } else { Source::Result(row.id) };
    Box::pin(super::open(app, source)).await
}

/// The newest result of the same sweep that was merged in a way and lies as another one does.
async fn merged_in(
    app: &Arc<App>,
    rows: &[ResultRow],
    way: Way,
    like: &Report,
) -> Result<Option<Arc<Shown>>, ApiError> {
    for row in rows {
        let own = row.report()?;
        let lies = |report: &Report| (report.reference.clone(), report.size, report.origin);
        if row.record()?.plan.focus.way == way && own.focus.is_some() && lies(&own) == lies(like) {
            return unpainted(app, row).await.map(Some);
        }
    }
    Ok(None)
}
