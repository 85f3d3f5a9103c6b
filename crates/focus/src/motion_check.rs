//! Warnings about placed frames: something in the scene moved, or the camera did.

use jade_align::sharpness::{Sharpness, on_reference};
use jade_optics::grid::Grid;
use jade_optics::motion::Motion;
use jade_optics::space::InFrame;
use jade_optics::statistics::median;
use jade_plan::frame_index::{FrameIndex, Used};
use rayon::prelude::*;

/// Cells along the longer side of the picture in which light is compared.
const ACROSS: usize = 192;
/// Cells to either side over which light is averaged: more than blur grows from frame to frame.
const EVEN: usize = 2;
/// Least share by which light is outside the range of its neighbouring frames to count as off.
const OFF: f32 = 0.06;
/// Least difference in linear light for that.
const LEAST: f32 = 0.004;
/// A lasting step of light is this many times the steps before and after it together, plus [`OFF`].
const STEP: f32 = 1.5;
/// Least number of connected cells that are off.
const FEWEST: usize = 24;
/// A jolt of the camera is this many times the usual step, and this share of the picture's longer
/// side.
const BUMP: (f64, f64) = (5.0, 0.004);

/// A place where one frame shows something else than its neighbours, or where all frames from one
/// on do.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Moved {
    /// The frame, or the first of those that show the change, among the used frames in the order of
    /// focus.
    pub frame: FrameIndex<Used>,
    /// Whether the frames after it show the same.
    pub stays: bool,
    /// The middle of the place in the reference frame, in pixels.
    pub at: [f64; 2],
    /// Radius of the place, in pixels.
    pub radius: f64,
}

impl Moved {
    /// The frame before it in the order of focus; itself where it is the first.
    pub fn before(&self) -> FrameIndex<Used> {
        FrameIndex::new(self.frame.number().saturating_sub(1))
    }
}

/// Places where something moved: where the light of a single frame is outside the range of its two
/// neighbours, or the light of all frames from one on differs from that of all before. Places must
/// be larger than what changes with focus. At most one place of each frame and each kind, the
/// largest.
pub fn moved(frames: &[Sharpness], motions: &[Motion]) -> Vec<Moved> {
    if frames.len() < 3 {
        return vec![];
    }
    let lay = |(frame, motion): (&Sharpness, &Motion)| {
        let pooled = frame.pooled(ACROSS);
        let light = on_reference(pooled.grid, &pooled.light, motion);
        let there: Vec<f32> = light.iter().map(|v| f32::from(u8::from(*v > 0.0))).collect();
        let (mut even, there) =
            (pooled.grid.blurred(&light, EVEN), pooled.grid.blurred(&there, EVEN));
        // Near the frame's edge there is nothing to compare.
        even.iter_mut().zip(there).filter(|(_, there)| *there < 0.999).for_each(|(v, _)| *v = 0.0);
        (pooled.grid, even)
    };
    let all: Vec<(Grid, Vec<f32>)> = frames.par_iter().zip(motions).map(lay).collect();
    let grid = all[0].0;
    let light: Vec<Vec<f32>> = all.into_iter().map(|(_, light)| light).collect();
    let single = (0..light.len()).into_par_iter().filter_map(|frame| {
        let off: Vec<bool> = (0..grid.cells()).map(|cell| is_off(&light, frame, cell)).collect();
        place(grid, &off).map(|(at, radius)| Moved {
            frame: FrameIndex::new(frame),
            stays: false,
            at,
            radius,
        })
    });
    let mut all: Vec<Moved> = single.collect();
    // At the ends a change is seen in the first or the last frame only.
    let came = (2..light.len() - 1).into_par_iter().filter_map(|frame| {
        let stays = |cell| stays(&light, frame, cell);
        let stays: Vec<bool> = (0..grid.cells()).map(stays).collect();
        place(grid, &stays).map(|(at, radius)| Moved {
            frame: FrameIndex::new(frame),
            stays: true,
            at,
            radius,
        })
    });
    all.par_extend(came);
    all
}

/// Whether a frame's light in a cell is outside the range of its two neighbours.
fn is_off(light: &[Vec<f32>], frame: usize, cell: usize) -> bool {
    let last = light.len() - 1;
    // At an end, the two frames next to it.
    let beside = match frame {
        0 => [1, 2],
        inner if inner == last => [last - 1, last - 2],
        inner => [inner - 1, inner + 1],
    };
    let here = light[frame][cell];
    let [a, b] = beside.map(|other| light[other][cell]);
    let (low, high, slack) = (a.min(b), a.max(b), 0.5 * (a - b).abs());
    let far = (here - high - slack).max(low - slack - here);
    low > 0.0 && here > 0.0 && far > (OFF * high).max(LEAST)
}

/// Whether the light in a cell changes at this frame, and neither before nor after it.
fn stays(light: &[Vec<f32>], frame: usize, cell: usize) -> bool {
    let [a, b, c, d] = [0, 1, 2, 3].map(|i| light[frame + i - 2][cell]);
    let usual = (b - a).abs() + (d - c).abs();
    let all = [a, b, c, d].iter().all(|v| *v > 0.0);
    all && (c - b).abs() > (OFF * b.max(c)).max(LEAST) + STEP * usual
}

/// Middle and radius in pixels of the largest marked place; `None` where it is too small.
fn place(grid: Grid, marked: &[bool]) -> Option<([f64; 2], f64)> {
    let place = largest(grid, marked).filter(|cells| cells.len() >= FEWEST)?;
    let count = place.len() as f64;
    let middles = place.iter().map(|cell| grid.middle(*cell));
    let sum = middles.fold([0.0; 2], |sum, at| [sum[0] + at[0], sum[1] + at[1]]);
    let radius = (count / std::f64::consts::PI).sqrt() * f64::from(grid.step);
    Some((sum.map(|v| v / count), radius))
}

