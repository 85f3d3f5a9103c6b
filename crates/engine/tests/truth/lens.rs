//! Flaws of a lens: found from stars and flats, and undone, against the lens that drew them.

use crate::shoot::truth::furthest;
use crate::shoot::{Shoot, input, pixels, plan};
use jade_align::stars;
use jade_engine as engine;
use jade_engine::Budget;
use jade_frames::lens::{self, Corrected};
use jade_frames::{Frame, FrameInput};
use jade_optics::combined::Combined;
use jade_optics::light::Light;
use jade_pixels::tiled::{Region, TiledFile};
use jade_pixels::write::write_mosaic;
use jade_plan::progress::Unwatched;
use jade_plan::{AlignMode, Edges, LensPlan, Method};
use jade_scenes::night_sky::{NightSky, Options};

const SIZE: (u32, u32) = (1500, 1000);
const FRINGES: [f64; 2] = [0.0009, -0.0006];

fn sky(frames: u32, seed: u64) -> NightSky {
    let (width, height) = SIZE;
    let options = Options { frames, darks: 0, width, height, seed, deflate: false };
    NightSky::new(options).unwrap().with_fringes(FRINGES)
}

fn found(shoot: &Shoot, frames: &[FrameInput]) -> engine::LensFound {
    let budget = Budget::new(Some(256), Some(2)).unwrap();
    let known = LensPlan::default();
    engine::lens_of_stars(frames, known, &shoot.cache(), budget, &Unwatched).unwrap()
}

/// What the lens that drew a scene is in our terms, by a fit to where it draws things.
fn truth(scene: &NightSky) -> LensPlan {
    let half = jade_optics::lens::half_diagonal(SIZE);
    let middle = [SIZE.0, SIZE.1].map(|v| (f64::from(v) - 1.0) / 2.0);
    let (mut left, mut right) = (nalgebra::Matrix2::zeros(), nalgebra::Vector2::zeros());
    for i in 1..=100 {
        let r = f64::from(i) / 100.0;
        let along = |axis: usize| middle[axis] * (1.0 + r);
        let [x, y] = scene.straightened([along(0), along(1)]);
        let straight = (x - middle[0]).hypot(y - middle[1]) / half;
        let row = nalgebra::Vector2::new(r.powi(3), r.powi(5));
        left += row * row.transpose();
        right += row * (straight - r);
    }
    let fit = left.try_inverse().unwrap() * right;
    let [red, blue] = FRINGES.map(|share| [share as f32, 0.0]);
    LensPlan { distortion: [fit[0] as f32, fit[1] as f32], red, blue, ..LensPlan::default() }
}

/// Where the colours of a picture's stars lie.
fn colour_offsets(light: &dyn Light) -> Vec<lens::ColourOffsets> {
    let list = stars::find(light, &|| false).unwrap().stars;
    let samples = |region: Region| {
        let planes = light.planes(region)?;
        let place = |i: usize| {
            let (x, y) = (i as u32 % region.width + region.x, i as u32 / region.width + region.y);
            [f64::from(x), f64::from(y)]
        };
        Ok(planes.map(|plane| {
            let values = plane.into_iter().enumerate();
            values.map(|(i, v)| [place(i)[0], place(i)[1], f64::from(v)]).collect()
        }))
    };
    lens::colour_offsets(light.size(), &list, &samples).unwrap()
}

/// How far red and blue of a picture's stars lie beside their green at its corners, in pixels.
fn apart(light: &dyn Light) -> [f64; 2] {
    lens::lateral_colour(&colour_offsets(light), SIZE).unwrap().map(|colour| colour.corner_px)
}

