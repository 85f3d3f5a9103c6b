//! Reduces the samples of all frames at each position to one.

use super::clip::{Clip, ClipScratch};
use super::gaps::Gap;
use super::network::Network;
use super::normalise::Normalisation;
use super::ordered::{self, HeldSamples};
use super::reduced::Reduced;
use super::streamed::{Gathered, Planes};
use super::visibility::{ClearSky, SkyVisibility};
use jade_optics::light::Light;
use jade_optics::motion::{Backward, Motion};
use jade_optics::resample;
use jade_optics::space::InReference;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use jade_plan::{CombinePlan, Edges, Method};

/// Most bytes of samples that one thread holds for methods that sort them, unless eight rows take
/// more. The same on every machine: resampling and clipping depend on the rows held at once in
/// their last digits, and the same plan must give the same bytes anywhere.
pub const HELD_BYTES: usize = 32 << 20;

/// A frame with its motion, level and weight.
pub struct Placed<'a> {
    /// The frame's light.
    pub light: &'a dyn Light,
    /// The motion.
    pub motion: &'a Motion,
    /// The mapping of each colour to the reference frame's brightness.
    pub levels: [Normalisation; 3],
    /// The weight in a mean, relative to the other frames.
    pub weight: f32,
}

/// Reduces frames to one picture, region by region.
pub struct Reducer<'a> {
    frames: Vec<Prepared<'a>>,
    method: Method,
    fill: bool,
    clip: Clip,
    median: Network,
    gaps: Vec<Gap<'a>>,
    clear: Option<&'a SkyVisibility>,
}

struct Prepared<'a> {
    light: &'a dyn Light,
    backward: Backward,
    levels: [Normalisation; 3],
    weight: f32,
}

/// Memory of one thread that is used again for every region.
#[derive(Default)]
pub struct Scratch {
    resampling: resample::Scratch,
    held: HeldSamples,
    marks: ClipScratch,
    streamed: Planes,
}

impl<'a> Reducer<'a> {
    /// Prepares for these frames, of which there must be at least one.
    pub fn new(frames: Vec<Placed<'a>>, plan: &CombinePlan) -> Self {
        let clip = Clip::new(frames.len(), plan.clip);
        let median = Network::new(frames.len(), &Network::median_rows(frames.len()));
        let frames = frames
            .into_iter()
            .map(|f| Prepared {
                light: f.light,
                backward: f.motion.backward(),
                levels: f.levels,
                weight: f.weight,
            })
            .collect();
        Self {
            frames,
            method: plan.method,
            fill: plan.edges == Edges::Fill,
            clip,
            median,
            gaps: vec![],
            clear: None,
        }
    }

    /// Takes only the clear sky of every frame, for frames of a camera that stood still. Positions
    /// at which no frame shows it are not covered.
    pub fn of_clear_sky(self, clear: &'a SkyVisibility) -> Self {
        Self { clear: Some(clear), ..self }
    }

    /// Fills gaps of star trails; for the lightest of frames that are not aligned.
    pub fn with_gaps(self, gaps: Vec<Gap<'a>>) -> Self {
        Self { gaps, ..self }
    }

    /// Whether any frame may show clear sky in a region of the reference frame.
    pub fn sees(&self, region: InReference<Region>) -> bool {
        self.clear.is_none_or(|clear| {
            let clear_sky = |frame: &Prepared| clear.through(&frame.backward, region);
            self.frames.iter().any(|frame| !matches!(clear_sky(frame), ClearSky::Nothing))
        })
    }

