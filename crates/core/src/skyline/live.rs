//! A skyline that follows a person's strokes as they are made and taken back.

use super::refine::Pixels;
use super::strokes::Labels;
use super::{Mask, Skyline, Stroke, View};
use crate::CoreError;
use jade_pixels::tiled::Region;

/// Cells around what a stroke changed whose pixels are judged again.
const AROUND: usize = 3;

/// A skyline with the pixels it was told for.
pub struct Live {
    skyline: Skyline,
    pixels: Pixels,
    /// The strokes that were taken into account, with the labels before each and what it changed.
    done: Vec<(Stroke, Labels, Option<Region>)>,
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
        Ok(Self { skyline, pixels, done: vec![], mask })
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
        let same = self.done.iter().zip(&wanted).take_while(|(done, own)| done.0 == ***own).count();
        if same == self.done.len() && same == wanted.len() {
            return Ok(());
        }
        let mut changed: Option<Region> = None;
        let mut add = |own: Option<Region>| {
            changed = match (changed, own) {
                (Some(a), Some(b)) => Some(both(a, b)),
                (a, b) => a.or(b),
            };
        };
        while self.done.len() > same {
            let Some((_, before, own)) = self.done.pop() else { break };
            self.skyline.labels = before;
            add(own);
        }
        for stroke in &wanted[same..] {
            let before = self.skyline.labels.clone();
            let cells = self.skyline.stroke(stroke);
            let own = cells.map(|cells| self.pixels_of(cells));
            add(own);
            self.done.push(((*stroke).clone(), before, own));
        }
        if let Some(part) = changed {
            let Skyline { evidence, labels, .. } = &self.skyline;
            self.pixels.judge(views, evidence, labels, part, stop)?;
            self.mask = self.pixels.mask();
        }
        Ok(())
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

/// The smallest region that holds both.
fn both(a: Region, b: Region) -> Region {
    let (x, y) = (a.x.min(b.x), a.y.min(b.y));
    let right = (a.x + a.width).max(b.x + b.width);
    let low = (a.y + a.height).max(b.y + b.height);
    Region { x, y, width: right - x, height: low - y }
}
