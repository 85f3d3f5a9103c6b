//! Light of a frame at positions of the reference frame, in one resampling.
//!
//! The motion is evaluated exactly on a coarse grid; between its nodes it is interpolated, by
//! cubics down to a fine grid and by straight lines between that grid's nodes. Where a frame stands
//! nearly upright on the reference frame, the kernel is applied along rows first and then along
//! columns, otherwise to both at once.

mod direct;
mod lanes;
mod map;
mod places;
mod source;
mod upright;

use super::kernel::{RUN, TAPS};
use crate::align::Motion;
use crate::frames::{Ahead, Light};
use crate::prepare::lens::Geometry;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use map::Map;
pub use places::Places;
use source::Source;
use upright::Upright;

/// Distance of positions between which straight lines are drawn, in pixels; between them the bend
/// of the motion is below 0.002 px for any lens that is not a fisheye.
pub const FINE: usize = 8;
/// Values before and after each plane that a run may read without using them.
const SLACK: usize = RUN + TAPS;
/// Columns that are resampled for all rows before the next ones.
const STRIP: usize = 128;
/// Nodes of the fine grid along a strip.
const NODES: usize = STRIP / FINE + 1;

/// Memory of one thread that is used again for every region.
#[derive(Default)]
pub struct Room {
    ahead: Ahead,
    desk: Desk,
    colours: [Vec<f32>; 3],
}

/// The way from positions of a result to those of a frame.
struct Way<'a> {
    /// Takes positions of the reference frame to the frame, both as if the lens had no flaws.
    backward: &'a Motion,
    /// What the lens does, and to which colour.
    lens: Option<(&'a Geometry, usize)>,
}

/// The colour that the others are drawn beside.
const GREEN: usize = 1;

impl Way<'_> {
    fn to_frame(&self, at: [f64; 2]) -> [f64; 2] {
        let at = self.backward.to_reference(at);
        match self.lens {
            None => at,
            Some((lens, GREEN)) => lens.to_frame(at),
            Some((lens, colour)) => lens.colour(colour, lens.to_frame(at)),
        }
    }
}

/// What a row is made on.
struct Desk {
    /// The whole source, for the direct way.
    planes: [Vec<f32>; 3],
    xs: [f32; STRIP],
    ys: [f32; STRIP],
    upright: upright::Rows,
}

impl Default for Desk {
    fn default() -> Self {
        let (xs, ys) = ([0.0; STRIP], [0.0; STRIP]);
        Self { planes: Default::default(), xs, ys, upright: Default::default() }
    }
}

/// Some columns of a region, all rows.
struct Strip<'a> {
    map: &'a Map,
    source: &'a Source<'a>,
    x: usize,
    wide: usize,
    /// The map's nodes along both axes, counted from the source's corner.
    nodes: [Vec<[f32; NODES]>; 2],
    /// The frame's last column and row.
    last: [f32; 2],
}

impl Strip<'_> {
    /// Puts the source positions of row `y` onto the desk: the rows, and where `columns` are
    /// needed or what is covered is asked for, those too.
    fn place(&self, y: usize, columns: bool, desk: &mut Desk, covered: Option<&mut [bool]>) {
        let Desk { xs, ys, .. } = desk;
        // Runs are filled up below the last column.
        let (wide, long) = (self.wide, self.wide.next_multiple_of(RUN));
        map::row(&self.nodes[1], y, ys);
        let low = ys[wide - 1];
        ys[wide..long].fill(low);
        if columns || covered.is_some() {
            map::row(&self.nodes[0], y, xs);
            for i in wide..long {
                xs[i] = xs[wide - 1] + (i + 1 - wide) as f32;
            }
        }
        if let Some(covered) = covered {
            let [left, top] = [self.source.left, self.source.top].map(|v| v as f32);
            cover(&mut xs[..long], left, self.last[0], covered);
            cover(&mut ys[..long], top, self.last[1], covered);
        }
    }
}

