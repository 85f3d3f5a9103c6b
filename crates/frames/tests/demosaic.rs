//! Demosaicing against pictures whose colours are known at every pixel.

use jade_frames::demosaic::{Band, MARGIN, Scratch, demosaic, mirrored};
use jade_pixels::mosaic::Pattern;
use jade_plan::Demosaic;
use proptest::prelude::*;

const WAYS: [Demosaic; 2] = [Demosaic::Fast, Demosaic::Fine];

fn patterns() -> [Pattern; 4] {
    [[[0, 1], [1, 2]], [[2, 1], [1, 0]], [[1, 0], [2, 1]], [[1, 2], [0, 1]]]
        .map(|colours| Pattern::new(colours).expect("a pattern of cameras"))
}

/// The colours that a way finds for a picture of `size`, given by its light at a place and colour.
fn colours(
    way: Demosaic,
    pattern: Pattern,
    size: [usize; 2],
    light: impl Fn([f32; 2], usize) -> f32,
) -> Vec<[f32; 3]> {
    let stride = size[0] + 2 * MARGIN;
    let rows = size[1] + 2 * MARGIN;
    let mosaic: Vec<f32> = (0..stride * rows)
        .map(|i| {
            let (x, y) = (i % stride, i / stride);
            let colour = pattern.colour(x as u32, y as u32);
            light([x as f32 - MARGIN as f32, y as f32 - MARGIN as f32], colour)
        })
        .collect();
    let band = Band { size, light: &mosaic, pattern };
    let mut out = vec![0.0; size[0] * size[1] * 3];
    demosaic(&band, way, &mut Scratch::default(), &mut out);
    out.as_chunks::<3>().0.to_vec()
}

/// Root mean square distance between colours found and the truth.
fn rms(found: &[[f32; 3]], width: usize, truth: impl Fn([f32; 2], usize) -> f32) -> f32 {
    let square = |(i, pixel): (usize, &[f32; 3])| {
        let at = [(i % width) as f32, (i / width) as f32];
        (0..3).map(|colour| (pixel[colour] - truth(at, colour)).powi(2)).sum::<f32>()
    };
    let sum: f32 = found.iter().enumerate().map(square).sum();
    (sum / (3 * found.len()) as f32).sqrt()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]

    #[test]
    fn an_even_surface_keeps_its_colour(
        colour in prop::array::uniform3(0.0f32..2.0), width in 2usize..40, height in 2usize..30,
    ) {
        for way in WAYS {
            for pattern in patterns() {
                for found in colours(way, pattern, [width, height], |_, c| colour[c]) {
                    for c in 0..3 {
                        prop_assert!((found[c] - colour[c]).abs() < 1e-5, "{way:?}: {found:?}");
                    }
                }
            }
        }
    }

    /// Light that rises evenly, in all colours alike, is met exactly by both ways.
    #[test]
    fn a_slope_is_followed(
        slope in prop::array::uniform2(-0.004f32..0.004), tone in prop::array::uniform3(-0.1f32..0.1),
    ) {
        let light = |[x, y]: [f32; 2], c: usize| 0.5 + slope[0] * x + slope[1] * y + tone[c];
        for way in WAYS {
            for pattern in patterns() {
                let found = colours(way, pattern, [30, 22], light);
                let off = rms(&found, 30, light);
                prop_assert!(off < 1e-4, "{way:?} is {off} off");
            }
        }
    }

    /// Light and result scale together.
    #[test]
    fn twice_the_light_gives_twice_the_colours(seed in any::<u32>()) {
        let rough = |[x, y]: [f32; 2], c: usize| {
            let place = (x as i32 as u32).wrapping_mul(73) ^ (y as i32 as u32).wrapping_mul(9781);
            let hash = (place ^ seed ^ c as u32).wrapping_mul(2_654_435_761);
            0.1 + (hash >> 16) as f32 / 65_536.0
        };
        for way in WAYS {
            let once = colours(way, Pattern::RGGB, [26, 18], rough);
            let twice = colours(way, Pattern::RGGB, [26, 18], |at, c| 2.0 * rough(at, c));
            for (one, two) in once.iter().zip(&twice) {
                for c in 0..3 {
                    prop_assert!((2.0 * one[c] - two[c]).abs() < 1e-4, "{way:?}");
                }
            }
        }
    }

    /// A band alone has the colours that it has within a larger one.
    #[test]
    fn bands_fit_together(x in 0usize..20, y in 0usize..12, seed in any::<u32>()) {
        let wave = |[x, y]: [f32; 2], c: usize| {
            0.5 + 0.2 * (x / 2.9 + c as f32).sin() * (y / 3.7 + seed as f32 % 7.0).cos()
        };
        // A step of two keeps the pattern.
        let (x, y) = (2 * x, 2 * y);
        for way in WAYS {
            let whole = colours(way, Pattern::RGGB, [64, 48], wave);
            let moved = |[u, v]: [f32; 2], c| wave([u + x as f32, v + y as f32], c);
            let part = colours(way, Pattern::RGGB, [18, 14], moved);
            for (i, found) in part.iter().enumerate() {
                let there = whole[(y + i / 18) * 64 + x + i % 18];
                prop_assert_eq!(*found, there, "{:?} at {}", way, i);
            }
        }
    }
}