#[test]
fn lateral_colour_of_raw_frames_is_that_of_the_camera() {
    let shoot = Shoot::new();
    let scene = sky(8, 12).with_fringes([0.0026, -0.0018]);
    scene.write_raw(shoot.folder.path(), 0, 0, |_, _| true).unwrap();
    let mut frames: Vec<FrameInput> =
        (1..=8).map(|i| input(&shoot.path(&format!("f0{i}.dng")))).collect();
    let found = found(&shoot, &frames);
    let half = jade_optics::lens::half_diagonal(SIZE);
    let said = [0.0026, -0.0018].map(|share: f64| share * half);
    let colours = found.colour_px.unwrap();
    println!("found {colours:?} ± {:?}, truth {said:?}", found.colour_error_px.unwrap());
    for (colour, said) in colours.iter().zip(said) {
        assert!((f64::from(*colour) - said).abs() < 0.06 * said.abs(), "{colour} for {said}");
    }
    let seen = |frames: &[FrameInput]| {
        let all = frames.iter().flat_map(|frame| {
            let frame = Frame::load(frame, &mut || Ok(())).unwrap();
            colour_offsets(&Corrected(&frame))
        });
        let said = lens::lateral_colour(&all.collect::<Vec<_>>(), SIZE).unwrap();
        said.map(|colour| colour.corner_px)
    };
    let before = seen(&frames);
    let lens = LensPlan { distortion: [0.0; 2], ..found.lens };
    frames.iter_mut().for_each(|frame| frame.prepare.lens = lens);
    let after = seen(&frames);
    println!("red and blue {before:?} px beside green, {after:?} px after");
    for (before, after) in before.iter().zip(after) {
        assert!(after.abs() < 0.2 * before.abs(), "{after} of {before}");
    }
    // Whatever part is read, it is the same light.
    let frame = Frame::load(&frames[0], &mut || Ok(())).unwrap();
    let whole = Region { x: 1200, y: 700, width: 300, height: 300 };
    let light = frame.planes(whole).unwrap();
    for (x, y) in [(1200, 700), (1301, 833), (1399, 900)] {
        let part = Region { x, y, width: 101, height: 97 };
        for (plane, whole_plane) in frame.planes(part).unwrap().iter().zip(&light) {
            for (i, value) in plane.iter().enumerate() {
                let at = ((y - 700) as usize + i / 101) * 300 + (x - 1200) as usize + i % 101;
                let off = (value - whole_plane[at]).abs();
                assert!(off < 1e-5, "off by {off} at {} of {part:?}", i);
            }
        }
    }
}

#[test]
fn distortion_and_lateral_colour_are_found_from_the_stars() {
    for seed in 5..7 {
        let shoot = Shoot::new();
        let scene = sky(24, seed);
        let found = found(&shoot, &shoot.hold(&scene));
        assert_eq!(found.missing, Vec::<String>::new());
        let half = jade_optics::lens::half_diagonal(SIZE);
        let [corner, error] = found.distortion_px.unwrap();
        let off = furthest(&scene, &found.lens);
        println!("seed {seed}: {corner} px ± {error}, off by {off}");
        assert!(corner < -10.0, "such a lens draws its corners inward: {corner}");
        assert!(off < 1.2 && off < 4.0 * f64::from(error), "off by {off} of ± {error}");
        let colours = found.colour_px.unwrap();
        for ((colour, error), share) in
            colours.iter().zip(found.colour_error_px.unwrap()).zip(FRINGES)
        {
            let said = share * half;
            println!("seed {seed}: colour {colour} ± {error}, truth {said}");
            let off = (f64::from(*colour) - said).abs();
            assert!(off < 0.05, "{colour} px where it is {said}");
        }
    }
}

#[test]
fn frames_between_which_the_sky_hardly_turned_do_not_tell_distortion() {
    let shoot = Shoot::new();
    let found = found(&shoot, &shoot.hold(&sky(3, 7)));
    assert_eq!(found.distortion_px, None);
    assert_eq!(found.lens.distortion, [0.0; 2]);
    assert!(found.missing[0].starts_with("Distortion: "), "{:?}", found.missing);
    assert!(found.colour_px.is_some(), "colours are told by single frames");
}

#[test]
fn a_stack_through_a_known_lens_is_straight_and_without_fringes() {
    let shoot = Shoot::new();
    let scene = sky(5, 8);
    let mut frames = shoot.hold(&scene);
    let plan = plan(AlignMode::Stars, Method::Mean, Edges::Keep);
    let bent = shoot.stack(&frames, &plan).unwrap();
    let known = truth(&scene);
    assert!(furthest(&scene, &known) < 0.1, "the fit is the lens");
    frames.iter_mut().for_each(|frame| frame.prepare.lens = known);
    let straight = shoot.stack(&frames, &plan).unwrap();
    assert!(straight.report.frames.iter().all(|frame| frame.used));

    let open = |outcome: &engine::Outcome| Combined(TiledFile::open(&outcome.picture).unwrap());
    let beside = |outcome: &engine::Outcome, place: &dyn Fn([f64; 2]) -> [f64; 2]| {
        let list = stars::find(&open(outcome), &|| false).unwrap().stars;
        let mut off: Vec<f64> = Vec::new();
        for star in scene.stars().iter().filter(|s| !s.hidden && (0.1..0.6).contains(&s.peak)) {
            let [x, y] = place([star.x, star.y]);
            let far = |s: &jade_optics::star::Star| (s.x - x).hypot(s.y - y);
            off.extend(list.iter().map(far).filter(|d| *d < 1.5).reduce(f64::min));
        }
        assert!(off.len() > 60, "{} stars", off.len());
        off.sort_by(f64::total_cmp);
        off[off.len() / 2]
    };
    let before = beside(&bent, &|at| at);
    let after = beside(&straight, &|at| scene.straightened(at));
    println!("stars lie {before:.4} px from where they are, {after:.4} px straightened");
    assert!(after < before + 0.02, "{before} {after}");

    let ([red, blue], [r, b]) = (apart(&open(&bent)), apart(&open(&straight)));
    println!("red and blue {red:.3} {blue:.3} px beside green before, {r:.3} {b:.3} after");
    assert!(red > 0.6 && blue < -0.4);
    assert!(r.abs() < 0.04 && b.abs() < 0.04, "{r} {b}");

    // Resampled once: stars are hardly wider than those of the stack that was left bent.
    let widths = [&bent, &straight].map(|outcome| outcome.report.star_width_px().unwrap());
    println!("stars {} px wide, {} straightened", widths[0], widths[1]);
    let stretch = 1.0 + 3.0 * known.distortion[0].abs();
    assert!(widths[1] < widths[0] * stretch, "{widths:?}");
}