/// The largest set of connected marked cells.
fn largest(grid: Grid, marked: &[bool]) -> Option<Vec<usize>> {
    let mut left = marked.to_vec();
    let mut most: Option<Vec<usize>> = None;
    for cell in 0..left.len() {
        if !std::mem::take(&mut left[cell]) {
            continue;
        }
        let mut place = vec![cell];
        let mut next = 0;
        while let Some(&at) = place.get(next) {
            next += 1;
            let (x, y) = (at % grid.across, at / grid.across);
            for y in y.saturating_sub(1)..(y + 2).min(grid.down) {
                for x in x.saturating_sub(1)..(x + 2).min(grid.across) {
                    let cell = y * grid.across + x;
                    if std::mem::take(&mut left[cell]) {
                        place.push(cell);
                    }
                }
            }
        }
        if most.as_ref().is_none_or(|most| most.len() < place.len()) {
            most = Some(place);
        }
    }
    most
}

/// A step over which the camera moved far more than over the others.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bump {
    /// The used frames before and after it, in the order of focus.
    pub between: [FrameIndex<Used>; 2],
    /// Distance that it moved, in pixels.
    pub px: f64,
    /// Usual distance, in pixels.
    pub usual_px: f64,
}

/// Jolts of the camera, from the motions of frames of this size in the order of focus.
pub fn bumps(motions: &[Motion], (width, height): (u32, u32)) -> Vec<Bump> {
    let middle = [width, height].map(|side| (f64::from(side) - 1.0) / 2.0);
    let places: Vec<[f64; 2]> =
        motions.iter().map(|motion| motion.to_reference(InFrame(middle)).0).collect();
    let steps: Vec<f64> = places
        .windows(2)
        .map(|pair| (pair[1][0] - pair[0][0]).hypot(pair[1][1] - pair[0][1]))
        .collect();
    if steps.is_empty() {
        return vec![];
    }
    let usual_px = f64::from(median(&mut steps.iter().map(|px| *px as f32).collect::<Vec<_>>()));
    let least = BUMP.0 * usual_px + BUMP.1 * f64::from(width.max(height));
    let far = steps.into_iter().enumerate().filter(|(_, px)| *px > least);
    far.map(|(i, px)| Bump { between: [i, i + 1].map(FrameIndex::new), px, usual_px }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use nalgebra::Matrix3;

    #[test]
    fn a_step_far_beyond_the_usual_one_is_a_bump() {
        let shift =
            |x: f64| Motion::Homography(Matrix3::new(1.0, 0.0, x, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0));
        let motions: Vec<Motion> = [0.0, 1.0, 2.5, 33.0, 34.0, 35.5].map(shift).to_vec();
        let found = bumps(&motions, (1000, 700));
        assert_eq!(found.iter().map(|bump| bump.between[0].number()).collect::<Vec<_>>(), [2]);
        assert!((found[0].px - 30.5).abs() < 1e-9 && (1.0..=1.5).contains(&found[0].usual_px));
        assert_eq!(bumps(&motions[..3], (1000, 700)), []);
        assert_eq!(bumps(&motions[..1], (1000, 700)), []);
    }

    /// Frames of which some show something dark in one place; elsewhere light changes evenly.
    fn crossed(count: usize, dark: impl Fn(usize) -> bool) -> Vec<Sharpness> {
        let grid = Grid { step: 2, across: 180, down: 120 };
        let frame = |index: usize| {
            let light = |cell: usize| {
                let (x, y) = (cell % 180, cell / 180);
                let there = dark(index) && x.abs_diff(60) < 8 && y.abs_diff(40) < 6;
                if there { 0.02 } else { 0.2 + 0.002 * (index * x % 40) as f32 / 40.0 }
            };
            Sharpness {
                grid,
                cells: vec![1.0; grid.cells()],
                light: (0..grid.cells()).map(light).collect(),
            }
        };
        (0..count).map(frame).collect()
    }

    #[test]
    fn a_frame_is_told_that_leaves_the_light_of_those_beside_it() {
        let frames = crossed(6, |index| index == 3);
        let found = moved(&frames, &vec![Motion::Still; 6]);
        assert_eq!(found.len(), 1, "{found:?}");
        assert_eq!((found[0].frame.number(), found[0].stays), (3, false));
        let [x, y] = found[0].at;
        assert!((x - 120.0).abs() < 4.0 && (y - 80.0).abs() < 4.0, "{x} {y}");
        assert!((10.0..24.0).contains(&found[0].radius), "{}", found[0].radius);
        assert_eq!(moved(&frames[..2], &vec![Motion::Still; 2]), []);
    }

    #[test]
    fn what_comes_and_stays_is_told_where_it_came() {
        for from in 1..6 {
            let found = moved(&crossed(6, |index| index >= from), &vec![Motion::Still; 6]);
            // At the ends one frame alone differs.
            let (frame, stays) = match from {
                1 => (0, false),
                5 => (5, false),
                other => (other, true),
            };
            assert_eq!(found.len(), 1, "{found:?}");
            assert_eq!((found[0].frame.number(), found[0].stays), (frame, stays));
            assert!((found[0].at[0] - 120.0).abs() < 4.0);
        }
        // It comes and goes over three frames.
        let found = moved(&crossed(9, |index| (3..6).contains(&index)), &vec![Motion::Still; 9]);
        assert_eq!(found.iter().map(|moved| moved.frame.number()).collect::<Vec<_>>(), [3, 6]);
        assert!(found.iter().all(|moved| moved.stays));
    }
}
