//! The order of focus, from what is sharp in each frame.

use jade_align::sharpness::Sharpness;
use jade_optics::statistics::median;
use jade_plan::frame_index::{FrameIndex, InOrder, PerFrame, Readable};
use jade_plan::report::FocusStep;
use serde::{Deserialize, Serialize};
use std::cmp::Ordering;

/// In an informative cell, the sharpest frame has this many times the energy of the least sharp
/// one.
const TELLS: f32 = 2.0;
/// A cell with detail has this many times the energy of the plainest tenth of the cells.
const DETAILED: f32 = 3.0;
/// It also has this share of the energy of the most detailed cells: a tenth of their contrast.
const FAINT: f32 = 0.01;
/// Share of the cells with detail that must be informative.
const TELLING: f32 = 0.4;
/// Least number of informative cells.
const FEWEST: usize = 12;
/// Share of the cells that must be sharp only in adjacent frames, as the focus passes once.
const ONE_PEAK: f32 = 0.8;
/// A step that is this many times the usual one is nearer to two steps than to one.
const WIDE: f32 = std::f32::consts::SQRT_2;
/// Beyond the last plane everything is sharpest in the last frame, so that more changes on the step
/// to it.
const END: f32 = 1.2;
/// Steps before and after one from which the usual step is taken.
const BESIDE: usize = 3;
/// A frame whose light correlates less than this with that of most others shows something else; 1
/// is full correlation.
const STRANGE: f32 = 0.7;
/// Two frames less than this share of a step apart show the same plane.
const SAME: f32 = 0.3;

/// Frames of a sweep in the order of focus, from the end at which more of them were given first.
/// `S` is the space of their indices.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(bound(serialize = "", deserialize = ""))]
pub struct Order<S> {
    /// The frames, from one end of the sweep to the other.
    pub frames: PerFrame<InOrder, FrameIndex<S>>,
    /// Steps from each frame to the next, one fewer than frames.
    pub steps: Vec<Step>,
}

impl<S: Copy> Order<S> {
    /// Sets the steps to and from a frame in which nothing is in focus (in front of everything or
    /// behind it) to the usual length, as their true length is unknown.
    pub fn set_usual_around(&mut self, place: FrameIndex<InOrder>) {
        let place = place.number();
        let beside = place.saturating_sub(1)..(place + 1).min(self.steps.len());
        self.steps[beside].iter_mut().for_each(|step| step.length = 1.0);
    }

    /// Sentences about what a person should check; `names` are those of all frames.
    pub fn doubts(&self, names: &PerFrame<S, &str>) -> Vec<String> {
        let pairs = self.frames.as_slice().windows(2).zip(&self.steps);
        let doubt = |(pair, step): (&[FrameIndex<S>], &Step)| {
            let (one, other) = (names[pair[0]], names[pair[1]]);
            match step {
                _ if step.is_wide() => Some(format!(
                    "Between {one} and {other} the focus moves {:.1} times as far as usual; what lies there may be sharp in no frame.",
                    step.length
                )),
                _ if step.is_double() => Some(format!(
                    "{one} and {other} show the same plane; one of them can be left out."
                )),
                _ => None,
            }
        };
        pairs.filter_map(doubt).collect()
    }

    /// The same order with indices in another space.
    pub fn by<T: Copy>(self, numbers: &PerFrame<S, FrameIndex<T>>) -> Order<T> {
        let frames = self.frames.into_iter().map(|i| numbers[i]).collect();
        Order { frames, steps: self.steps }
    }

    /// Reverses the order.
    pub fn reverse(&mut self) {
        self.frames.as_mut_slice().reverse();
        self.steps.reverse();
    }
}

/// The step from one frame of a sweep to the next.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Step {
    /// How far the focus moved; 1 is the usual step.
    pub length: f32,
}

impl Step {
    /// Whether a plane is missing between the two frames.
    pub fn is_wide(self) -> bool {
        self.length > WIDE
    }

