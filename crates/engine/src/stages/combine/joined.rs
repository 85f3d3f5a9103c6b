//! The combine stage where sky and ground are kept apart: both layers, then the picture.

use crate::request::Request;
use crate::stages::combine::blocks::{alike, tiles};
use crate::stages::combine::ground::Ground;
use crate::stages::combine::interleaved::interleaved;
use crate::stages::combine::squares::{GROUND, PASSING, SKY, STILL_SKY, Squares, squares_of};
use crate::stages::combine::used::{BLOCK, Used, reference_first};
use crate::stages::skyline::find;
use jade_combine::backdrop::Extended;
use jade_combine::isolated;
use jade_combine::join::{Joiner, MARGIN, Passing};
use jade_combine::mask::{Mask, Side};
use jade_combine::normalise::Normalisation;
use jade_combine::reduce::{Placed, Reducer, Scratch};
use jade_combine::reduced::Reduced;
use jade_combine::visibility::{self, SkyVisibility, Unground};
use jade_frames::cache::{Key, LayerKind, MapKind};
use jade_optics::light::Light;
use jade_optics::motion::Motion;
use jade_pixels::PictureError;
use jade_pixels::tiled::{Region, SIDE, TileWriter, TiledFile};
use jade_plan::progress::Stage;
use jade_plan::report::SkylineReport;
use jade_plan::{CombinePlan, CoreError, Edges, GroundFrom, Method};
use rayon::prelude::*;
use std::sync::Mutex;

/// The joined picture, and each frame's share of rejected samples where the method rejects.
pub type Made = (TiledFile<f32>, Option<Vec<f32>>);

/// What the run works on.
pub struct Join<'a> {
    pub request: &'a Request<'a>,
    pub key: &'a Key,
    pub used: &'a [Used<'a>],
    pub ground: &'a Ground,
    pub mask: &'a Mask,
    /// Index of the reference frame.
    pub reference: usize,
    /// Size of the reference frame.
    pub size: (u32, u32),
    /// The part of it that is made.
    pub region: Region,
}

/// Frames whose sky is put back where the stack leaves passing things out.
const PASSING_FRAMES: usize = 6;

static STILL: Motion = Motion::Still;