/// Reads a region of the reference frame from a frame, into three planes of `region.area()` values
/// each. `backward` takes positions of the reference frame to the frame; what the light's lens drew
/// elsewhere is read there. Positions outside the frame hold the light of its nearest edge; which
/// positions the frame covers is returned, or `None` when it covers all.
///
/// # Errors
/// [`PictureError::Io`].
pub fn read(
    light: &dyn Light,
    backward: &Motion,
    region: Region,
    planes: [&mut [f32]; 3],
    room: &mut Room,
) -> Result<Option<Vec<bool>>, PictureError> {
    let way = |colour: usize| Way { backward, lens: light.lens().map(|lens| (lens, colour)) };
    if !light.lens().is_some_and(Geometry::parts_colours) {
        return read_by(light, &way(GREEN), region, planes, room, Upright::of);
    }
    // Each colour has its own way; the others that come along on it are not kept.
    let mut covered: Option<Vec<bool>> = None;
    for (colour, plane) in planes.into_iter().enumerate() {
        let mut colours = std::mem::take(&mut room.colours);
        colours.iter_mut().for_each(|own| own.resize(region.area(), 0.0));
        let out = colours.each_mut().map(Vec::as_mut_slice);
        let own = read_by(light, &way(colour), region, out, room, Upright::of)?;
        plane.copy_from_slice(&colours[colour]);
        room.colours = colours;
        covered = match (covered, own) {
            (Some(mut all), Some(own)) => {
                all.iter_mut().zip(own).for_each(|(all, own)| *all &= own);
                Some(all)
            }
            (all, own) => all.or(own),
        };
    }
    Ok(covered)
}