    /// Whether both frames show the same plane.
    pub fn is_double(self) -> bool {
        self.length < SAME
    }
}

impl From<Step> for FocusStep {
    fn from(step: Step) -> Self {
        Self { length: step.length, wide: step.is_wide(), double: step.is_double() }
    }
}

/// Puts frames in the order in which the focus moves through the scene, however they were given:
/// the shortest path through what is sharp in them. `None` where there is no clear order: fewer
/// than three frames, frames of different sizes, or too few cells that are sharp only in adjacent
/// frames.
pub fn order(frames: &[Sharpness]) -> Option<Order<Readable>> {
    let first = frames.first()?;
    if frames.len() < 3 || frames.iter().any(|frame| frame.grid != first.grid) {
        return None;
    }
    let coarse: Vec<Sharpness> = frames.iter().map(Sharpness::compared).collect();
    let shares = shares(&coarse);
    if shares[0].len() < FEWEST {
        return None;
    }
    let apart = |a: usize, b: usize| -> f32 {
        let squares = shares[a].iter().zip(&shares[b]).map(|(a, b)| (a - b).powi(2));
        (squares.sum::<f32>() / shares[a].len() as f32).sqrt()
    };
    let count = frames.len();
    let alike: Vec<Vec<f32>> =
        (0..count).map(|a| (0..count).map(|b| alike(&shares[a], &shares[b])).collect()).collect();
    let mut order = chained(&alike);
    shorten(&mut order, &alike);
    let on = order.windows(2).filter(|pair| pair[0] < pair[1]).count();
    if 2 * on < count - 1 {
        order.reverse();
    }
    let peaks = (0..shares[0].len()).filter(|cell| {
        let sharp: Vec<bool> = order.iter().map(|&i| shares[i][*cell] > 0.5).collect();
        let rises = sharp.windows(2).filter(|pair| !pair[0] && pair[1]).count();
        rises + usize::from(sharp[0]) == 1
    });
    if (peaks.count() as f32) < ONE_PEAK * shares[0].len() as f32 {
        return None;
    }
    let mut lengths: Vec<f32> = order.windows(2).map(|pair| apart(pair[0], pair[1])).collect();
    lengths[0] /= END;
    lengths[count - 2] /= END;
    // Relative to neighbouring steps, as sharpness changes more in some parts of the sweep.
    let usual = |step: usize| {
        let near = step.saturating_sub(BESIDE)..(step + BESIDE + 1).min(lengths.len());
        let mut near: Vec<f32> = near.filter(|i| *i != step).map(|i| lengths[i]).collect();
        median(&mut near).max(1e-6)
    };
    let steps = (0..lengths.len()).map(|i| Step { length: lengths[i] / usual(i) }).collect();
    Some(Order { frames: order.into_iter().map(FrameIndex::new).collect(), steps })
}

/// Frames whose light is distributed quite differently from that of most, the least alike first: at
/// most a quarter of all. Blur and small changes of magnification hardly change the light of large
/// cells.
pub fn strangers(frames: &[Sharpness]) -> Vec<usize> {
    if frames.windows(2).any(|pair| pair[0].grid != pair[1].grid) {
        return vec![];
    }
    // Independent of brightness: the mean is subtracted, and the rest normalised.
    let even = |mut light: Vec<f32>| -> Vec<f32> {
        let mean = light.iter().sum::<f32>() / light.len() as f32;
        light.iter_mut().for_each(|v| *v -= mean);
        let length = light.iter().map(|v| v * v).sum::<f32>().sqrt().max(1e-9);
        light.into_iter().map(|v| v / length).collect()
    };
    let lights: Vec<Vec<f32>> = frames.iter().map(|frame| even(frame.coarse().light)).collect();
    let cells = lights.first().map_or(0, Vec::len);
    let usual =
        |cell: usize| median(&mut lights.iter().map(|light| light[cell]).collect::<Vec<_>>());
    let usual = even((0..cells).map(usual).collect());
    let alike = |light: &Vec<f32>| light.iter().zip(&usual).map(|(a, b)| a * b).sum::<f32>();
    let mut all: Vec<(usize, f32)> = lights.iter().map(alike).enumerate().collect();
    all.retain(|(_, alike)| *alike < STRANGE);
    all.sort_by(|(_, a), (_, b)| a.total_cmp(b));
    all.truncate(frames.len() / 4);
    all.into_iter().map(|(frame, _)| frame).collect()
}

