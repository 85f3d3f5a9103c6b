//! The order of focus, from what is sharp in each frame.

use jade_align::sharpness::Sharpness;
use jade_optics::statistics::median;
use jade_plan::frame_index::{FrameIndex, InOrder, PerFrame, Readable};
use jade_plan::report::FocusStep;
use serde::{Deserialize, Serialize};
use std::cmp::Ordering;

/// The sharpest frame has so many times the energy of the least sharp one in a cell that tells.
const TELLS: f32 = 2.0;
/// A cell with detail has so many times the energy of the plainest tenth of them.
const DETAILED: f32 = 3.0;
/// And so large a share of that of the most detailed cells: a tenth of their contrast.
const FAINT: f32 = 0.01;
/// Share of those that must tell.
const TELLING: f32 = 0.4;
/// Fewer cells do not tell an order.
const FEWEST: usize = 12;
/// Share of the cells that are sharp in frames side by side alone, as the focus passes once.
const ONE_PEAK: f32 = 0.8;
/// A step that is so many times the usual one is nearer to two than to one.
const WIDE: f32 = std::f32::consts::SQRT_2;
/// What lies beyond the last plane is sharpest there too, so that more changes on the step to it.
const END: f32 = 1.2;
/// Steps before and after one that tell what is usual.
const BESIDE: usize = 3;
/// Frames whose light has less in common with that of most, in which one is all, show something else.
const STRANGE: f32 = 0.7;
/// One that is a smaller share shows a plane twice.
const SAME: f32 = 0.3;

/// Frames of a sweep in the order of focus, from the end at which more of them came first. `S` is the
/// space in which they are numbered.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(bound(serialize = "", deserialize = ""))]
pub struct Order<S> {
    /// The frames, from one end of the sweep to the other.
    pub frames: PerFrame<InOrder, FrameIndex<S>>,
    /// From each frame to the next, one less than there are frames.
    pub steps: Vec<Step>,
}

impl<S: Copy> Order<S> {
    /// Takes the steps to and from a frame in which nothing is in focus, before or behind all that is
    /// there, for usual ones: how far they are is not told.
    pub fn untold(&mut self, place: FrameIndex<InOrder>) {
        let place = place.number();
        let beside = place.saturating_sub(1)..(place + 1).min(self.steps.len());
        self.steps[beside].iter_mut().for_each(|step| step.length = 1.0);
    }

    /// What is to be doubted, a sentence each, of frames with these names.
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

    /// The same order of the same frames by their numbers in another space.
    pub fn by<T: Copy>(self, numbers: &PerFrame<S, FrameIndex<T>>) -> Order<T> {
        let frames = self.frames.into_iter().map(|i| numbers[i]).collect();
        Order { frames, steps: self.steps }
    }

    /// Takes the sweep from its other end.
    pub fn reverse(&mut self) {
        self.frames.as_mut_slice().reverse();
        self.steps.reverse();
    }
}

/// From one frame of a sweep to the next.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Step {
    /// How far the focus moved, against the usual step.
    pub length: f32,
}

impl Step {
    /// Whether a plane is missing between the two.
    pub fn is_wide(self) -> bool {
        self.length > WIDE
    }

    /// Whether both show the same plane.
    pub fn is_double(self) -> bool {
        self.length < SAME
    }
}

impl From<Step> for FocusStep {
    fn from(step: Step) -> Self {
        Self { length: step.length, wide: step.is_wide(), double: step.is_double() }
    }
}

/// Puts frames in the order in which the focus moves through the scene, whatever their own order:
/// the shortest path through what is sharp in them. `None` where that is not told: fewer than three
/// frames, of other sizes, or little that is sharp in some of them side by side only.
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
    // Against those beside it, as what is sharp differs more in some parts of the sweep.
    let usual = |step: usize| {
        let near = step.saturating_sub(BESIDE)..(step + BESIDE + 1).min(lengths.len());
        let mut near: Vec<f32> = near.filter(|i| *i != step).map(|i| lengths[i]).collect();
        median(&mut near).max(1e-6)
    };
    let steps = (0..lengths.len()).map(|i| Step { length: lengths[i] / usual(i) }).collect();
    Some(Order { frames: order.into_iter().map(FrameIndex::new).collect(), steps })
}

