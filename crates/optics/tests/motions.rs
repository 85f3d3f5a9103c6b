//! The algebra of motions, lenses and grids, and what resampling must keep, for any values that
//! occur.

use jade_optics::camera::Lens;
use jade_optics::drawn::Drawn;
use jade_optics::grid::Grid;
use jade_optics::lens::{Geometry, falloff, half_diagonal};
use jade_optics::motion::{Backward, Motion, apply};
use jade_optics::resample::{self, Scratch};
use jade_optics::space::{InFrame, InReference};
use jade_optics::statistics::{median, robust_sigma};
use jade_pixels::tiled::Region;
use nalgebra::{Matrix3, Rotation3, Unit, Vector3};
use proptest::prelude::*;

const SIZE: (u32, u32) = (600, 400);

fn lenses() -> impl Strategy<Value = Lens> {
    (300.0f64..3000.0, -0.05f64..0.05, -0.01f64..0.01).prop_map(|(focal, k1, k2)| Lens {
        k1,
        k2,
        ..Lens::plain(focal, SIZE.0, SIZE.1)
    })
}

/// Motions of a camera on a tripod under a sky that turns, and of a camera held by hand.
fn motions() -> impl Strategy<Value = Motion> {
    let turned = (lenses(), prop::array::uniform3(-1.0f64..1.0), -0.08f64..0.08).prop_filter_map(
        "an axis",
        |(lens, axis, angle)| {
            let axis = Unit::try_new(Vector3::from(axis), 0.1)?;
            Some(Motion::Camera { lens, turn: Rotation3::from_axis_angle(&axis, angle) })
        },
    );
    let flat = (-0.5f64..0.5, 0.9f64..1.1, prop::array::uniform2(-90.0f64..90.0)).prop_flat_map(
        |(angle, scale, shift)| {
            prop::array::uniform2(-1e-4f64..1e-4).prop_map(move |[px, py]| {
                let (s, c) = (scale * angle.sin(), scale * angle.cos());
                Motion::Homography(Matrix3::new(c, -s, shift[0], s, c, shift[1], px, py, 1.0))
            })
        },
    );
    prop_oneof![Just(Motion::Still), turned, flat]
}

fn places() -> impl Strategy<Value = [f64; 2]> {
    (0.0f64..599.0, 0.0f64..399.0).prop_map(|(x, y)| [x, y])
}

fn distance([ax, ay]: [f64; 2], [bx, by]: [f64; 2]) -> f64 {
    (ax - bx).hypot(ay - by)
}

/// The light of a region under a motion, and whether the frame covers it, pixel by pixel.
fn resampled(
    of: impl Fn([u32; 2], usize) -> f32 + Sync,
    motion: &Motion,
    region: Region,
) -> ([Vec<f32>; 3], Vec<bool>) {
    let mut planes = [(); 3].map(|()| vec![f32::NAN; region.area()]);
    let out = planes.each_mut().map(Vec::as_mut_slice);
    let (light, scratch) = (Drawn { size: SIZE, of }, &mut Scratch::default());
    let covered =
        resample::read(&light, &motion.backward(), InReference(region), out, scratch).unwrap();
    (planes, covered.unwrap_or_else(|| vec![true; region.area()]))
}