#[test]
fn what_a_straightened_frame_does_not_cover_is_cut_off() {
    let shoot = Shoot::new();
    let scene = sky(2, 9);
    let mut frames = shoot.hold(&scene);
    // Straightening a lens that draws its corners outward pulls them in.
    let lens = LensPlan { distortion: [-0.04, 0.0], ..LensPlan::default() };
    frames.iter_mut().for_each(|frame| frame.prepare.lens = lens);
    let plan = plan(AlignMode::None, Method::Mean, Edges::Trim);
    let outcome = shoot.stack(&frames, &plan).unwrap();
    let [width, height] = outcome.report.size;
    assert!((1300..1460).contains(&width) && (900..980).contains(&height), "{width} x {height}");
    // The middle lies where it lay.
    let geometry = lens.geometry(SIZE).unwrap();
    let frame = Frame::load(&frames[0], &mut || Ok(())).unwrap();
    let (columns, light) = pixels(&outcome);
    let [x0, y0] = outcome.report.origin;
    let at = Region { x: 700, y: 450, width: 100, height: 100 };
    let seen = Corrected(&frame).planes(at).unwrap();
    assert_eq!(geometry.shifted(at, SIZE), at);
    let second = Frame::load(&frames[1], &mut || Ok(())).unwrap();
    let other = Corrected(&second).planes(at).unwrap();
    for (i, (a, b)) in seen[1].iter().zip(&other[1]).enumerate() {
        let (x, y) = (700 - x0 as usize + i % 100, 450 - y0 as usize + i / 100);
        let there = light[(y * columns + x) * 3 + 1];
        assert!((there - (a + b) / 2.0).abs() < 1e-5, "{there} at {x} {y}");
    }
}

#[test]
fn shading_is_found_from_a_flat_and_given_back() {
    let shoot = Shoot::new();
    let scene = sky(2, 10);
    let path = shoot.path("flat.dng");
    write_mosaic(&path, &scene.raw_flat(0), &scene.raw_facts(0, 0.02)).unwrap();
    let flat = input(&path);
    let budget = Budget::new(Some(256), Some(2)).unwrap();
    let known = LensPlan::default();
    let of = |flats: &[FrameInput]| {
        engine::lens_of_flats(flats, known, &shoot.cache(), budget, &Unwatched)
    };
    let found = of(std::slice::from_ref(&flat)).unwrap();
    let corner = found.corner_light.unwrap();
    assert!((corner - 0.62).abs() < 0.01, "{corner} of the light reaches the corners");
    let mut shaded = flat.clone();
    shaded.prepare.lens = found.lens;
    let frame = Frame::load(&shaded, &mut || Ok(())).unwrap();
    let mean = |x: u32, y: u32| {
        let square = Region { x, y, width: 60, height: 60 };
        let values = frame.mean(square).unwrap();
        values.iter().sum::<f32>() / values.len() as f32
    };
    let middle = mean(720, 470);
    for (x, y) in [(0, 0), (1440, 0), (0, 940), (1440, 940), (720, 0), (0, 470)] {
        let share = mean(x, y) / middle;
        assert!((share - 1.0).abs() < 0.03, "{share} at {x} {y}");
    }
    let other = shoot.hold(&sky(2, 11));
    let said = of(&other).unwrap_err().to_string();
    assert!(said.contains("no evenly lit surface"), "{said}");
    assert!(of(&[]).is_err());
}