/// Makes layers and picture.
///
/// # Errors
/// [`CoreError::Picture`], [`CoreError::Cancelled`].
pub fn reduce(join: &Join) -> Result<Made, CoreError> {
    let Join { request, key, region, mask, .. } = *join;
    let plan = &request.plan.combine;
    let held = request.budget.held();
    let ground_plan = join.ground.plan(request);
    let ground_reducer = Reducer::new(join.ground.placed(join.used), &ground_plan, held);
    // A finished picture is taken as it is.
    let flawed = !matches!(request.plan.skyline.ground.from, GroundFrom::Picture(_));
    let (width, height) = (region.width, region.height);
    // What is joined, and what is looked at with it.
    let around = |block: Region| mask.side(join.there(block).widened(2 * MARGIN, join.size));
    // Near the skyline in smaller ones, as many tiles show one side alone.
    let blocks: Vec<Region> = Region::covering(width, height, BLOCK)
        .into_iter()
        .flat_map(|block| match around(block) {
            Side::Both => alike(block, &around),
            _ => vec![block],
        })
        .collect();
    let count = |block: &Region| {
        u64::from(block.width.div_ceil(SIDE)) * u64::from(block.height.div_ceil(SIDE))
    };
    request.watch.begin(Stage::Combine, 2 * blocks.iter().map(count).sum::<u64>());
    let create = |path: &std::path::Path| TileWriter::<f32>::create(path, width, height, 3);
    let aside = |kind: LayerKind| create(&request.cache.layer(key, kind).with_extension("aside"));
    let out = Out {
        picture: create(&request.cache.picture(key))?,
        sky: create(&request.cache.layer(key, LayerKind::Sky))?,
        ground: create(&request.cache.layer(key, LayerKind::Ground))?,
        unaligned: aside(LayerKind::Ground)?,
        still: (!join.ground.is_of_the_sky()).then(|| aside(LayerKind::Sky)).transpose()?,
        before: join.takes_off().then(|| aside(LayerKind::Mask)).transpose()?,
        maps: Maps::create(request, key, region, join.used.len())?,
    };
    let squares = Mutex::new(Squares::new((width, height)));
    let stop = || request.watch.cancelled();
    // What stands still in the frames of the sky, where that is not the ground itself.
    let still_frames = (!join.ground.is_of_the_sky()).then(|| {
        let still = join.used.iter().map(|one| Placed { motion: &STILL, ..one.placed() });
        let method = request.plan.skyline.ground.method;
        let plan = CombinePlan { method, edges: Edges::Fill, ..plan.clone() };
        Reducer::new(still.collect(), &plan, held)
    });
    blocks.iter().par_bridge().try_for_each_init(Scratch::default, |scratch, block| {
        if let (Some(reducer), Side::Both) = (&still_frames, around(*block)) {
            let made = reducer.reduce(join.there(*block), scratch, &stop)?;
            join.keep_still(*block, &made, &out, &squares)?;
        }
        if around(*block) != Side::Sky {
            let mut made = ground_reducer.reduce(join.there(*block), scratch, &stop)?;
            if flawed {
                isolated::mend(&mut made.light, block.width as usize);
            }
            join.keep_ground(*block, around(*block), made, &out, &squares)?;
        }
        request.watch.advance(count(block));
        Ok::<(), PictureError>(())
    })?;
    let unaligned = out.unaligned.so_far()?;
    let (passing, still_sky) = {
        let squares = squares.lock().expect("no thread fails with the lock");
        let layer = if still_frames.is_some() { STILL_SKY } else { PASSING };
        (squares.backdrop(PASSING), squares.backdrop(layer))
    };
    let still = match &out.still {
        Some(still) => still.so_far()?,
        None => out.unaligned.so_far()?,
    };
    let clear = SkyVisibility::of(mask, join.takes_off().then_some(region));
    // What stands before the sky, without which the frames show that alone.
    let before = out.before.as_ref().map(TileWriter::so_far).transpose()?;
    if let Some(writer) = &out.before {
        let near = blocks.par_iter().filter(|block| around(**block) == Side::Both);
        near.filter(|block| mask.side(join.there(**block)) != Side::Sky).try_for_each(|tile| {
            let shares = mask.region(join.there(*tile));
            let standing =
                visibility::standing(&shares, still.read_region(*tile)?, *tile, &still_sky);
            writer.write_region(*tile, &standing)
        })?;
    }
    let origin = [region.x, region.y];
    let skies: Vec<Unground> = before
        .iter()
        .flat_map(|before| join.in_order().map(move |one| (one, before)))
        .map(|(one, before)| Unground { frame: one.placed().light, mask, before, origin })
        .collect();
    let clear_sky = join.in_order().enumerate().map(|(i, one)| match skies.get(i) {
        Some(sky) => Placed { light: sky, ..one.placed() },
        None => one.placed(),
    });
    let gaps: Mutex<Vec<Region>> = Mutex::default();
    let sky_reducer = Reducer::new(clear_sky.collect(), plan, held).of_clear_sky(&clear);
    let sees = |block: Region| {
        let there = join.there(block);
        mask.side(there) != Side::Ground || sky_reducer.sees(there)
    };
    // Behind the ground in tiles, of which many show nothing of it.
    let skies_in = |block: &Region| match around(*block) {
        Side::Ground if !sees(*block) => {
            request.watch.advance(count(block));
            vec![]
        }
        Side::Ground => tiles(*block),
        _ => vec![*block],
    };
    let sky_blocks: Vec<Region> = blocks.iter().flat_map(skies_in).collect();
    sky_blocks.iter().par_bridge().try_for_each_init(Scratch::default, |scratch, block| {
        let made = match sees(*block) {
            true => Some(sky_reducer.reduce(join.there(*block), scratch, &stop)?),
            false => None,
        };
        if made.as_ref().is_none_or(|made| made.coverage.contains(&0)) {
            gaps.lock().expect("no thread fails with the lock").push(*block);
        }
        match made {
            Some(made) => join.keep_sky(*block, around(*block), made, &out, &squares)?,
            None => out.sky.write_region(*block, &vec![f32::NAN; block.area() * 3])?,
        }
        request.watch.advance(count(block));
        Ok::<(), PictureError>(())
    })?;
    let near: Vec<Region> =
        blocks.iter().copied().filter(|block| around(*block) == Side::Both).collect();

    let squares = squares.into_inner().expect("no thread fails with the lock");
    let (sky_backdrop, ground_backdrop) = (squares.backdrop(SKY), squares.backdrop(GROUND));
    let sky_layer = out.sky.so_far()?;
    let sky = Extended { layer: &sky_layer, origin, size: join.size, backdrop: &sky_backdrop };
    let shared = join.ground.shared(join.used);
    let backward = |one: &&Used| one.placed().motion.backward();
    let motions: Vec<Motion> = spread(ground_plan.method, shared).iter().map(backward).collect();
    let moved = moved(&sky, &motions, &ground_plan, held);
    let joiner = Joiner {
        mask,
        sky: &sky,
        ground: &unaligned,
        passing: match &moved {
            Some(moved) => Passing::Moved(moved),
            None => Passing::Backdrop(&passing),
        },
        backdrop: &ground_backdrop,
    };
    let parts = |block: &Region| match joiner.cost(*block) {
        whole if tiles(*block).iter().map(|tile| joiner.cost(*tile)).sum::<usize>() < whole => {
            tiles(*block)
        }
        _ => vec![*block],
    };
    let near: Vec<Region> = near.iter().flat_map(parts).collect();
    near.iter().par_bridge().try_for_each_init(Scratch::default, |scratch, tile| {
        let joined = joiner.join(*tile, scratch, &stop)?;
        out.picture.write_region(*tile, &joined.picture)?;
        out.ground.write_region(*tile, &joined.ground)
    })?;
    // Now nothing reads the gaps of the sky any more.
    let gaps = gaps.into_inner().expect("no thread fails with the lock");
    gaps.par_iter().try_for_each(|tile| {
        out.sky.write_region(*tile, &interleaved(&sky.planes(join.there(*tile))?))
    })?;
    let shares = out.maps.finish(region)?;
    out.sky.finish(false)?;
    out.ground.finish(false)?;
    find::write(mask, &request.cache.layer(key, LayerKind::Mask), region)?;
    Ok((out.picture.finish(!request.stream)?, shares))
}

