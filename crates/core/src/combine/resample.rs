//! Light of a frame at positions of the reference frame, in one resampling.
//!
//! The motion is evaluated exactly on a coarse grid; between its nodes it is interpolated, by
//! cubics down to a fine grid and by straight lines between that grid's nodes.

use super::kernel::{Kernel, LANCZOS, RUN, TAPS, TERMS};
use crate::align::Motion;
use crate::frames::Light;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use multiversion::multiversion;
use multiversion::target::target_cfg_f;

/// Distance of exactly mapped positions in pixels.
const COARSE: usize = 32;
/// Distance of positions between which straight lines are drawn, in pixels; between them the bend
/// of the motion is below 0.002 px for any lens that is not a fisheye.
const FINE: usize = 8;
/// Values before and after each plane that a run may read without using them.
const SLACK: usize = RUN + TAPS;

/// Memory of one thread that is used again for every region.
#[derive(Default)]
pub struct Room {
    planes: [Vec<f32>; 3],
    xs: Vec<f32>,
    ys: Vec<f32>,
}

/// Reads a region of the reference frame from a frame, into three planes of `region.area()` values
/// each. `backward` takes positions of the reference frame to the frame. Positions outside the
/// frame hold the light of its nearest edge; which positions the frame covers is returned, or
/// `None` when it covers all.
///
/// # Errors
/// [`PictureError::Io`].
pub fn read(
    light: &dyn Light,
    backward: &Motion,
    region: Region,
    [red, green, blue]: [&mut [f32]; 3],
    room: &mut Room,
) -> Result<Option<Vec<bool>>, PictureError> {
    let (width, height) = light.size();
    let (w, h) = (region.width as usize, region.height as usize);
    if *backward == Motion::Still {
        light.fill(region, [red, green, blue], w)?;
        return Ok(None);
    }
    let map = Map::new(backward, region);
    let Some(bounds) = map.bounds(width, height) else {
        [red, green, blue].into_iter().for_each(|plane| plane.fill(0.0));
        return Ok(Some(vec![false; w * h]));
    };
    let source = Source::read(light, bounds, &mut room.planes)?;
    let (right, bottom) = (width as f32 - 1.0, height as f32 - 1.0);
    let [x0, y0, x1, y1] = bounds;
    let inside = x0 >= 0.0 && y0 >= 0.0 && x1 <= right as f64 && y1 <= bottom as f64;
    let mut covered = (!inside).then(|| vec![true; w * h]);
    room.xs.resize(w.next_multiple_of(RUN), 0.0);
    room.ys.resize(w.next_multiple_of(RUN), 0.0);
    for y in 0..h {
        map.row(y, [source.left, source.top], &mut room.xs, &mut room.ys);
        let range = y * w..(y + 1) * w;
        if let Some(covered) = &mut covered {
            let limits = [source.left, source.top].map(|v| v as f32);
            cover(&mut room.xs, limits[0], right, &mut covered[range.clone()]);
            cover(&mut room.ys, limits[1], bottom, &mut covered[range.clone()]);
        }
        resample(
            room.planes.each_ref().map(Vec::as_slice),
            source.stride,
            &room.xs,
            &room.ys,
            [&mut red[range.clone()], &mut green[range.clone()], &mut blue[range]],
            &LANCZOS,
        );
    }
    Ok(covered.filter(|c| c.iter().any(|inside| !inside)))
}

/// Marks positions along one axis that lie outside 0..=`last` as uncovered and moves them to the
/// edge; positions count from `origin`.
fn cover(places: &mut [f32], origin: f32, last: f32, covered: &mut [bool]) {
    const CLOSE: f32 = 0.01;
    let (low, high) = (-origin, last - origin);
    for (i, place) in places.iter_mut().enumerate() {
        let inside = *place >= low - CLOSE && *place <= high + CLOSE;
        if let Some(covered) = covered.get_mut(i) {
            *covered &= inside;
        }
        *place = place.clamp(low, high);
    }
}

/// Source positions of a region on the fine grid.
struct Map {
    across: usize,
    nodes: Vec<[f64; 2]>,
}

