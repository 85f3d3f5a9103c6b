//! Light of a frame at positions of the reference frame, in one resampling.
//!
//! The motion is evaluated exactly on a coarse grid; between its nodes it is interpolated, by
//! cubics down to a fine grid and by straight lines between that grid's nodes. Where a frame stands
//! nearly upright on the reference frame, the kernel is applied along rows first and then along
//! columns, otherwise to both at once.

mod direct;
mod lanes;
mod layout;
mod map;
mod places;
mod row_scratch;
mod source;
mod strip;
mod to_samples;
mod upright;

pub use layout::FINE;
pub use places::SourcePositions;
pub use to_samples::Scale;

use crate::lens::Geometry;
use crate::light::{Ahead, Light};
use crate::motion::Backward;
use crate::space::InReference;
use jade_pixels::PictureError;
use jade_pixels::tiled::Region;
use layout::STRIP;
use map::Map;
use row_scratch::RowScratch;
use source::Source;
use strip::Strip;
use to_samples::{GREEN, ToSamples};
use upright::Upright;

/// Memory of one thread that is used again for every region.
#[derive(Default)]
pub struct Scratch {
    ahead: Ahead,
    row: RowScratch,
    colours: [Vec<f32>; 3],
}

/// Reads a region of the reference frame from a frame, into three planes of `region.area()` values
/// each. `backward` takes positions of the reference frame to the frame; the lens's displacement is
/// applied on top of it. Positions outside the frame get the light of its nearest edge pixel.
/// Returns which positions the frame covers, or `None` when it covers all.
///
/// # Errors
/// [`PictureError::Io`].
pub fn read(
    light: &dyn Light,
    backward: &Backward,
    InReference(region): InReference<Region>,
    planes: [&mut [f32]; 3],
    scratch: &mut Scratch,
) -> Result<Option<Vec<bool>>, PictureError> {
    read_small(light, backward, Scale::FULL, region, planes, scratch)
}

/// [`read`] at a smaller size: of a frame and into a picture that are both smaller by the factor of
/// `scale`. The region is in the pixels of that smaller picture.
///
/// # Errors
/// [`PictureError::Io`].
pub fn read_small(
    light: &dyn Light,
    backward: &Backward,
    scale: Scale,
    region: Region,
    planes: [&mut [f32]; 3],
    scratch: &mut Scratch,
) -> Result<Option<Vec<bool>>, PictureError> {
    let way = |colour: usize| ToSamples {
        backward,
        scale,
        lens: light.lens().map(|lens| (lens, colour)),
    };
    if !light.lens().is_some_and(Geometry::parts_colours) {
        return read_by(light, &way(GREEN), region, planes, scratch, Upright::of);
    }
    // Each colour has positions of its own; the other two colours read at them are dropped.
    let mut covered: Option<Vec<bool>> = None;
    for (colour, plane) in planes.into_iter().enumerate() {
        let mut colours = std::mem::take(&mut scratch.colours);
        colours.iter_mut().for_each(|plane| plane.resize(region.area(), 0.0));
        let out = colours.each_mut().map(Vec::as_mut_slice);
        let covered_here = read_by(light, &way(colour), region, out, scratch, Upright::of)?;
        plane.copy_from_slice(&colours[colour]);
        scratch.colours = colours;
        covered = match (covered, covered_here) {
            (Some(mut all), Some(here)) => {
                all.iter_mut().zip(here).for_each(|(all, here)| *all &= here);
                Some(all)
            }
            (all, here) => all.or(here),
        };
    }
    Ok(covered)
}