/// What is told of a mask and the ground behind it.
pub fn report(ground: &Ground, mask: &Mask, region: Region) -> SkylineReport {
    SkylineReport {
        sky: mask.sky(region),
        ground_frames: ground.count() as u32,
        ground_noise: None,
        ground_gain: ground.gain,
        left_out: ground.left_out.clone(),
    }
}

/// The frames whose sky is put back: where the stack leaves passing things out, some that are spread
/// over all of them pass as well.
fn spread<T: Copy>(method: Method, shared: Vec<T>) -> Vec<T> {
    if !matches!(method, Method::Median | Method::Clipped) || shared.len() <= PASSING_FRAMES {
        return shared;
    }
    let one = |k: usize| shared[k * (shared.len() - 1) / (PASSING_FRAMES - 1)];
    (0..PASSING_FRAMES).map(one).collect()
}

/// What took the place of the sky of each frame in the unaligned stack, from the aligned one.
fn moved<'a>(
    sky: &'a Extended,
    motions: &'a [Motion],
    plan: &CombinePlan,
    held: usize,
) -> Option<Reducer<'a>> {
    let placed = motions.iter().map(|motion| {
        let levels = [Normalisation::NONE; 3];
        Placed { light: sky as &dyn Light, motion, levels, weight: 1.0 }
    });
    let placed: Vec<Placed> = placed.collect();
    let plan = CombinePlan { edges: Edges::Fill, ..plan.clone() };
    (!placed.is_empty()).then(|| Reducer::new(placed, &plan, held))
}

/// The files that are made.
struct Out {
    picture: TileWriter<f32>,
    sky: TileWriter<f32>,
    ground: TileWriter<f32>,
    /// The unaligned stack near the skyline; not kept.
    unaligned: TileWriter<f32>,
    /// The same of the frames of the sky, where the ground comes from elsewhere.
    still: Option<TileWriter<f32>>,
    /// What stands before the sky, where that can be taken off; not kept.
    before: Option<TileWriter<f32>>,
    maps: Maps,
}