    /// The combined light of a region of the reference frame.
    ///
    /// # Errors
    /// [`PictureError::Io`]; [`PictureError::Cancelled`] when `stop` says so.
    pub fn reduce(
        &self,
        InReference(region): InReference<Region>,
        scratch: &mut Scratch,
        stop: &dyn Fn() -> bool,
    ) -> Result<Reduced, PictureError> {
        if matches!(self.method, Method::Mean | Method::Lightest | Method::Darkest | Method::StdDev)
        {
            let mut all = Gathered::new(self.method, region.area());
            self.gather(InReference(region), &mut all, scratch, stop)?;
            for gap in &self.gaps {
                if stop() {
                    return Err(PictureError::Cancelled);
                }
                gap.fill(InReference(region), all.planes(), &mut scratch.resampling)?;
            }
            return Ok(all.finish());
        }
        // As many rows at a time as may be held, with a margin for the clipped mean.
        let size = self.frames[0].light.size();
        let margin = if self.method == Method::Clipped { Clip::MARGIN } else { 0 };
        let row = self.frames.len() * (region.width + 2 * margin) as usize * 12;
        let rows = (HELD_BYTES / row).saturating_sub(2 * margin as usize).max(8) as u32;
        let mut all = Reduced {
            light: Vec::with_capacity(region.area() * 3),
            by_frame: vec![0; self.frames.len()],
            ..Reduced::default()
        };
        for y in (region.y..region.y + region.height).step_by(rows as usize) {
            let part = Region { y, height: rows.min(region.y + region.height - y), ..region };
            let outer = part.widened(margin, size);
            let Scratch { resampling, held, marks, .. } = scratch;
            held.begin(self.frames.len(), outer);
            for index in 0..self.frames.len() {
                let planes = held.planes(index);
                let covered = self.read(index, InReference(outer), planes, resampling, stop)?;
                held.covered.push(covered);
            }
            match self.method {
                Method::Clipped => {
                    let weights: Vec<f32> = self.frames.iter().map(|f| f.weight).collect();
                    self.clip.reduce(held, part, &weights, marks, &mut all);
                }
                _ => ordered::median(held, &self.median, &mut all.light),
            }
            held.coverage(part, &mut all.coverage);
        }
        if all.coverage.iter().all(|&n| n as usize == self.frames.len()) {
            all.coverage.clear();
        }
        Ok(all)
    }

    /// Adds the light of all frames, one after the other, to what has gathered in a region; for
    /// methods that do not sort.
    ///
    /// # Errors
    /// As for [`Reducer::reduce`].
    pub fn gather(
        &self,
        InReference(region): InReference<Region>,
        gathered: &mut Gathered,
        scratch: &mut Scratch,
        stop: &dyn Fn() -> bool,
    ) -> Result<(), PictureError> {
        let Scratch { resampling, streamed: planes, .. } = scratch;
        planes.iter_mut().for_each(|plane| plane.resize(region.area(), 0.0));
        for (index, frame) in self.frames.iter().enumerate() {
            let out = planes.each_mut().map(Vec::as_mut_slice);
            let covered = self.read(index, InReference(region), out, resampling, stop)?;
            gathered.add(planes, covered, frame.weight);
        }
        Ok(())
    }

    /// Reads a region of one frame, normalised. Returns which positions the frame covers, `None`
    /// where it covers all.
    fn read(
        &self,
        index: usize,
        region: InReference<Region>,
        mut planes: [&mut [f32]; 3],
        resampling: &mut resample::Scratch,
        stop: &dyn Fn() -> bool,
    ) -> Result<Option<Vec<bool>>, PictureError> {
        if stop() {
            return Err(PictureError::Cancelled);
        }
        let frame = &self.frames[index];
        let clear_sky = self.clear.map(|clear| (clear, clear.through(&frame.backward, region)));
        if let Some((_, ClearSky::Nothing)) = clear_sky {
            return Ok(Some(vec![false; region.0.area()]));
        }
        let out = planes.each_mut().map(|p| &mut **p);
        let covered = resample::read(frame.light, &frame.backward, region, out, resampling)?;
        for (plane, level) in planes.into_iter().zip(&frame.levels) {
            level.apply(plane);
        }
        let mut covered = covered.filter(|_| !self.fill);
        if let Some((clear, ClearSky::Some(places))) = clear_sky {
            clear.cover(&places, covered.get_or_insert_with(|| vec![true; region.0.area()]));
        }
        Ok(covered)
    }
}