/// Every recorded photosite keeps its value in its own colour.
#[test]
fn what_was_recorded_stays() {
    let light = |[x, y]: [f32; 2], c: usize| 0.4 + 0.3 * (0.9 * x + 0.4 * y + c as f32).sin();
    for pattern in patterns() {
        for way in WAYS {
            let found = colours(way, pattern, [32, 24], light);
            for (i, pixel) in found.iter().enumerate() {
                let (x, y) = (i % 32, i / 32);
                let colour = pattern.colour((x + MARGIN) as u32, (y + MARGIN) as u32);
                let recorded = light([x as f32, y as f32], colour);
                assert!((pixel[colour] - recorded).abs() < 1e-5, "{way:?} at {x}, {y}: {pixel:?}");
            }
        }
    }
}

/// At edges along rows and columns, and at most others, the fine way is much nearer to the truth
/// than the fast one; along the diagonal neither way has an advantage.
#[test]
fn edges_are_finer_by_the_fine_way() {
    for (degrees, share) in
        [(0.0f32, 0.5), (12.0, 0.75), (30.0, 1.0), (45.0, 1.1), (63.0, 1.0), (90.0, 0.5)]
    {
        let (sine, cosine) = degrees.to_radians().sin_cos();
        // A grey edge, one pixel and a half wide, as a lens images it.
        let edge = |[x, y]: [f32; 2], _: usize| {
            let off = (x - 31.3) * cosine + (y - 24.6) * sine;
            0.1 + 0.6 / (1.0 + (-2.2 * off).exp())
        };
        for pattern in patterns() {
            let [fast, fine] =
                WAYS.map(|way| rms(&colours(way, pattern, [64, 48], edge), 64, edge));
            assert!(fine < share * fast, "at {degrees} degrees: fine {fine}, fast {fast}");
            assert!(fine < 0.02, "at {degrees} degrees: {fine}");
        }
    }
}

#[test]
fn places_beyond_an_edge_are_mirrored_within_the_same_colour() {
    for count in [2usize, 5, 8, 31] {
        for place in -40isize..80 {
            let inside = mirrored(place, count);
            assert!(inside < count, "{place} of {count}");
            assert_eq!(inside % 2, place.rem_euclid(2) as usize, "{place} of {count}");
            if (0..count as isize).contains(&place) {
                assert_eq!(inside, place as usize);
            }
        }
    }
    assert_eq!([-1, -2, 8, 9].map(|place| mirrored(place, 8)), [1, 2, 6, 5]);
}
