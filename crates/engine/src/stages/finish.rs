//! The finish stage: from the combined picture to the finished one.

use crate::outcome::Outcome;
use crate::request::Request;
use crate::stages::change::Change;
use crate::stages::combine::interleaved::interleaved;
use jade_finish::ADJUSTMENTS;
use jade_finish::adjustment::{Adjusted, Adjustment, Layer};
use jade_frames::cache::{Key, LayerKind};
use jade_optics::combined::Combined;
use jade_optics::light::Light;
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, SIDE, TileWriter, TiledFile};
use jade_plan::progress::Stage;
use jade_plan::report::FinishReport;
use jade_plan::{CoreError, Method, Plan};
use rayon::prelude::*;

/// Side of the parts that are finished at a time: each needs its surroundings.
const PART: u32 = 4 * SIDE;
/// Shares of sky, of 65535, from here on are sky alone.
const SKY: u16 = 64_800;

/// The sky of a combined picture.
struct Sky {
    light: Combined,
    /// The share of sky, where there is ground too.
    mask: Option<TiledFile<u16>>,
}

impl Sky {
    fn open(request: &Request, outcome: &Outcome) -> Result<Self, PictureError> {
        let layer = |kind| request.cache.layer(&outcome.combined, kind);
        if !request.plan.skyline.is_on() {
            return Ok(Self { light: Combined(TiledFile::open(&outcome.picture)?), mask: None });
        }
        let mask = Some(TiledFile::open(&layer(LayerKind::Mask))?);
        Ok(Self { light: Combined(TiledFile::open(&layer(LayerKind::Sky))?), mask })
    }

    fn shares(&self, region: Region) -> Result<Option<Vec<u16>>, PictureError> {
        self.mask.as_ref().map(|mask| mask.read_region(region)).transpose()
    }

    fn shows(&self, region: Region) -> Result<Vec<bool>, PictureError> {
        let shares = self.shares(region)?;
        Ok(shares.map_or(vec![true; region.area()], |shares| {
            shares.into_iter().map(|share| share >= SKY).collect()
        }))
    }
}

/// Adjustments of the picture, as the plan has them. Fails with [`CoreError::Frames`] where there is too
/// little sky.
pub struct Finish;

impl Change for Finish {
    fn is_on(&self, plan: &Plan) -> bool {
        // How much frames differ is no picture to be finished.
        plan.finish.is_on() && plan.combine.method != Method::StdDev
    }

    fn change(&self, request: &Request, mut outcome: Outcome) -> Result<Outcome, CoreError> {
        let plan = &request.plan.finish;
        let key = Key::of("finish", plan, &[&outcome.combined]);
        let picture = request.cache.picture(&key);
        let note: Option<FinishReport> = request.cache.read("finish", &key);
        let found = match note.filter(|_| TiledFile::<f32>::open(&picture).is_ok()) {
            Some(found) => found,
            None => {
                let found = made(request, &outcome, &key)?;
                request.cache.write("finish", &key, &found)?;
                found
            }
        };
        outcome.report.finish = Some(found);
        Ok(Outcome { key, picture, ..outcome })
    }
}

fn made(request: &Request, outcome: &Outcome, key: &Key) -> Result<FinishReport, CoreError> {
    let stop = || request.watch.cancelled();
    let sky = Sky::open(request, outcome)?;
    let layer = Layer { light: &sky.light, shows: &|region| sky.shows(region) };
    let (width, height) = sky.light.size();
    let parts = Region::covering(width, height, [PART; 2]);
    request.watch.begin(Stage::Finish, parts.len() as u64);
    let fitted = ADJUSTMENTS.iter().map(|fit| fit(&request.plan.finish, &layer, &stop));
    let fitted: Result<Vec<Option<Box<dyn Adjustment>>>, CoreError> = fitted.collect();
    let fitted: Vec<Box<dyn Adjustment>> = fitted?.into_iter().flatten().collect();
    let all: Vec<&dyn Adjustment> = fitted.iter().map(AsRef::as_ref).collect();
    // What reads around is not worth its time where no sky is seen.
    let mut quick = all.clone();
    quick.retain(|adjustment| !adjustment.reads_around());
    let adjusted = [&all, &quick].map(|by| Adjusted { light: &sky.light, by });
    let out = write(request, outcome, key, &sky, &parts, &adjusted)?;
    let mut report = FinishReport { uneven: None, noise: None };
    for adjustment in &fitted {
        adjustment.report(&layer, &out, &mut report)?;
    }
    Ok(report)
}

/// Writes the finished picture, and with a skyline its layer of sky, part by part. `adjusted` is the sky's
/// light where it is seen, and where it is not.
fn write(
    request: &Request,
    outcome: &Outcome,
    key: &Key,
    sky: &Sky,
    parts: &[Region],
    [seen, hidden]: &[Adjusted; 2],
) -> Result<Combined, CoreError> {
    let (width, height) = sky.light.size();
    let from = TiledFile::<f32>::open(&outcome.picture)?;
    let create = |path: &std::path::Path| TileWriter::<f32>::create(path, width, height, 3);
    let out = create(&request.cache.picture(key))?;
    let layer = request.cache.layer(key, LayerKind::Sky);
    let layer = sky.mask.is_some().then(|| create(&layer)).transpose()?;
    parts.par_iter().try_for_each(|part| {
        if request.watch.cancelled() {
            return Err(PictureError::Cancelled);
        }
        let shares = sky.shares(*part)?;
        let is_hidden =
            shares.as_ref().is_some_and(|shares| shares.iter().all(|share| *share == 0));
        let mut light = if is_hidden { hidden } else { seen }.planes(*part)?;
        light.iter_mut().flatten().for_each(|light| *light = light.max(0.0));
        let own = interleaved(&light);
        match (shares, &layer) {
            (Some(shares), Some(layer)) => {
                let was = sky.light.0.read_region(*part)?;
                out.write_region(
                    *part,
                    &followed(from.read_region(*part)?, &shares, [&was, &own]),
                )?;
                layer.write_region(*part, &own)?;
            }
            _ => out.write_region(*part, &own)?,
        }
        request.watch.advance(1);
        Ok::<(), PictureError>(())
    })?;
    if let Some(layer) = layer {
        layer.finish(false)?;
    }
    Ok(Combined(out.finish(!request.stream)?))
}

/// A picture whose share of sky in each pixel, of 65535, follows what was done to the sky.
fn followed(mut picture: Vec<f32>, shares: &[u16], [was, own]: [&[f32]; 2]) -> Vec<f32> {
    let changes = own.iter().zip(was).map(|(own, was)| own - was);
    for (i, (light, change)) in picture.iter_mut().zip(changes).enumerate() {
        *light = (*light + f32::from(shares[i / 3]) / 65535.0 * change).max(0.0);
    }
    picture
}