impl Join<'_> {
    /// Where a region of the result is in the reference frame.
    fn there(&self, own: Region) -> Region {
        own.moved([self.region.x, self.region.y])
    }

    /// The frames of the sky, in the order in which they are summed.
    fn in_order(&self) -> impl Iterator<Item = &Used<'_>> {
        let streams = !matches!(self.request.plan.combine.method, Method::Median | Method::Clipped);
        match streams {
            true => reference_first(self.used, self.reference),
            false => self.used.iter().collect(),
        }
        .into_iter()
    }

    /// Whether what stands still can be taken off frames before they are aligned: what the lens
    /// drew elsewhere, or another brightness, is only put right on the way.
    fn takes_off(&self) -> bool {
        let plain = |one: &Used| {
            let Placed { light, levels, .. } = one.placed();
            light.lens().is_none() && levels == [Normalisation::NONE; 3]
        };
        self.used.iter().all(plain)
    }

    /// Writes the unaligned stack of a block, to the picture where nothing is to be joined.
    fn keep_ground(
        &self,
        block: Region,
        around: Side,
        ground: Reduced,
        out: &Out,
        squares: &Mutex<Squares>,
    ) -> Result<(), PictureError> {
        let shares = self.mask.region(self.there(block));
        let counts = |i: usize| shares[i] < 128;
        out.maps.keep(block, around == Side::Ground, &counts, &ground, self.ground.is_shared())?;
        if around == Side::Ground {
            out.picture.write_region(block, &ground.light)?;
            return out.ground.write_region(block, &ground.light);
        }
        let firm = squares_of(block, &ground.light, &|i| shares[i] == 0);
        let passing = squares_of(block, &ground.light, &|i| shares[i] == 255);
        let mut squares = squares.lock().expect("no thread fails with the lock");
        squares.tell(GROUND, firm);
        squares.tell(PASSING, passing);
        drop(squares);
        out.unaligned.write_region(block, &ground.light)
    }

    /// Writes what stands still in the frames of the sky.
    fn keep_still(
        &self,
        block: Region,
        still: &Reduced,
        out: &Out,
        squares: &Mutex<Squares>,
    ) -> Result<(), PictureError> {
        let Some(writer) = &out.still else { return Ok(()) };
        let shares = self.mask.region(self.there(block));
        let sky = squares_of(block, &still.light, &|i| shares[i] == 255);
        squares.lock().expect("no thread fails with the lock").tell(STILL_SKY, sky);
        writer.write_region(block, &still.light)
    }

    /// Writes the sky of a block, to the picture where nothing is to be joined.
    fn keep_sky(
        &self,
        block: Region,
        around: Side,
        mut sky: Reduced,
        out: &Out,
        squares: &Mutex<Squares>,
    ) -> Result<(), PictureError> {
        let shares = self.mask.region(self.there(block));
        out.maps.keep(block, around == Side::Sky, &|i| shares[i] > 127, &sky, true)?;
        let gaps = sky.coverage.contains(&0);
        if gaps || around == Side::Both {
            let covered = |i: usize| sky.coverage.get(i).is_none_or(|n| *n > 0);
            let own = squares_of(block, &sky.light, &covered);
            squares.lock().expect("no thread fails with the lock").tell(SKY, own);
        }
        if gaps {
            let pixels = sky.light.as_chunks_mut::<3>().0.iter_mut().zip(&sky.coverage);
            pixels.filter(|(_, n)| **n == 0).for_each(|(pixel, _)| *pixel = [f32::NAN; 3]);
        }
        out.sky.write_region(block, &sky.light)?;
        match around {
            Side::Sky => out.picture.write_region(block, &sky.light),
            _ => Ok(()),
        }
    }
}