impl Map {
    fn new(backward: &Motion, region: Region) -> Self {
        // Cubics between four exact nodes: one more on either side of the region.
        let exact = |size: u32| (size as usize + 2 * FINE) / COARSE + 4;
        let (wide, tall) = (exact(region.width), exact(region.height));
        let place = |i: usize| i as f64 * COARSE as f64 - COARSE as f64;
        let coarse: Vec<[f64; 2]> = (0..wide * tall)
            .map(|i| {
                let x = region.x as f64 + place(i % wide);
                let y = region.y as f64 + place(i / wide);
                backward.to_reference([x, y])
            })
            .collect();
        let across = region.width as usize / FINE + 2;
        let down = region.height as usize / FINE + 2;
        let rows: Vec<[f64; 2]> = (0..tall * across)
            .map(|i| cubic(i % across, |node| coarse[i / across * wide + node]))
            .collect();
        let nodes = (0..down * across)
            .map(|i| cubic(i / across, |node| rows[node * across + i % across]))
            .collect();
        Self { across, nodes }
    }

    /// Bounds of all source positions as (left, top, right, bottom), unless all lie far outside a
    /// picture of this size.
    fn bounds(&self, width: u32, height: u32) -> Option<[f64; 4]> {
        let mut bounds = [f64::MAX, f64::MAX, f64::MIN, f64::MIN];
        for [x, y] in &self.nodes {
            if !x.is_finite() || !y.is_finite() {
                return None;
            }
            bounds = [bounds[0].min(*x), bounds[1].min(*y), bounds[2].max(*x), bounds[3].max(*y)];
        }
        let [left, top, right, bottom] = bounds;
        let meets = right >= 0.0 && bottom >= 0.0 && left < width as f64 && top < height as f64;
        meets.then_some(bounds)
    }

    /// Positions of one row of the region, counted from `origin`.
    fn row(&self, y: usize, origin: [i64; 2], xs: &mut [f32], ys: &mut [f32]) {
        let (gy, fy) = (y / FINE, (y % FINE) as f64 / FINE as f64);
        let (top, low) = (&self.nodes[gy * self.across..], &self.nodes[(gy + 1) * self.across..]);
        let node = |gx: usize| {
            // The row is rounded up to whole runs; what lies beyond the nodes is not used.
            let gx = gx.min(self.across - 1);
            [0, 1].map(|axis| {
                (top[gx][axis] + (low[gx][axis] - top[gx][axis]) * fy - origin[axis] as f64) as f32
            })
        };
        let mut from = node(0);
        let lanes: [f32; FINE] = std::array::from_fn(|i| i as f32);
        let parts = xs.as_chunks_mut::<FINE>().0.iter_mut().zip(ys.as_chunks_mut::<FINE>().0);
        for (gx, (xs, ys)) in parts.enumerate() {
            let to = node(gx + 1);
            let step = [0, 1].map(|axis| (to[axis] - from[axis]) / FINE as f32);
            *xs = lanes.map(|i| from[0] + step[0] * i);
            *ys = lanes.map(|i| from[1] + step[1] * i);
            from = to;
        }
    }
}

/// The value at fine node `i` between coarse nodes, by Lagrange's cubic through four of them.
fn cubic(i: usize, coarse: impl Fn(usize) -> [f64; 2]) -> [f64; 2] {
    let (first, t) = (i * FINE / COARSE, (i * FINE % COARSE) as f64 / COARSE as f64);
    let weights = [
        -t * (t - 1.0) * (t - 2.0) / 6.0,
        (t + 1.0) * (t - 1.0) * (t - 2.0) / 2.0,
        -(t + 1.0) * t * (t - 2.0) / 2.0,
        (t + 1.0) * t * (t - 1.0) / 6.0,
    ];
    let mut sum = [0.0; 2];
    for (k, weight) in weights.into_iter().enumerate() {
        let node = coarse(first + k);
        sum = [sum[0] + weight * node[0], sum[1] + weight * node[1]];
    }
    sum
}

/// The source pixels of a region with room for the kernel around them, edges going on as they end.
struct Source {
    left: i64,
    top: i64,
    stride: usize,
}