proptest! {
    #[test]
    fn there_and_back_is_where_it_began(motion in motions(), at in places()) {
        let there = motion.to_reference(InFrame(at));
        let InFrame(back) = motion.from_reference(there);
        prop_assert!(distance(at, back) < 1e-6, "{at:?} became {back:?}");
        prop_assert_eq!(motion.backward().to_frame(there), InFrame(back));
        let InReference(inverted) = motion.inverted().to_reference(InFrame(there.0));
        prop_assert!(distance(at, inverted) < 1e-6);
    }

    /// The nearest homography is the motion itself, unless the lens bends lines: then it stays within
    /// four pixels of it.
    #[test]
    fn the_nearest_homography_is_near(motion in motions(), at in places()) {
        let near = apply(&motion.nearest_homography(SIZE.0, SIZE.1), at);
        let InReference(exact) = motion.to_reference(InFrame(at));
        let straight = match &motion {
            Motion::Camera { lens, .. } => lens.k1 == 0.0 && lens.k2 == 0.0,
            Motion::Still | Motion::Homography(_) => true,
        };
        let reach = if straight { 1e-6 } else { 4.0 };
        prop_assert!(distance(near, exact) < reach, "{near:?} for {exact:?}");
    }

    #[test]
    fn a_grid_of_positions_reaches_the_corners(motion in motions(), across in 2u32..9, down in 2u32..7) {
        let grid = motion.grid(SIZE.0, SIZE.1, across, down);
        prop_assert_eq!(grid.len() as u32, across * down);
        let [x, y, ..] = grid[0];
        prop_assert_eq!([x, y], [0.0, 0.0]);
        let [x, y, ..] = grid[grid.len() - 1];
        prop_assert_eq!([x, y], [599.0, 399.0]);
        for [x, y, to_x, to_y] in grid {
            prop_assert_eq!(motion.to_reference(InFrame([x, y])), InReference([to_x, to_y]));
        }
    }

    #[test]
    fn a_lens_images_a_direction_where_it_sees_it(lens in lenses(), at in places()) {
        prop_assert!(distance(lens.project(lens.ray(at)), at) < 1e-6);
        let behind = -lens.ray(at);
        prop_assert!(lens.project(behind).iter().all(|v| v.is_nan()));
    }

    /// Colours are magnified about the middle, along the line to it.
    #[test]
    fn colours_move_towards_or_from_the_middle(
        red in prop::array::uniform2(-0.01f32..0.01), at in places(),
    ) {
        prop_assume!(red != [0.0; 2]);
        let geometry = Geometry::new([0.0; 2], red, [0.0; 2], SIZE).unwrap();
        let middle = [299.5, 199.5];
        let [x, y] = geometry.colour(0, at);
        let (dx, dy) = (at[0] - middle[0], at[1] - middle[1]);
        prop_assert!(((x - middle[0]) * dy - (y - middle[1]) * dx).abs() < 1e-6);
        let r = dx.hypot(dy) / half_diagonal(SIZE);
        let grown = 1.0 + f64::from(red[0]) + f64::from(red[1]) * r * r;
        prop_assert!((distance([x, y], middle) - dx.hypot(dy) * grown).abs() < 1e-6);
        prop_assert_eq!(geometry.colour(1, at), at);
        prop_assert_eq!(geometry.of_green(), None);
    }

    #[test]
    fn light_falls_off_by_the_polynomial(terms in prop::array::uniform3(-0.3f32..0.3), r in 0.0f32..1.0) {
        let [a, b, c] = terms.map(f64::from);
        let r2 = f64::from(r).powi(2);
        let truth = 1.0 + a * r2 + b * r2.powi(2) + c * r2.powi(3);
        prop_assert!((f64::from(falloff(&terms, r * r)) - truth).abs() < 1e-6);
        prop_assert_eq!(falloff(&terms, 0.0), 1.0);
    }

    #[test]
    fn the_median_parts_values_and_sigma_scales(
        mut values in prop::collection::vec(-10.0f32..10.0, 1..60), factor in 0.1f32..8.0,
    ) {
        let middle = median(&mut values.clone());
        let below = values.iter().filter(|v| **v < middle).count();
        let above = values.iter().filter(|v| **v > middle).count();
        prop_assert!(below * 2 <= values.len() && above * 2 <= values.len());
        let sigma = robust_sigma(&values, middle);
        values.iter_mut().for_each(|v| *v *= factor);
        let scaled = robust_sigma(&values, middle * factor);
        prop_assert!((scaled - sigma * factor).abs() <= 1e-4 * scaled.max(1.0));
    }

    /// Cells hold the pixels that they cover, and values of a plane are met between their middles.
    #[test]
    fn cells_cover_the_picture_and_planes_are_met(
        width in 2u32..500, height in 2u32..500, cells in 2u32..40, slope in prop::array::uniform2(-1.0f32..1.0),
    ) {
        let grid = Grid::of((width, height), cells);
        prop_assert!(grid.across.max(grid.down) <= cells as usize);
        let plane = |[x, y]: [f64; 2]| slope[0] * x as f32 + slope[1] * y as f32;
        let values: Vec<f32> = (0..grid.cells()).map(|cell| plane(grid.middle(cell))).collect();
        for cell in 0..grid.cells() {
            prop_assert_eq!(grid.cell(grid.middle(cell)), Some(cell));
        }
        let [low, high] = [grid.middle(0), grid.middle(grid.cells() - 1)];
        let middle = [0.5 * (low[0] + high[0]), 0.5 * (low[1] + high[1])];
        prop_assert!((grid.at(&values, middle) - plane(middle)).abs() < 0.02);
        let region = Region { x: width / 3, y: height / 3, width: width.div_ceil(2).min(width - width / 3), height: 1 };
        let mut laid = vec![];
        grid.lay(region, &values, &mut laid);
        for (x, value) in (region.x..).zip(&laid) {
            let at = grid.at(&values, [f64::from(x), f64::from(region.y)]);
            prop_assert!((value - at).abs() < 1e-3, "{value} for {at} at {x}");
        }
        prop_assert_eq!(grid.cell([-1.0, 0.0]), None);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(24) })]

    /// The kernel's weights sum to one: an even surface stays even under any motion.
    #[test]
    fn an_even_surface_stays_even(motion in motions(), tone in prop::array::uniform3(0.0f32..4.0)) {
        let region = Region { x: 90, y: 40, width: 130, height: 70 };
        let (planes, covered) = resampled(|_, colour| tone[colour], &motion, region);
        for (plane, tone) in planes.iter().zip(tone) {
            for (light, _) in plane.iter().zip(&covered).filter(|(_, covered)| **covered) {
                prop_assert!((light - tone).abs() <= 1e-5 * tone.max(1.0), "{light} for {tone}");
            }
        }
    }

    /// A slope is read where the motion leads, wherever the frame covers it.
    #[test]
    fn a_slope_is_read_where_the_motion_leads(motion in motions()) {
        let slope = |x: f64, y: f64| 0.3 + 0.0007 * x - 0.0004 * y;
        let of = |[x, y]: [u32; 2], _: usize| slope(x.into(), y.into()) as f32;
        let region = Region { x: 200, y: 120, width: 90, height: 60 };
        let (planes, covered) = resampled(of, &motion, region);
        for (i, light) in planes[1].iter().enumerate() {
            let at = [200.0 + (i % 90) as f64, 120.0 + (i / 90) as f64];
            let InFrame([x, y]) = motion.from_reference(InReference(at));
            let within = |v: f64, size: u32| (4.0..f64::from(size) - 5.0).contains(&v);
            if within(x, SIZE.0) && within(y, SIZE.1) {
                prop_assert!(covered[i], "{at:?} lies inside the frame");
                let off = f64::from(*light) - slope(x, y);
                prop_assert!(off.abs() < 5e-5, "{off} at {at:?}");
            }
        }
    }
}