/// For each frame, its sharpness in the informative cells: from 0, as in the least sharp frame, to
/// 1, as in the sharpest.
fn shares(frames: &[Sharpness]) -> Vec<Vec<f32>> {
    let ends = |cell: usize| {
        let all = frames.iter().map(|frame| frame.cells[cell]);
        all.fold((f32::MAX, 0.0f32), |(low, high), v| (low.min(v), high.max(v)))
    };
    let mut cells: Vec<(usize, (f32, f32))> =
        (0..frames[0].cells.len()).map(|cell| (cell, ends(cell))).collect();
    let mut low: Vec<f32> = cells.iter().map(|(_, (low, _))| *low).collect();
    let tenth = low.len() / 10;
    // About the energy of noise; next to nothing where noise was smoothed away or compressed.
    let plain = *low.select_nth_unstable_by(tenth, f32::total_cmp).1;
    let mut most: Vec<f32> = cells.iter().map(|(_, (_, high))| *high).collect();
    let hundredth = most.len() - 1 - most.len() / 100;
    let most = *most.select_nth_unstable_by(hundredth, f32::total_cmp).1;
    cells.retain(|(_, (_, high))| *high > (DETAILED * plain).max(FAINT * most));
    let detailed = cells.len();
    cells.retain(|(_, (low, high))| *high > TELLS * low);
    // Where everything is sharp at once, little differs except what moves.
    if (cells.len() as f32) < TELLING * detailed as f32 {
        cells.clear();
    }
    let one = |frame: &Sharpness| -> Vec<f32> {
        let share = |(cell, (low, high)): &(usize, (f32, f32))| {
            ((frame.cells[*cell] - low) / (high - low)).sqrt()
        };
        cells.iter().map(share).collect()
    };
    frames.iter().map(one).collect()
}

/// How much of what is sharp in either of two frames is sharp in both, 0 to 1. Frames far apart
/// would otherwise be alike in what is blurred in both.
fn alike(one: &[f32], other: &[f32]) -> f32 {
    let (mut both, mut either) = (0.0, 1e-6);
    for (a, b) in one.iter().zip(other) {
        let (a, b) = (a * a, b * b);
        both += a.min(b);
        either += a.max(b);
    }
    both / either
}

/// A path through all frames: the most similar frames are linked first, each to at most two others
/// (the greedy edges of Bentley 1992). Links between neighbours are the strongest whatever the
/// number of frames. This does not hold for eigenvectors of the similarity graph, where what all
/// frames have in common outweighs a long chain.
fn chained(alike: &[Vec<f32>]) -> Vec<usize> {
    let count = alike.len();
    let mut pairs: Vec<(usize, usize)> =
        (0..count).flat_map(|a| (a + 1..count).map(move |b| (a, b))).collect();
    pairs.sort_by(|&(a, b), &(c, d)| alike[c][d].total_cmp(&alike[a][b]));
    let mut paths: Vec<Vec<usize>> = (0..count).map(|frame| vec![frame]).collect();
    for (a, b) in pairs {
        let ends_at = |frame: usize| {
            paths
                .iter()
                .position(|path| path.first() == Some(&frame) || path.last() == Some(&frame))
        };
        let (Some(one), Some(other)) = (ends_at(a), ends_at(b)) else { continue };
        if one == other {
            continue;
        }
        let mut next = std::mem::take(&mut paths[other]);
        let path = &mut paths[one];
        if path.last() != Some(&a) {
            path.reverse();
        }
        if next.first() != Some(&b) {
            next.reverse();
        }
        path.append(&mut next);
    }
    paths.into_iter().find(|path| !path.is_empty()).unwrap_or_default()
}