/// Frames whose light lies quite otherwise than that of most, the least alike first: at most a quarter of
/// all. Blur and a little growing hardly change how light lies in large cells.
pub fn strangers(frames: &[Sharpness]) -> Vec<usize> {
    if frames.windows(2).any(|pair| pair[0].grid != pair[1].grid) {
        return vec![];
    }
    // However bright they are: the mean is taken out, and the rest is of length one.
    let even = |mut light: Vec<f32>| -> Vec<f32> {
        let mean = light.iter().sum::<f32>() / light.len() as f32;
        light.iter_mut().for_each(|v| *v -= mean);
        let length = light.iter().map(|v| v * v).sum::<f32>().sqrt().max(1e-9);
        light.into_iter().map(|v| v / length).collect()
    };
    let lights: Vec<Vec<f32>> = frames.iter().map(|own| even(own.coarse().light)).collect();
    let cells = lights.first().map_or(0, Vec::len);
    let usual = |cell: usize| median(&mut lights.iter().map(|own| own[cell]).collect::<Vec<_>>());
    let usual = even((0..cells).map(usual).collect());
    let alike = |own: &Vec<f32>| own.iter().zip(&usual).map(|(a, b)| a * b).sum::<f32>();
    let mut all: Vec<(usize, f32)> = lights.iter().map(alike).enumerate().collect();
    all.retain(|(_, alike)| *alike < STRANGE);
    all.sort_by(|(_, a), (_, b)| a.total_cmp(b));
    all.truncate(frames.len() / 4);
    all.into_iter().map(|(frame, _)| frame).collect()
}

/// For each frame, how sharp it is in the cells that tell: from none, as in the least sharp frame, to
/// one, as in the sharpest.
fn shares(frames: &[Sharpness]) -> Vec<Vec<f32>> {
    let ends = |cell: usize| {
        let all = frames.iter().map(|frame| frame.cells[cell]);
        all.fold((f32::MAX, 0.0f32), |(low, high), v| (low.min(v), high.max(v)))
    };
    let mut cells: Vec<(usize, (f32, f32))> =
        (0..frames[0].cells.len()).map(|cell| (cell, ends(cell))).collect();
    let mut low: Vec<f32> = cells.iter().map(|(_, (low, _))| *low).collect();
    let tenth = low.len() / 10;
    // About what noise alone has; next to none where it was smoothed away or compressed.
    let plain = *low.select_nth_unstable_by(tenth, f32::total_cmp).1;
    let mut most: Vec<f32> = cells.iter().map(|(_, (_, high))| *high).collect();
    let hundredth = most.len() - 1 - most.len() / 100;
    let most = *most.select_nth_unstable_by(hundredth, f32::total_cmp).1;
    cells.retain(|(_, (_, high))| *high > (DETAILED * plain).max(FAINT * most));
    let detailed = cells.len();
    cells.retain(|(_, (low, high))| *high > TELLS * low);
    // Where all is sharp at once, little differs but what moves.
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

/// How much of what is sharp in either of two frames is sharp in both, from none to one: frames that
/// are far apart are alike in what is blurred in both.
fn alike(one: &[f32], other: &[f32]) -> f32 {
    let (mut both, mut either) = (0.0, 1e-6);
    for (a, b) in one.iter().zip(other) {
        let (a, b) = (a * a, b * b);
        both += a.min(b);
        either += a.max(b);
    }
    both / either
}

/// A path through all frames: those that are most alike are linked first, and no frame to more than two
/// others (the greedy edges of Bentley 1992). The links of neighbours are the strongest however many
/// frames there are, which is not so of the eigenvectors of the graph of likeness: what all frames have
/// in common outweighs a long chain there.
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
        let own = &mut paths[one];
        if own.last() != Some(&a) {
            own.reverse();
        }
        if next.first() != Some(&b) {
            next.reverse();
        }
        own.append(&mut next);
    }
    paths.into_iter().find(|path| !path.is_empty()).unwrap_or_default()
}

/// Turns parts of the path round, moves single frames, and puts the end before the beginning, while
/// frames beside each other become more alike (Croes 1958).
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
                let own = length(&tried);
                if own < best - 1e-6 {
                    (*order, best, better) = (tried, own, true);
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_optics::grid::Grid;

    /// Frames that are each sharp in a narrow band alone, and noisy everywhere.
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
        order.untold(FrameIndex::new(3));
        assert!(order.doubts(&names).is_empty());
        // At the ends there is one step.
        order.steps.fill(Step { length: 2.0 });
        order.untold(FrameIndex::new(0));
        order.untold(FrameIndex::new(4));
        assert_eq!(
            order.steps.iter().map(|step| step.length).collect::<Vec<_>>(),
            [1.0, 2.0, 2.0, 1.0]
        );
    }

    #[test]
    fn long_sweeps_of_thin_planes_are_put_in_order() {
        for (count, seed) in [(12, 1), (30, 2), (45, 3), (60, 4), (60, 5)] {
            let all = bands(count, seed);
            // In an order that is not theirs.
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