#[test]
fn models_have_the_names_of_reports() {
    let shift = Matrix3::new(1.0, 0.0, 9.5, 0.0, 1.0, -4.0, 0.0, 0.0, 1.0);
    let turned = Matrix3::new(0.99, -0.1, 20.0, 0.1, 0.99, 5.0, 0.0, 0.0, 1.0);
    let tilted = Matrix3::new(0.99, -0.1, 20.0, 0.1, 0.99, 5.0, 1e-6, 0.0, 1.0);
    for (matrix, name) in [(shift, "shift"), (turned, "similarity"), (tilted, "homography")] {
        assert_eq!(Motion::Homography(matrix).model(), name);
    }
    let lens = Lens::plain(900.0, SIZE.0, SIZE.1);
    let camera = Motion::Camera { lens, turn: Rotation3::identity() };
    assert_eq!((Motion::Still.model(), camera.model()), ("still", "camera"));
    assert!(Backward::STILL.is_still() && !camera.backward().is_still());
}

#[test]
fn a_homography_without_inverse_leads_nowhere() {
    let flat = Motion::Homography(Matrix3::new(1.0, 2.0, 0.0, 2.0, 4.0, 0.0, 0.0, 0.0, 1.0));
    let InFrame(at) = flat.from_reference(InReference([10.0, 20.0]));
    assert!(at.iter().all(|v| v.is_nan()), "{at:?}");
}