/// [`read`], where `upright` tells which strips are resampled along rows, then along columns.
fn read_by(
    light: &dyn Light,
    way: &Way,
    region: Region,
    mut planes: [&mut [f32]; 3],
    room: &mut Room,
    upright: impl Fn(&Strip) -> Option<Upright>,
) -> Result<Option<Vec<bool>>, PictureError> {
    let (width, height) = light.size();
    let (w, h) = (region.width as usize, region.height as usize);
    if *way.backward == Motion::Still && way.lens.is_none() {
        light.fill(region, planes, w)?;
        return Ok(None);
    }
    let map = Map::new(way, region);
    let Some(bounds) = map.bounds(width, height) else {
        planes.into_iter().for_each(|plane| plane.fill(0.0));
        return Ok(Some(vec![false; w * h]));
    };
    let Room { ahead, desk, .. } = room;
    let source = Source::read(light, bounds, ahead)?;
    let mut whole = false;
    let (right, bottom) = (width as f32 - 1.0, height as f32 - 1.0);
    let [x0, y0, x1, y1] = bounds;
    let inside = x0 >= 0.0 && y0 >= 0.0 && x1 <= right as f64 && y1 <= bottom as f64;
    let mut covered = (!inside).then(|| vec![true; w * h]);
    // In strips so narrow that the source rows under the kernel stay in the nearest cache.
    for x in (0..w).step_by(STRIP) {
        let wide = STRIP.min(w - x);
        let nodes = map.strip(x, wide, [source.left, source.top]);
        let strip = Strip { map: &map, source: &source, x, wide, nodes, last: [right, bottom] };
        let upright = upright(&strip);
        if upright.is_none() && !whole {
            source.planes(&mut desk.planes);
            whole = true;
        }
        for y in 0..h {
            let range = y * w + x..y * w + x + wide;
            let covered = covered.as_mut().map(|covered| &mut covered[range.clone()]);
            strip.place(y, upright.is_none(), desk, covered);
            let out = planes.each_mut().map(|plane| &mut plane[range.clone()]);
            match &upright {
                Some(upright) => upright.row(&strip, y == 0, desk, out),
                None => strip.direct(desk, out),
            }
        }
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frames::drawn::Drawn;
    use nalgebra::Matrix3;

    /// A smooth function of the position that Lanczos can follow.
    fn wave(x: f64, y: f64, c: usize) -> f64 {
        0.5 + 0.2 * (x / 5.0 + c as f64).sin() * (y / 6.0).cos()
    }

    struct Samples {
        planes: [Vec<f32>; 3],
        covered: Option<Vec<bool>>,
    }

    fn samples(motion: &Motion, region: Region) -> Samples {
        let mut planes = [(); 3].map(|()| vec![0.0; region.area()]);
        let out = planes.each_mut().map(Vec::as_mut_slice);
        let of = |[x, y]: [u32; 2], c| wave(f64::from(x), f64::from(y), c) as f32;
        let waves = Drawn { size: (230, 170), of };
        let covered = read(&waves, &motion.backward(), region, out, &mut Room::default()).unwrap();
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

    /// A star of a width of 2.2 pixels, as sharp as a lens draws them, in each square.
    fn star([x, y]: [u32; 2], _: usize) -> f32 {
        let off = |v: u32| f64::from(v) - ((f64::from(v) / 17.3).floor() + 0.5) * 17.3;
        0.02 + (-(off(x).powi(2) + off(y).powi(2)) / 1.8).exp() as f32
    }

    #[test]
    fn rows_then_columns_give_what_both_at_once_give() {
        let stars = Drawn { size: (400, 300), of: star };
        // To the steepest lean, and partly beyond the frame.
        for (angle, shift) in [(0.0, [3.4, -2.7]), (0.03, [-40.3, 20.0]), (-0.14, [35.0, 60.6])] {
            let region = Region { x: 8, y: 16, width: 300, height: 230 };
            let backward = moved(angle, shift).backward();
            let light = |upright: &dyn Fn(&Strip) -> Option<Upright>| {
                let mut planes = [(); 3].map(|()| vec![0.0; region.area()]);
                let out = planes.each_mut().map(Vec::as_mut_slice);
                let mut room = Room::default();
                let way = Way { backward: &backward, lens: None };
                let covered = read_by(&stars, &way, region, out, &mut room, upright).unwrap();
                (planes, covered)
            };
            let (columns, covered) = light(&|strip| {
                let upright = Upright::of(strip);
                assert!(upright.is_some(), "{angle} counts as upright");
                upright
            });
            let (both, same) = light(&|_| None);
            assert_eq!(covered, same);
            let worst = (0..region.area())
                .filter(|&i| covered.as_ref().is_none_or(|c| c[i]))
                .map(|i| (columns[1][i] - both[1][i]).abs())
                .fold(0.0, f32::max);
            assert!(worst < 0.006 + 0.2 * angle.abs() as f32, "{worst} of a star at {angle}");
        }
    }

    #[test]
    fn frames_that_lie_whole_pixels_away_are_read_pixel_by_pixel() {
        let stars = Drawn { size: (400, 300), of: star };
        // Nearly whole, so that rounding puts neighbours on either side of a pixel.
        for drift in [-3e-7, -4e-8, 0.0, 4e-8, 3e-7] {
            let scale = 1.0 + drift;
            let (x, y) = (7.0 - 190.0 * drift, -5.0 - 140.0 * drift);
            let backward =
                Motion::Homography(Matrix3::new(scale, 0.0, x, 0.0, scale, y, 0.0, 0.0, 1.0));
            let way = Way { backward: &backward, lens: None };
            let region = Region { x: 16, y: 24, width: 300, height: 230 };
            let shifted = Region { x: 23, y: 19, ..region };
            let exact = stars.planes(shifted).unwrap();
            for both in [false, true] {
                let upright = |strip: &Strip| if both { None } else { Upright::of(strip) };
                let mut planes = [(); 3].map(|()| vec![0.0; region.area()]);
                let out = planes.each_mut().map(Vec::as_mut_slice);
                read_by(&stars, &way, region, out, &mut Room::default(), upright).unwrap();
                let apart = planes[1].iter().zip(&exact[1]).map(|(a, b)| (a - b).abs());
                let worst = apart.fold(0.0, f32::max);
                assert!(worst < 1e-3, "{worst} of a star with {drift}");
            }
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