impl Source {
    fn read(
        light: &dyn Light,
        [left, top, right, bottom]: [f64; 4],
        planes: &mut [Vec<f32>; 3],
    ) -> Result<Self, PictureError> {
        let (width, height) = light.size();
        let clip = |v: f64, size: u32| (v.floor().max(0.0) as i64).min(size as i64 - 1);
        let (x0, y0) = (clip(left, width) - 3, clip(top, height) - 3);
        let (x1, y1) = (clip(right, width) + 4, clip(bottom, height) + 4);
        let inside = Region {
            x: x0.max(0) as u32,
            y: y0.max(0) as u32,
            width: (x1.min(width as i64 - 1) - x0.max(0) + 1) as u32,
            height: (y1.min(height as i64 - 1) - y0.max(0) + 1) as u32,
        };
        let (stride, tall) = ((x1 - x0 + 1) as usize, (y1 - y0 + 1) as usize);
        let (before, above) = ((inside.x as i64 - x0) as usize, (inside.y as i64 - y0) as usize);
        for plane in planes.iter_mut() {
            plane.resize(stride * tall + 2 * SLACK, 0.0);
        }
        let first = SLACK + above * stride + before;
        light.fill(inside, planes.each_mut().map(|plane| &mut plane[first..]), stride)?;
        let (wide, long) = (inside.width as usize, inside.height as usize);
        if wide < stride || long < tall {
            for plane in planes {
                extend(&mut plane[SLACK..SLACK + stride * tall], stride, before, wide, above, long);
            }
        }
        Ok(Self { left: x0, top: y0, stride })
    }
}

/// Goes on with the outermost values of the filled part of a plane: `wide` columns from column
/// `before` on, `long` rows from row `above` on.
fn extend(plane: &mut [f32], stride: usize, before: usize, wide: usize, above: usize, long: usize) {
    for row in plane.chunks_exact_mut(stride).skip(above).take(long) {
        let (first, last) = (row[before], row[before + wide - 1]);
        row[..before].fill(first);
        row[before + wide..].fill(last);
    }
    for row in 0..above {
        plane.copy_within(above * stride..(above + 1) * stride, row * stride);
    }
    let last = above + long - 1;
    for row in last + 1..plane.len() / stride {
        plane.copy_within(last * stride..(last + 1) * stride, row * stride);
    }
}

/// `a * b + c`, in one step where the processor has it.
macro_rules! fused {
    ($a:expr, $b:expr, $c:expr) => {
        if target_cfg_f!(target_feature = "fma") { $a.mul_add($b, $c) } else { $a * $b + $c }
    };
}

/// Added to a position, it leaves the whole part in the lowest bits.
const WHOLE: f32 = 8_388_608.0;

/// The most source rows that a run may cross on its way to be done at once.
const STEPS: usize = 3;

/// The taps of one run: the sum over `$taps` columns and `$rows` rows, for three planes.
macro_rules! weigh {
    ($taps:literal, $rows:expr, $across:expr, $down:expr, $from:expr, $planes:expr, $stride:expr) => {{
        let mut sums = [[0.0f32; RUN]; 3];
        for c in 0..3 {
            for j in 0..$rows {
                let from = $from + j * $stride;
                let row: &[f32; RUN + TAPS] =
                    $planes[c][from..from + RUN + TAPS].try_into().expect("as long");
                let mut part = [0.0f32; RUN];
                for i in 0..$taps {
                    for lane in 0..RUN {
                        part[lane] = fused!($across[i][lane], row[i + lane], part[lane]);
                    }
                }
                for lane in 0..RUN {
                    sums[c][lane] = fused!($down[j][lane], part[lane], sums[c][lane]);
                }
            }
        }
        sums
    }};
}