/// [`read`], where `upright` decides which strips are resampled along rows, then along columns.
fn read_by(
    light: &dyn Light,
    way: &ToSamples,
    region: Region,
    mut planes: [&mut [f32]; 3],
    scratch: &mut Scratch,
    upright: impl Fn(&Strip) -> Option<Upright>,
) -> Result<Option<Vec<bool>>, PictureError> {
    let (width, height) = light.size();
    let (w, h) = (region.width as usize, region.height as usize);
    if way.backward.is_still() && way.scale == Scale::FULL && way.lens.is_none() {
        light.fill(region, planes, w)?;
        return Ok(None);
    }
    let map = Map::new(way, region);
    let Some(bounds) = map.bounds(width, height) else {
        planes.into_iter().for_each(|plane| plane.fill(0.0));
        return Ok(Some(vec![false; w * h]));
    };
    let Scratch { ahead, row, .. } = scratch;
    let source = Source::read(light, bounds, ahead)?;
    let mut whole = false;
    let (right, bottom) = (width as f32 - 1.0, height as f32 - 1.0);
    let [x0, y0, x1, y1] = bounds;
    let inside = x0 >= 0.0 && y0 >= 0.0 && x1 <= right as f64 && y1 <= bottom as f64;
    let mut covered = (!inside).then(|| vec![true; w * h]);
    // Strips are so narrow that the source rows under the kernel stay in the nearest cache.
    for x in (0..w).step_by(STRIP) {
        let columns = STRIP.min(w - x);
        let nodes = map.strip(x, columns, [source.left, source.top]);
        let last = [right, bottom];
        let strip = Strip { map: &map, source: &source, x, width: columns, nodes, last };
        let upright = upright(&strip);
        if upright.is_none() && !whole {
            source.planes(&mut row.planes);
            whole = true;
        }
        for y in 0..h {
            let range = y * w + x..y * w + x + columns;
            let covered = covered.as_mut().map(|covered| &mut covered[range.clone()]);
            strip.place(y, upright.is_none(), row, covered);
            let out = planes.each_mut().map(|plane| &mut plane[range.clone()]);
            match &upright {
                Some(upright) => upright.row(&strip, y == 0, row, out),
                None => strip.direct(row, out),
            }
        }
    }
    Ok(covered.filter(|c| c.iter().any(|inside| !inside)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::camera::Lens;
    use crate::drawn::Drawn;
    use crate::motion::Motion;
    use crate::space::InFrame;
    use nalgebra::{Matrix3, Rotation3, Vector3};

    /// A smooth function of the position, within what Lanczos can follow.
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
        let covered =
            read(&waves, &motion.backward(), InReference(region), out, &mut Scratch::default())
                .unwrap();
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
            let mut count = 0;
            for i in 0..region.area() {
                let at =
                    [(region.x as usize + i % 150) as f64, (region.y as usize + i / 150) as f64];
                let InFrame([x, y]) = motion.from_reference(InReference(at));
                if !(3.0..226.0).contains(&x) || !(3.0..166.0).contains(&y) {
                    continue;
                }
                assert!(samples.covered.as_ref().is_none_or(|c| c[i]));
                for c in 0..3 {
                    let off = samples.planes[c][i] as f64 - wave(x, y, c);
                    assert!(off.abs() < 2e-3, "off by {off:.5} at {x:.2} {y:.2}");
                }
                count += 1;
            }
            assert!(count > 4000);
        }
    }

    /// A star in each square, with a width of 2.2 pixels: as sharp as lenses image them.
    fn star([x, y]: [u32; 2], _: usize) -> f32 {
        let off = |v: u32| f64::from(v) - ((f64::from(v) / 17.3).floor() + 0.5) * 17.3;
        0.02 + (-(off(x).powi(2) + off(y).powi(2)) / 1.8).exp() as f32
    }

    #[test]
    fn rows_then_columns_give_what_both_at_once_give() {
        let stars = Drawn { size: (400, 300), of: star };
        // Up to the steepest lean, and partly beyond the frame.
        for (angle, shift) in [(0.0, [3.4, -2.7]), (0.03, [-40.3, 20.0]), (-0.14, [35.0, 60.6])] {
            let region = Region { x: 8, y: 16, width: 300, height: 230 };
            let backward = moved(angle, shift).backward();
            let light = |upright: &dyn Fn(&Strip) -> Option<Upright>| {
                let mut planes = [(); 3].map(|()| vec![0.0; region.area()]);
                let out = planes.each_mut().map(Vec::as_mut_slice);
                let mut scratch = Scratch::default();
                let way = ToSamples { backward: &backward, scale: Scale::FULL, lens: None };
                let covered = read_by(&stars, &way, region, out, &mut scratch, upright).unwrap();
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
        // Nearly whole shifts, so that rounding puts neighbours on either side of a pixel.
        for drift in [-3e-7, -4e-8, 0.0, 4e-8, 3e-7] {
            let scale = 1.0 + drift;
            let (x, y) = (7.0 - 190.0 * drift, -5.0 - 140.0 * drift);
            // The matrix leads from the reference frame to the frame.
            let to_frame = Matrix3::new(scale, 0.0, x, 0.0, scale, y, 0.0, 0.0, 1.0);
            let backward = Motion::Homography(to_frame).inverted().backward();
            let way = ToSamples { backward: &backward, scale: Scale::FULL, lens: None };
            let region = Region { x: 16, y: 24, width: 300, height: 230 };
            let shifted = Region { x: 23, y: 19, ..region };
            let exact = stars.planes(shifted).unwrap();
            for both in [false, true] {
                let upright = |strip: &Strip| if both { None } else { Upright::of(strip) };
                let mut planes = [(); 3].map(|()| vec![0.0; region.area()]);
                let out = planes.each_mut().map(Vec::as_mut_slice);
                read_by(&stars, &way, region, out, &mut Scratch::default(), upright).unwrap();
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

    #[test]
    fn a_smaller_picture_is_read_where_the_whole_one_is() {
        let (lens, turn) =
            (Lens::plain(300.0, 230, 170), Rotation3::new(Vector3::new(0.01, -0.02, 0.03)));
        let motions = [
            Motion::Still,
            moved(0.05, [3.3, -4.7]),
            Motion::Camera { lens: Lens { k1: 0.05, ..lens }, turn },
        ];
        for motion in motions {
            let backward = motion.backward();
            let scale = Scale { factor: 4.0, origin: [12, 8] };
            let way = ToSamples { backward: &backward, scale, lens: None };
            for [x, y] in [[0.0, 0.0], [20.0, 11.0], [37.5, 30.25]] {
                // The middle of the square of 4 x 4 pixels under a pixel of the smaller picture.
                let whole = [12.0 + 4.0 * x + 1.5, 8.0 + 4.0 * y + 1.5];
                let InFrame(whole) = backward.to_frame(InReference(whole));
                let small = way.to_samples([x, y]);
                for axis in 0..2 {
                    assert!((4.0 * small[axis] + 1.5 - whole[axis]).abs() < 1e-9, "{backward:?}");
                }
            }
        }
    }
}