/// Reverses parts of the path, moves single frames, and moves the end before the beginning, as long
/// as adjacent frames become more alike (Croes 1958).
fn shorten(order: &mut Vec<usize>, alike: &[Vec<f32>]) {
    let count = order.len();
    let length = |order: &[usize]| -> f32 {
        order.windows(2).map(|pair| 1.0 - alike[pair[0]][pair[1]]).sum()
    };
    let mut best = length(order);
    let mut better = true;
    while better {
        better = false;
        for from in 0..count {
            for to in 0..count {
                let mut tried = order.clone();
                match from.cmp(&to) {
                    Ordering::Less => tried[from..=to].reverse(),
                    Ordering::Equal => tried.rotate_left(from),
                    Ordering::Greater => {
                        let one = tried.remove(from);
                        tried.insert(to, one);
                    }
                }
                let tried_length = length(&tried);
                if tried_length < best - 1e-6 {
                    (*order, best, better) = (tried, tried_length, true);
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_optics::grid::Grid;

    /// Frames that are each sharp in a narrow band only, and noisy everywhere.
    fn bands(count: usize, seed: u64) -> Vec<Sharpness> {
        let grid = Grid { step: 60, across: 48, down: 32 };
        let noise = |frame: usize, cell: usize| {
            let mixed = (frame * 1_536 + cell) as u64 ^ (seed << 32);
            let mixed = mixed.wrapping_mul(0x9e37_79b9_7f4a_7c15);
            let mixed = (mixed ^ (mixed >> 29)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
            (mixed >> 40) as f32 / (1u64 << 24) as f32
        };
        let frame = |frame: usize| {
            let cells = (0..grid.cells()).map(|cell| {
                let row = (cell / 48) as f32 + noise(0, cell);
                let off = frame as f32 - row / 32.0 * (count - 1) as f32;
                1.0 + 0.1 * noise(frame, cell) + 2.0 * (-(off * off)).exp()
            });
            let light = vec![0.3; grid.cells()];
            Sharpness { grid, cells: cells.collect(), light }
        };
        (0..count).map(frame).collect()
    }

    #[test]
    fn steps_to_frames_without_anything_in_focus_are_not_doubted() {
        let steps = [1.0, 1.0, 1.9, 0.1].map(|length| Step { length }).to_vec();
        let frames = (0..5).map(FrameIndex::new).collect();
        let mut order: Order<Readable> = Order { frames, steps };
        let names = ["a", "b", "c", "d", "e"].into_iter().collect();
        assert_eq!(order.doubts(&names).len(), 2);
        order.set_usual_around(FrameIndex::new(3));
        assert!(order.doubts(&names).is_empty());
        // At the ends there is one step.
        order.steps.fill(Step { length: 2.0 });
        order.set_usual_around(FrameIndex::new(0));
        order.set_usual_around(FrameIndex::new(4));
        assert_eq!(
            order.steps.iter().map(|step| step.length).collect::<Vec<_>>(),
            [1.0, 2.0, 2.0, 1.0]
        );
    }

    #[test]
    fn long_sweeps_of_thin_planes_are_put_in_order() {
        for (count, seed) in [(12, 1), (30, 2), (45, 3), (60, 4), (60, 5)] {
            let all = bands(count, seed);
            // The frames are given in another order.
            let mut shown: Vec<usize> = (0..count).collect();
            shown.sort_by_key(|i| (*i as u64 + 1).wrapping_mul(0x9e37_79b9_7f4a_7c15 ^ seed));
            let frames: Vec<Sharpness> = shown.iter().map(|i| all[*i].clone()).collect();
            let found = order(&frames).expect("an order is found");
            let mut found: Vec<usize> = found.frames.iter().map(|i| shown[i.number()]).collect();
            if found[0] > found[count - 1] {
                found.reverse();
            }
            assert_eq!(found, (0..count).collect::<Vec<_>>(), "{count} frames");
        }
    }
}
