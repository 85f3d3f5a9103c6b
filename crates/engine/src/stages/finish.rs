//! The finish stage: from the combined picture to the finished one.

use crate::outcome::Outcome;
use crate::request::Request;
use crate::stages::change::Change;
use crate::stages::combine::interleaved::interleaved;
use jade_align::noise;
use jade_finish::glow::{self, Glow};
use jade_finish::smoothing::Smoothing;
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
/// Patches by which the noise is told.
const PATCHES: usize = 12;

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

    fn is_sky(&self, region: Region) -> Result<Vec<bool>, PictureError> {
        let shares = self.shares(region)?;
        Ok(shares.map_or(vec![true; region.area()], |shares| {
            shares.into_iter().map(|share| share >= SKY).collect()
        }))
    }

    /// Whether a region shows sky alone; where that cannot be read, it does not count.
    fn alone(&self, region: Region) -> bool {
        self.is_sky(region).is_ok_and(|sky| !sky.contains(&false))
    }
}

/// Adjustments of the picture, as the plan has them. Fails with [`CoreError::Frames`] where there is too
/// little sky.
pub struct Finish;

impl Change for Finish {
    fn is_on(&self, plan: &Plan) -> bool {
        // How much frames differ is no picture to be finished.
        plan.finish.is_on() && plan.combine.method != Method::Spread
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
    let plan = &request.plan.finish;
    let stop = || request.watch.cancelled();
    let sky = Sky::open(request, outcome)?;
    let size = sky.light.size();
    let parts = Region::covering(size.0, size.1, [PART; 2]);
    request.watch.begin(Stage::Finish, parts.len() as u64);
    let mut uneven = None;
    let glow = if plan.glow > 0.0 {
        let squares = glow::squares(&sky.light, &|region| sky.is_sky(region), &stop)?;
        let glow = Glow::of(&squares, size).ok_or_else(|| {
            CoreError::Frames(
                "This picture shows too little sky to tell its glow; set sky glow to 0.".to_owned(),
            )
        })?;
        uneven = Some([0.0, plan.glow].map(|amount| glow.uneven(&squares, amount)));
        Some(glow)
    } else {
        None
    };
    let smoothing = if plan.smoothing > 0.0 {
        let own = Smoothing::of(&sky.light, plan.smoothing, &|region| sky.alone(region))?;
        Some(own.ok_or_else(|| {
            CoreError::Frames(
                "This picture shows too little sky to see its noise; set sky smoothing to 0."
                    .to_owned(),
            )
        })?)
    } else {
        None
    };
    let from = TiledFile::<f32>::open(&outcome.picture)?;
    let create = |path: &std::path::Path| TileWriter::<f32>::create(path, size.0, size.1, 3);
    let out = create(&request.cache.picture(key))?;
    let layer = request.cache.layer(key, LayerKind::Sky);
    let layer = sky.mask.is_some().then(|| create(&layer)).transpose()?;
    parts.par_iter().try_for_each(|part| {
        if stop() {
            return Err(PictureError::Cancelled);
        }
        let shares = sky.shares(*part)?;
        let hidden = shares.as_ref().is_some_and(|shares| shares.iter().all(|share| *share == 0));
        let mut light = match &smoothing {
            Some(smoothing) if !hidden => smoothing.planes(&sky.light, *part)?,
            _ => sky.light.planes(*part)?,
        };
        if let Some(glow) = &glow {
            glow.take_off(plan.glow, *part, &mut light);
        }
        light.iter_mut().flatten().for_each(|light| *light = light.max(0.0));
        let own = interleaved(&light);
        match (shares, &layer) {
            (Some(shares), Some(layer)) => {
                // The sky's part of each pixel follows what was done to the sky.
                let mut picture = from.read_region(*part)?;
                let was = sky.light.0.read_region(*part)?;
                let changes = own.iter().zip(&was).map(|(own, was)| own - was);
                for (i, (light, change)) in picture.iter_mut().zip(changes).enumerate() {
                    *light = (*light + f32::from(shares[i / 3]) / 65535.0 * change).max(0.0);
                }
                out.write_region(*part, &picture)?;
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
    let out = Combined(out.finish(!request.stream)?);
    let noise = if smoothing.is_some() { noise_of(&sky, &out)? } else { None };
    Ok(FinishReport { uneven, noise })
}

/// Noise of the plainest patches of the sky, before and after.
fn noise_of(sky: &Sky, after: &Combined) -> Result<Option<[f32; 2]>, PictureError> {
    let patches = noise::patches(&sky.light, [0, 0], &[], PATCHES, &|region| sky.alone(region))?;
    let middle = |mut all: Vec<f32>| {
        all.sort_by(f32::total_cmp);
        all.get(all.len() / 2).copied()
    };
    let of = |light: &dyn Light| -> Result<Option<f32>, PictureError> {
        let all: Result<Vec<f32>, PictureError> =
            patches.iter().map(|patch| noise::noise_in(light, *patch)).collect();
        Ok(middle(all?))
    };
    Ok(of(&sky.light)?.zip(of(after)?).map(|(was, own)| [was, own]))
}
