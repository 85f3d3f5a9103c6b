//! A skyline that follows a person's strokes as they are made and taken back. Pixels are judged again
//! near what a stroke changed alone, so that it is seen at once; a run judges all of them, and may
//! find single pixels elsewhere a little otherwise.

use super::refine::Pixels;
use super::strokes::Labels;
use super::{Mask, Skyline, Stroke, View};
use crate::CoreError;
use jade_pixels::tiled::Region;
use std::collections::VecDeque;

/// Cells around what a stroke changed whose pixels are judged again.
const AROUND: usize = 3;

/// A cell's share of sky changes by more.
const CHANGED: f32 = 1e-3;

/// Strokes that can be taken back at once; those before are made again from the first one on. What
/// was before each is held in memory.
const AT_ONCE: usize = 16;

/// What was before a stroke.
struct Before {
    labels: Labels,
    /// The region that it changed, and its pixels.
    pixels: Option<(Region, Vec<u8>)>,
}

/// A skyline with the pixels it was told for.
pub struct Live {
    skyline: Skyline,
    pixels: Pixels,
    /// What was before any stroke.
    base: Labels,
    /// The strokes that were taken into account, and what was before each of the last of them.
    done: Vec<Stroke>,
    before: VecDeque<Before>,
    mask: Mask,
}

impl Live {
    /// Begins with a skyline without strokes. `views` are those it was found in.
    ///
    /// # Errors
    /// [`CoreError::Picture`]; [`CoreError::Cancelled`] when `stop` says so.
    pub fn new(
        skyline: Skyline,
        views: &[View],
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<Self, CoreError> {
        let pixels = Pixels::of(views, &skyline.evidence, &skyline.labels, stop)?;
        let mask = pixels.mask();
        let (base, before) = (skyline.labels.clone(), VecDeque::new());
        Ok(Self { skyline, pixels, base, done: vec![], before, mask })
    }

    /// The skyline as it is now.
    pub fn skyline(&self) -> &Skyline {
        &self.skyline
    }

    /// The mask as it is now.
    pub fn mask(&self) -> &Mask {
        &self.mask
    }

    /// Takes the sky and ground strokes among these into account, and no others. Only what differs
    /// from before is done, and only where it has an effect.
    ///
    /// # Errors
    /// As for [`Live::new`].
    pub fn follow(
        &mut self,
        strokes: &[Stroke],
        views: &[View],
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<(), CoreError> {
        let wanted: Vec<&Stroke> = strokes.iter().filter(|own| own.paint.is_stroke()).collect();
        let same = self.done.iter().zip(&wanted).take_while(|(done, own)| *done == **own).count();
        if same == self.done.len() && same == wanted.len() {
            return Ok(());
        }
        let taken_back = self.done.len() - same;
        self.done.truncate(same);
        if taken_back > self.before.len() {
            self.before.clear();
            self.skyline.labels = self.base.clone();
            for stroke in &self.done {
                self.skyline.stroke(stroke);
            }
            let (width, height) = self.mask.size();
            let whole = Region { x: 0, y: 0, width, height };
            self.judge((whole, &|_| true), views, stop)?;
        } else {
            for _ in 0..taken_back {
                let Some(before) = self.before.pop_back() else { break };
                self.skyline.labels = before.labels;
                if let Some((region, pixels)) = before.pixels {
                    self.pixels.put_back(region, &pixels);
                }
            }
        }
        for stroke in &wanted[same..] {
            let labels = self.skyline.labels.clone();
            let cells = self.skyline.stroke(stroke);
            let region = cells.map(|cells| self.pixels.squares(self.pixels_of(cells)));
            let pixels = region.map(|region| (region, self.pixels.copied(region)));
            if let Some(region) = region {
                let now = &self.skyline.labels;
                let differs = |i: usize| {
                    (labels.sky[i] - now.sky[i]).abs() > CHANGED || labels.told[i] != now.told[i]
                };
                let changed: Vec<f32> =
                    (0..labels.sky.len()).map(|i| f32::from(u8::from(differs(i)))).collect();
                let near = self.skyline.grid().blurred(&changed, AROUND);
                self.judge((region, &|cell| near[cell] > 0.0), views, stop)?;
            }
            self.done.push((*stroke).clone());
            self.before.push_back(Before { labels, pixels });
            if self.before.len() > AT_ONCE {
                self.before.pop_front();
            }
        }
        self.mask = self.pixels.mask();
        Ok(())
    }

    fn judge(
        &mut self,
        places: (Region, &(dyn Fn(usize) -> bool + Sync)),
        views: &[View],
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<(), CoreError> {
        let Skyline { evidence, labels, .. } = &self.skyline;
        self.pixels.judge(views, evidence, labels, places, stop)
    }

    /// The pixels of columns and rows of cells, and of some around.
    fn pixels_of(&self, [columns, rows]: [std::ops::Range<usize>; 2]) -> Region {
        let step = self.skyline.grid().step;
        let (width, height) = self.mask.size();
        let side = |cells: std::ops::Range<usize>, size: u32| {
            let from = cells.start.saturating_sub(AROUND) as u32 * step;
            let to = ((cells.end + AROUND) as u32 * step).min(size);
            (from.min(size - 1), to)
        };
        let ((x, right), (y, low)) = (side(columns, width), side(rows, height));
        Region { x, y, width: right - x, height: low - y }
    }
}
