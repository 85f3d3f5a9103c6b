//! A skyline that follows a person's strokes as they are made and undone. Only pixels near what a
//! stroke changed are judged again, so that the change is visible at once. A run judges all pixels
//! and may give single pixels elsewhere a slightly different share.

use super::find::Skyline;
use super::refine::Pixels;
use super::strokes::Labels;
use super::view::View;
use jade_combine::mask::Mask;
use jade_pixels::tiled::Region;
use jade_plan::{CoreError, Stroke};
use std::collections::VecDeque;

/// Cells around a change whose pixels are judged again.
const AROUND: usize = 3;

/// Least change of a cell's share of sky that counts as a change.
const CHANGED: f32 = 1e-3;

/// Strokes that can be undone at once, as the state before each is kept in memory; earlier ones are
/// replayed from the first.
const AT_ONCE: usize = 16;

/// The state before a stroke.
struct Before {
    labels: Labels,
    /// The region that it changed and its pixels as judged by those labels; `None` where several
    /// strokes came at once.
    pixels: Option<(Region, Vec<u8>)>,
}

/// A skyline with its pixels.
pub struct Live {
    skyline: Skyline,
    pixels: Pixels,
    /// The labels by which the pixels were judged.
    judged: Labels,
    /// Whether those are the current labels; they are not after a stop.
    is_judged: bool,
    /// The labels before any stroke.
    base: Labels,
    /// The strokes in the labels, and the state before each of the last of them.
    done: Vec<Stroke>,
    before: VecDeque<Before>,
    mask: Mask,
}

impl Live {
    /// Starts from a skyline without strokes and applies these strokes. `views` are the frames in
    /// which it was found.
    ///
    /// # Errors
    /// [`CoreError::Picture`]; [`CoreError::Cancelled`] when `stop` says so.
    pub fn new(
        skyline: Skyline,
        strokes: &[Stroke],
        views: &[View],
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<Self, CoreError> {
        let base = skyline.labels.clone();
        let strokes: Vec<&Stroke> =
            strokes.iter().filter(|stroke| stroke.paint.is_stroke()).collect();
        let (mut said, mut done, mut before) = (skyline, vec![], VecDeque::new());
        apply(&mut said, &mut done, &mut before, &strokes, stop)?;
        let pixels = Pixels::of(views, &said.evidence, &said.labels, stop)?;
        let (mask, judged) = (pixels.mask(), said.labels.clone());
        Ok(Self { skyline: said, pixels, judged, is_judged: true, base, done, before, mask })
    }

    /// The current skyline.
    pub fn skyline(&self) -> &Skyline {
        &self.skyline
    }

    /// The current mask.
    pub fn mask(&self) -> &Mask {
        &self.mask
    }

    /// Applies the sky and ground strokes among `strokes`, and no others. Only the difference to
    /// the strokes before is done; pixels are judged once, however many strokes are new.
    ///
    /// # Errors
    /// As for [`Live::new`]. A later call continues from what was done.
    pub fn follow(
        &mut self,
        strokes: &[Stroke],
        views: &[View],
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<(), CoreError> {
        let wanted: Vec<&Stroke> =
            strokes.iter().filter(|stroke| stroke.paint.is_stroke()).collect();
        let same =
            self.done.iter().zip(&wanted).take_while(|(done, stroke)| *done == **stroke).count();
        if same == self.done.len() && same == wanted.len() && self.is_judged {
            return Ok(());
        }
        self.take_back(self.done.len() - same);
        let fresh = &wanted[self.done.len()..];
        let alone = fresh.len() == 1 && self.is_judged;
        self.is_judged &= fresh.is_empty();
        apply(&mut self.skyline, &mut self.done, &mut self.before, fresh, stop)?;
        self.judge(alone, views, stop)?;
        self.mask = self.pixels.mask();
        Ok(())
    }

    /// Undoes the last `count` strokes, or all of them where the labels before them are no longer
    /// kept.
    fn take_back(&mut self, count: usize) {
        if count > self.before.len() {
            self.before.clear();
            self.done.clear();
            self.skyline.labels = self.base.clone();
            self.is_judged = false;
            return;
        }
        for _ in 0..count {
            let Some(before) = self.before.pop_back() else { break };
            self.done.pop();
            self.skyline.labels = before.labels;
            match before.pixels {
                Some((region, pixels)) if self.is_judged => {
                    self.pixels.put_back(region, &pixels);
                    self.judged = self.skyline.labels.clone();
                }
                _ => self.is_judged = false,
            }
        }
    }

    /// Judges the pixels by the current labels, where these differ from the labels they were judged
    /// by. The pixels before a single new stroke are kept.
    fn judge(
        &mut self,
        alone: bool,
        views: &[View],
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<(), CoreError> {
        let (grid, now, was) = (self.skyline.grid(), &self.skyline.labels, &self.judged);
        let differs =
            |i: usize| (was.sky[i] - now.sky[i]).abs() > CHANGED || was.said[i] != now.said[i];
        let changed: Vec<usize> = (0..grid.cells()).filter(|i| differs(*i)).collect();
        if let Some(cells) = grid.holding(&changed) {
            let region = self.pixels.squares(self.pixels_of(cells));
            let held = alone.then(|| (region, self.pixels.copied(region)));
            let mut marked = vec![0.0; grid.cells()];
            changed.iter().for_each(|i| marked[*i] = 1.0);
            let near = grid.blurred(&marked, AROUND);
            let here: &(dyn Fn(usize) -> bool + Sync) = &|cell| near[cell] > 0.0;
            let Skyline { evidence, labels, .. } = &self.skyline;
            self.pixels.judge(views, evidence, labels, (region, here), stop)?;
            if let (Some(before), true) = (self.before.back_mut(), alone) {
                before.pixels = held;
            }
        }
        self.judged = self.skyline.labels.clone();
        self.is_judged = true;
        Ok(())
    }

    /// The pixels of columns and rows of cells, with a margin.
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

/// Applies strokes to the labels one after the other, and keeps the state before the last of them.
fn apply(
    skyline: &mut Skyline,
    done: &mut Vec<Stroke>,
    before: &mut VecDeque<Before>,
    strokes: &[&Stroke],
    stop: &(dyn Fn() -> bool + Sync),
) -> Result<(), CoreError> {
    for (i, stroke) in strokes.iter().enumerate() {
        if stop() {
            return Err(CoreError::Cancelled);
        }
        match strokes.len() - i <= AT_ONCE {
            true => before.push_back(Before { labels: skyline.labels.clone(), pixels: None }),
            false => before.clear(),
        }
        if before.len() > AT_ONCE {
            before.pop_front();
        }
        skyline.stroke(stroke);
        done.push((*stroke).clone());
    }
    Ok(())
}