/// One row of resampled light. `xs` and `ys` are positions in the planes, a whole number of runs;
/// rows of the planes are `stride` apart and begin after [`SLACK`].
///
/// Neighbouring pixels read neighbouring sources nearly everywhere, so the taps of a run are plain
/// vectors. Where a run crosses a step to the next column or rows, there are more taps, and each
/// lane has weights of zero for those that are not its own; where it crosses too many, as when a
/// frame stands on its side, it is done once for each.
#[multiversion(targets("x86_64+avx512f+avx512bw+avx512dq+avx512vl+fma", "x86_64+avx2+fma"))]
#[allow(clippy::needless_range_loop, reason = "lanes of several arrays side by side")]
fn resample(
    planes: [&[f32]; 3],
    stride: usize,
    xs: &[f32],
    ys: &[f32],
    out: [&mut [f32]; 3],
    kernel: &Kernel,
) {
    let width = out[0].len();
    for (run, (xs, ys)) in xs.chunks_exact(RUN).zip(ys.chunks_exact(RUN)).enumerate() {
        let start = run * RUN;
        let long = RUN.min(width - start);
        // Positions are at least 2, so that rounding the half below them takes the whole part.
        let (mut tx, mut ty) = ([0.0f32; RUN], [0.0f32; RUN]);
        let (mut columns, mut rows) = ([0i32; RUN], [0i32; RUN]);
        for lane in 0..RUN {
            let (wx, wy) = (xs[lane] - 0.5 + WHOLE, ys[lane] - 0.5 + WHOLE);
            tx[lane] = xs[lane] - (wx - WHOLE) - 0.5;
            ty[lane] = ys[lane] - (wy - WHOLE) - 0.5;
            columns[lane] = (wx.to_bits() & 0x7f_ffff) as i32 - lane as i32;
            rows[lane] = (wy.to_bits() & 0x7f_ffff) as i32;
        }
        for lane in long..RUN {
            (columns[lane], rows[lane]) = (columns[long - 1], rows[long - 1]);
        }
        let (mut across, mut down) = ([[0.0f32; RUN]; TAPS], [[0.0f32; RUN]; TAPS]);
        for tap in 0..TAPS {
            let mut weights = kernel[tap][TERMS - 1];
            for terms in kernel[tap][..TERMS - 1].iter().rev() {
                for lane in 0..RUN {
                    weights[lane] = fused!(weights[lane], tx[lane], terms[lane]);
                }
            }
            across[tap] = weights;
        }
        for tap in 0..TAPS {
            let mut weights = kernel[tap][TERMS - 1];
            for terms in kernel[tap][..TERMS - 1].iter().rev() {
                for lane in 0..RUN {
                    weights[lane] = fused!(weights[lane], ty[lane], terms[lane]);
                }
            }
            down[tap] = weights;
        }
        let (mut left, mut right, mut top, mut bottom) = (i32::MAX, i32::MIN, i32::MAX, i32::MIN);
        for lane in 0..RUN {
            (left, right) = (left.min(columns[lane]), right.max(columns[lane]));
            (top, bottom) = (top.min(rows[lane]), bottom.max(rows[lane]));
        }
        let steps = (bottom - top) as usize;
        if right - left <= 1 && steps <= STEPS {
            let from = (top as usize * stride + SLACK).wrapping_add_signed(left as isize);
            let from = from - 2 * stride - 2;
            let mut tall = [[0.0f32; RUN]; TAPS + STEPS];
            if steps == 0 {
                tall[..TAPS].copy_from_slice(&down);
            } else {
                for step in 0..=steps {
                    for tap in 0..TAPS {
                        for lane in 0..RUN {
                            let own = rows[lane] == top + step as i32;
                            let weight = if own { down[tap][lane] } else { 0.0 };
                            tall[tap + step][lane] += weight;
                        }
                    }
                }
            }
            let sums = if left == right {
                weigh!(6, TAPS + steps, across, tall, from, planes, stride)
            } else {
                let mut wide = [[0.0f32; RUN]; TAPS + 1];
                for tap in 0..TAPS {
                    for lane in 0..RUN {
                        let weight = across[tap][lane];
                        let late = columns[lane] != left;
                        wide[tap][lane] += if late { 0.0 } else { weight };
                        wide[tap + 1][lane] = if late { weight } else { 0.0 };
                    }
                }
                weigh!(7, TAPS + steps, wide, tall, from, planes, stride)
            };
            for c in 0..3 {
                out[c][start..start + long].copy_from_slice(&sums[c][..long]);
            }
            continue;
        }
        let mut todo = [true; RUN];
        let mut next = 0;
        while next < long {
            let here = (columns[next], rows[next]);
            let from = (here.1 as usize * stride + SLACK).wrapping_add_signed(here.0 as isize);
            let from = from - 2 * stride - 2;
            let sums = weigh!(6, TAPS, across, down, from, planes, stride);
            for c in 0..3 {
                let to = &mut out[c][start..start + long];
                for (lane, to) in to.iter_mut().enumerate() {
                    if (columns[lane], rows[lane]) == here {
                        *to = sums[c][lane];
                    }
                }
            }
            for lane in next..RUN {
                todo[lane] &= (columns[lane], rows[lane]) != here;
            }
            next = todo.iter().position(|t| *t).unwrap_or(RUN);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use nalgebra::Matrix3;

    /// A smooth function of the position that Lanczos can follow.
    struct Waves;

    fn wave(x: f64, y: f64, c: usize) -> f64 {
        0.5 + 0.2 * (x / 5.0 + c as f64).sin() * (y / 6.0).cos()
    }

    impl Light for Waves {
        fn size(&self) -> (u32, u32) {
            (230, 170)
        }
        fn fill(
            &self,
            r: Region,
            planes: [&mut [f32]; 3],
            stride: usize,
        ) -> Result<(), PictureError> {
            for (c, plane) in planes.into_iter().enumerate() {
                for y in 0..r.height as usize {
                    for x in 0..r.width as usize {
                        let (px, py) = (r.x as usize + x, r.y as usize + y);
                        plane[y * stride + x] = wave(px as f64, py as f64, c) as f32;
                    }
                }
            }
            Ok(())
        }
    }

    struct Samples {
        planes: [Vec<f32>; 3],
        covered: Option<Vec<bool>>,
    }

    fn samples(motion: &Motion, region: Region) -> Samples {
        let mut planes = [(); 3].map(|()| vec![0.0; region.area()]);
        let out = planes.each_mut().map(Vec::as_mut_slice);
        let covered = read(&Waves, &motion.backward(), region, out, &mut Room::default()).unwrap();
        Samples { planes, covered }
    }

    fn moved(angle: f64, shift: [f64; 2]) -> Motion {
        let (s, c) = angle.sin_cos();
        Motion::Homography(Matrix3::new(c, -s, shift[0], s, c, shift[1], 1e-5, 0.0, 1.0))
    }

    #[test]
    fn light_is_read_at_the_mapped_place() {
        for motion in [
            moved(0.05, [3.3, -4.7]),
            moved(-0.4, [40.5, 20.25]),
            moved(0.0, [0.5, 0.5]),
            moved(3.1, [220.0, 160.0]),
        ] {
            let region = Region { x: 20, y: 31, width: 150, height: 100 };
            let samples = samples(&motion, region);
            let mut seen = 0;
            for i in 0..region.area() {
                let at =
                    [(region.x as usize + i % 150) as f64, (region.y as usize + i / 150) as f64];
                let [x, y] = motion.from_reference(at);
                if !(3.0..226.0).contains(&x) || !(3.0..166.0).contains(&y) {
                    continue;
                }
                assert!(samples.covered.as_ref().is_none_or(|c| c[i]));
                for c in 0..3 {
                    let off = samples.planes[c][i] as f64 - wave(x, y, c);
                    assert!(off.abs() < 2e-3, "off by {off:.5} at {x:.2} {y:.2}");
                }
                seen += 1;
            }
            assert!(seen > 4000);
        }
    }

    #[test]
    fn positions_outside_the_frame_are_uncovered() {
        let region = Region { x: 0, y: 0, width: 100, height: 100 };
        let covered = samples(&moved(0.0, [10.0, 0.0]), region).covered.unwrap();
        for (i, covered) in covered.into_iter().enumerate() {
            assert_eq!(covered, i % 100 >= 10, "column {}", i % 100);
        }
        let far = samples(&moved(0.0, [900.0, 0.0]), region);
        assert!(far.covered.unwrap().iter().all(|c| !c));
    }
}