/// Writes the numbers of some pixels of a block, which are `N` each, and leaves the others.
fn update<const N: usize>(
    map: &TileWriter<u16>,
    block: Region,
    counts: &dyn Fn(usize) -> bool,
    of: impl Fn(usize) -> [u16; N],
) -> Result<(), PictureError> {
    let mut now = map.so_far()?.read_region(block)?;
    for (i, own) in now.as_chunks_mut::<N>().0.iter_mut().enumerate().filter(|(i, _)| counts(*i)) {
        *own = of(i);
    }
    map.write_region(block, &now)
}

/// Maps that come with the picture.
struct Maps {
    coverage: Option<TileWriter<u16>>,
    rejected: Option<TileWriter<u16>>,
    by_frame: Mutex<Vec<u64>>,
    frames: u16,
}

impl Maps {
    fn create(
        request: &Request,
        key: &Key,
        region: Region,
        frames: usize,
    ) -> Result<Self, PictureError> {
        let plan = &request.plan.combine;
        let map = |kind: MapKind, channels: u32| {
            let path = request.cache.map(key, kind);
            TileWriter::<u16>::create(&path, region.width, region.height, channels)
        };
        Ok(Self {
            coverage: (plan.edges == Edges::Keep).then(|| map(MapKind::Coverage, 1)).transpose()?,
            rejected: (plan.method == Method::Clipped)
                .then(|| map(MapKind::Rejected, 2))
                .transpose()?,
            by_frame: Mutex::new(vec![0; frames]),
            frames: frames as u16,
        })
    }

    /// Notes what one side tells of a block, in the pixels that count as its own; where it is
    /// `alone`, that is all of them. The map can only name frames of the sky.
    fn keep(
        &self,
        block: Region,
        alone: bool,
        counts: &dyn Fn(usize) -> bool,
        made: &Reduced,
        named: bool,
    ) -> Result<(), PictureError> {
        if let Some(coverage) = &self.coverage {
            let count = |i: usize| made.coverage.get(i).copied().unwrap_or(self.frames);
            match alone {
                true => coverage
                    .write_region(block, &(0..block.area()).map(count).collect::<Vec<_>>())?,
                false => update(coverage, block, counts, |i| [count(i)])?,
            }
        }
        let Some(rejected) = self.rejected.as_ref().filter(|_| named) else { return Ok(()) };
        let of = |i: usize| made.rejected.get(i).copied().unwrap_or_default();
        if alone {
            let all: Vec<u16> = (0..block.area()).flat_map(of).collect();
            rejected.write_region(block, &all)?;
            let mut all = self.by_frame.lock().expect("no thread fails with the lock");
            all.iter_mut().zip(&made.by_frame).for_each(|(sum, n)| *sum += n);
            return Ok(());
        }
        update(rejected, block, counts, of)?;
        let mut all = self.by_frame.lock().expect("no thread fails with the lock");
        for [_, worst] in (0..block.area()).filter(|&i| counts(i)).map(of) {
            // Where several were rejected, one is named.
            if worst > 0 && usize::from(worst) <= all.len() {
                all[usize::from(worst) - 1] += 1;
            }
        }
        Ok(())
    }

    /// Finishes them; each frame's share of rejected samples.
    fn finish(self, region: Region) -> Result<Option<Vec<f32>>, PictureError> {
        let rejects = self.rejected.is_some();
        for map in [self.coverage, self.rejected].into_iter().flatten() {
            map.finish(false)?;
        }
        let area = region.area() as f32;
        let by_frame = self.by_frame.into_inner().expect("no thread fails with the lock");
        Ok(rejects.then(|| by_frame.into_iter().map(|n| n as f32 / area).collect()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_passes_is_left_out_of_medians_of_a_few_frames_as_of_all() {
        let frames: Vec<usize> = (0..40).collect();
        let few = spread(Method::Median, frames.clone());
        assert_eq!((few.len(), few[0], few[PASSING_FRAMES - 1]), (PASSING_FRAMES, 0, 39));
        assert!(few.windows(2).all(|pair| pair[1] - pair[0] >= 7), "{few:?}");
        assert_eq!(spread(Method::Clipped, vec![3, 4, 9]), [3, 4, 9]);
        // In a mean every frame leaves its part.
        assert_eq!(spread(Method::Mean, frames.clone()), frames);
    }
}
