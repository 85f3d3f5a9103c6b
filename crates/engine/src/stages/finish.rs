//! The finish stage: from the combined picture to the finished one.

use crate::outcome::Outcome;
use crate::product::{self, Product, Stop};
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
use jade_plan::report::{Figures, FinishReport};
use jade_plan::{CoreError, Method, Plan};
use std::path::Path;

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
        outcome.report.add(Figures::Finish(found));
        Ok(Outcome { key, picture, ..outcome })
    }

    fn region(
        &self,
        request: &Request,
        before: &Outcome,
        region: Region,
    ) -> Result<Vec<f32>, CoreError> {
        let sky = Sky::open(request, before)?;
        let finishing = Finishing::of(request, before, &sky)?;
        product::region(&finishing, region, &|| request.watch.cancelled())
    }
}

fn made(request: &Request, outcome: &Outcome, key: &Key) -> Result<FinishReport, CoreError> {
    let stop = || request.watch.cancelled();
    let sky = Sky::open(request, outcome)?;
    let finishing = Finishing::of(request, outcome, &sky)?;
    let (width, height) = finishing.size();
    request.watch.begin(Stage::Finish, finishing.parts().len() as u64);
    let create = |path: &Path| TileWriter::<f32>::create(path, width, height, 3);
    let out = create(&request.cache.picture(key))?;
    let layer = request.cache.layer(key, LayerKind::Sky);
    let layer = sky.mask.is_some().then(|| create(&layer)).transpose()?;
    product::each(&finishing, &stop, |part, made| {
        out.write_region(part, &made.light)?;
        if let (Some(layer), Some(sky)) = (&layer, &made.sky) {
            layer.write_region(part, sky)?;
        }
        request.watch.advance(1);
        Ok(())
    })?;
    if let Some(layer) = layer {
        layer.finish(false)?;
    }
    let out = Combined(out.finish(!request.stream)?);
    finishing.report(&out)
}

/// A picture with adjustments of its sky.
struct Finishing<'a> {
    /// The picture before.
    before: TiledFile<f32>,
    sky: &'a Sky,
    adjustments: Vec<Box<dyn Adjustment>>,
}

/// A finished part: the picture's light, and with a skyline that of its layer of sky.
struct Finished {
    light: Vec<f32>,
    sky: Option<Vec<f32>>,
}

impl<'a> Finishing<'a> {
    /// Fits the adjustments that the plan asks for.
    fn of(request: &Request, outcome: &Outcome, sky: &'a Sky) -> Result<Self, CoreError> {
        let stop = || request.watch.cancelled();
        let shows = |region: Region| sky.shows(region);
        let layer = Layer { light: &sky.light, shows: &shows };
        let fitted = ADJUSTMENTS.iter().map(|fit| fit(&request.plan.finish, &layer, &stop));
        let fitted: Result<Vec<Option<Box<dyn Adjustment>>>, CoreError> = fitted.collect();
        let adjustments = fitted?.into_iter().flatten().collect();
        Ok(Self { before: TiledFile::open(&outcome.picture)?, sky, adjustments })
    }

    /// The adjusted sky of a part. Without `has_sky` adjustments that read around are left out, as the
    /// part shows none of what they would take time for.
    fn adjusted(&self, part: Region, has_sky: bool) -> Result<Vec<f32>, PictureError> {
        let all = self.adjustments.iter().map(AsRef::as_ref);
        let by: Vec<&dyn Adjustment> =
            all.filter(|adjustment| has_sky || !adjustment.reads_around()).collect();
        let mut planes = Adjusted { light: &self.sky.light, by: &by }.planes(part)?;
        planes.iter_mut().flatten().for_each(|light| *light = light.max(0.0));
        Ok(interleaved(&planes))
    }

    fn report(&self, after: &dyn Light) -> Result<FinishReport, CoreError> {
        let shows = |region: Region| self.sky.shows(region);
        let layer = Layer { light: &self.sky.light, shows: &shows };
        let mut report = FinishReport { uneven: None, noise: None };
        for adjustment in &self.adjustments {
            adjustment.report(&layer, after, &mut report)?;
        }
        Ok(report)
    }
}

impl Product for Finishing<'_> {
    type Part = Finished;
    type Scratch = ();
    // Large, because each part also needs its surroundings.
    const PART: [u32; 2] = [4 * SIDE; 2];

    fn size(&self) -> (u32, u32) {
        (self.before.width(), self.before.height())
    }

    fn make(&self, part: Region, (): &mut (), _: Stop) -> Result<Finished, PictureError> {
        let Some(shares) = self.sky.shares(part)? else {
            return Ok(Finished { light: self.adjusted(part, true)?, sky: None });
        };
        let has_sky = shares.iter().any(|share| *share > 0);
        let sky = self.adjusted(part, has_sky)?;
        let was = self.sky.light.0.read_region(part)?;
        let light = followed(self.before.read_region(part)?, &shares, [&was, &sky]);
        Ok(Finished { light, sky: Some(sky) })
    }

    fn light(part: &Finished) -> &[f32] {
        &part.light
    }
}

/// A picture whose share of sky in each pixel, of 65535, follows what was done to the sky.
fn followed(mut picture: Vec<f32>, shares: &[u16], [was, now]: [&[f32]; 2]) -> Vec<f32> {
    let changes = now.iter().zip(was).map(|(now, was)| now - was);
    for (i, (light, change)) in picture.iter_mut().zip(changes).enumerate() {
        *light = (*light + f32::from(shares[i / 3]) / 65535.0 * change).max(0.0);
    }
    picture
}
