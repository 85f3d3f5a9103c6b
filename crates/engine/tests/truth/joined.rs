//! Sky and ground that are combined apart and joined, against the truth of simulated scenes.

use crate::shoot::joined::{band, behind, detail, noise, squares};
use crate::shoot::truth::overlap;
use crate::shoot::{Shoot, light, linear, masked, pixels, plan};
use jade_engine::SkylineInputs;
use jade_frames::cache::LayerKind;
use jade_optics::space::{InFrame, InReference};
use jade_pixels::tiled::TiledFile;
use jade_plan::{AlignMode, Edges, GroundFrom, Method, SkylineMode};
use jade_scenes::night_sky::{Land, NightSky, Options};

const FRAMES: u32 = 8;
const REFERENCE: usize = 4;

fn scene(land: Land, seed: u64) -> NightSky {
    let options =
        Options { frames: FRAMES, darks: 0, width: 900, height: 600, seed, deflate: false };
    NightSky::over(land, options, None).unwrap()
}

#[test]
fn near_the_skyline_the_picture_is_as_near_the_truth_as_the_better_stack() {
    for land in [Land::Hills, Land::Pylon, Land::Lamps, Land::Moonlit] {
        let (shoot, scene) = (Shoot::new(), scene(land, 7));
        let frames = shoot.hold(&scene);
        let combined = |mode| {
            let plan = plan(mode, Method::Clipped, Edges::Keep);
            pixels(&shoot.stack_on(&frames, Some(REFERENCE), &plan).unwrap())
        };
        let ((width, aligned), (_, unaligned)) =
            (combined(AlignMode::Stars), combined(AlignMode::None));
        let (truth, sky) = (linear(&scene.clean_reference()), scene.sky_mask());
        let near = band(sky, width);
        let [one, other] = [&aligned, &unaligned].map(|light| squares(light, &truth));
        let behind =
            |joined: &[f32]| behind(&squares(joined, &truth), [&one, &other], &near, width);
        // Where it is found, and where it is given.
        let mut plan = plan(AlignMode::Stars, Method::Clipped, Edges::Keep);
        plan.skyline.mode = SkylineMode::Auto;
        let (_, found) = pixels(&shoot.stack_on(&frames, Some(REFERENCE), &plan).unwrap());
        let mask = shoot.path("truth/sky-mask.png");
        let skyline_inputs = SkylineInputs { mask: Some(&mask), ..SkylineInputs::default() };
        let plan = masked(Method::Clipped, &mask);
        let made = shoot.stack_beside(&frames, REFERENCE, &plan, skyline_inputs).unwrap();
        let (_, joined) = pixels(&made);
        for (what, behind) in [("found", behind(&found)), ("given", behind(&joined))] {
            assert!(behind < 0.5, "{}, {what}: {behind:.2} dB behind", land.name());
        }
        // Away from it each side is as clean and as sharp as it can be.
        let single = light(&frames[REFERENCE]);
        let gain = |counts: &dyn Fn(usize) -> bool| {
            noise(&single, &truth, counts) / noise(&joined, &truth, counts)
        };
        let ideal = (FRAMES as f32).sqrt();
        let above = gain(&|i| sky[i] >= 1.0 && !near[i]) / ideal;
        let below = gain(&|i| sky[i] <= 0.0 && !near[i]) / ideal;
        assert!(above > 0.95 && below > 0.95, "{}: {above:.3}, {below:.3}", land.name());
        let kept = detail(&joined, &truth, sky, width);
        assert!(kept > 0.97, "{}: {kept:.3} of the detail", land.name());
        let report = made.report.skyline().unwrap();
        let share = sky.iter().sum::<f32>() / sky.len() as f32;
        assert!((report.sky - share).abs() < 0.003);
        let said = report.ground_noise.unwrap();
        assert!(said.gain > 0.9 * said.ideal_gain, "{said:?}");
    }
}

#[test]
fn layers_are_kept_apart_and_give_the_picture_again() {
    let (shoot, scene) = (Shoot::new(), scene(Land::Branches, 3));
    let frames = shoot.hold(&scene);
    for method in [Method::Mean, Method::Clipped] {
        let mut plan = plan(AlignMode::Stars, method, Edges::Trim);
        plan.skyline.mode = SkylineMode::Auto;
        plan.skyline.ground.method = method;
        let made = shoot.stack_on(&frames, Some(REFERENCE), &plan).unwrap();
        let (columns, joined) = pixels(&made);
        let mask = shoot.mask_of(&made);
        let layer = |kind| {
            let path = shoot.cache().layer(&made.key, kind);
            let file = TiledFile::<f32>::open(&path).unwrap();
            let (width, height) = (file.width(), file.height());
            assert_eq!(width as usize, columns);
            file.read_region(jade_pixels::tiled::Region { x: 0, y: 0, width, height }).unwrap()
        };
        let (sky, ground) = (layer(LayerKind::Sky), layer(LayerKind::Ground));
        let (mut off, mut count) = (0.0f64, 0.0);
        for (i, share) in mask.iter().enumerate() {
            let share = f32::from(*share) / 255.0;
            for c in 0..3 {
                let (sky, ground) = (sky[i * 3 + c], ground[i * 3 + c]);
                assert!(sky.is_finite() && ground.is_finite());
                let again = share * sky + (1.0 - share) * ground;
                off += f64::from(again - joined[i * 3 + c]).powi(2);
                count += 1.0;
            }
        }
        let off = (off / count).sqrt();
        assert!(off < 2e-3, "{method:?}: {off}");
        assert!(overlap(&mask, &cropped(&scene, made.report.origin, made.report.size)) > 0.9);
    }
}

/// The true mask of a part of the reference frame.
fn cropped(scene: &NightSky, [x, y]: [u32; 2], [width, height]: [u32; 2]) -> Vec<f32> {
    let columns = scene.options().width as usize;
    let rows = y as usize..(y + height) as usize;
    let row = |row: usize| row * columns + x as usize..row * columns + (x + width) as usize;
    rows.flat_map(|y| scene.sky_mask()[row(y)].to_vec()).collect()
}

#[test]
fn the_ground_of_another_set_is_placed_matched_and_taken() {
    let (shoot, scene) = (Shoot::new(), scene(Land::Roofs, 5));
    let frames = shoot.hold(&scene);
    // The same ground, twice as bright, from a camera that was nudged by a few pixels.
    let (width, height) = (900usize, 600usize);
    let clean = scene.clean_reference();
    let nudged = |by: usize| -> Vec<u16> {
        let at = |x: usize, y: usize| (y.min(height - 1) * width + x.min(width - 1)) * 3;
        let pixel = |i: usize| {
            let from = at(i % width + by, i / width + 2);
            [0, 1, 2].map(|c| (f32::from(clean[from + c]) * 1.35).min(65535.0) as u16)
        };
        (0..width * height).flat_map(pixel).collect()
    };
    let ground: Vec<_> =
        [4, 5].map(|by| shoot.save(&format!("g{by}.tif"), (900, 600), &nudged(by))).into();
    let mask = shoot.path("truth/sky-mask.png");
    let mut plan = masked(Method::Mean, &mask);
    plan.skyline.ground.from = GroundFrom::Set { set: 0 };
    let truth = linear(&clean);
    let sky = scene.sky_mask();
    let mut made = |matched: f32| {
        plan.skyline.ground.matched = matched;
        let skyline_inputs = SkylineInputs { mask: Some(&mask), ground: &ground };
        let made = shoot.stack_beside(&frames, REFERENCE, &plan, skyline_inputs).unwrap();
        (pixels(&made).1, made.report.skyline().unwrap().clone())
    };
    let level = |light: &[f32]| {
        let ground_places = (0..sky.len()).filter(|&i| sky[i] <= 0.0);
        ground_places.map(|i| f64::from(light[i * 3 + 1])).sum::<f64>()
    };
    let (bright, report) = made(0.0);
    assert_eq!((report.ground_frames, report.ground_gain), (2, [1.0; 3]));
    assert!(level(&bright) > 1.3 * level(&truth));
    let (alike, report) = made(1.0);
    assert!(report.ground_gain.iter().all(|gain| (0.4..0.8).contains(gain)), "{report:?}");
    let ratio = level(&alike) / level(&truth);
    assert!((ratio - 1.0).abs() < 0.12, "{ratio}");
    // Placed where it belongs: its detail is that of the reference frame.
    let kept = detail(&alike, &truth, sky, width);
    assert!((0.8..1.2).contains(&kept), "{kept}");
}

#[test]
fn lights_outside_a_loaded_mask_have_no_say_in_the_alignment() {
    // The water mirrors the stars, and they go another way.
    let (shoot, scene) = (Shoot::new(), scene(Land::Water, 3));
    let frames = shoot.hold(&scene);
    let mask = shoot.path("truth/sky-mask.png");
    let plan = masked(Method::Mean, &mask);
    let skyline_inputs = SkylineInputs { mask: Some(&mask), ..SkylineInputs::default() };
    let of_sky = shoot.stack_beside(&frames, REFERENCE, &plan, skyline_inputs).unwrap().report;
    let plan = self::plan(AlignMode::Stars, Method::Mean, Edges::Keep);
    let of_all = shoot.stack_on(&frames, Some(REFERENCE), &plan).unwrap().report;
    for (i, (sky, all)) in of_sky.frames.iter().zip(&of_all.frames).enumerate() {
        assert!(sky.used, "{:?}", sky.reason);
        let (sky_stars, all_stars) = (sky.stars.unwrap(), all.stars.unwrap());
        assert!(sky_stars < all_stars, "{sky_stars} of {all_stars} in frame {i}");
        let at = [450.0, 120.0];
        let there = scene.from_reference(i as u32, at).unwrap();
        let InReference(back) = sky.motion.as_ref().unwrap().to_reference(InFrame(there));
        let off = (back[0] - at[0]).hypot(back[1] - at[1]);
        assert!(off < 0.15, "{off} px in frame {i}");
    }
}

#[test]
fn what_cannot_be_joined_is_refused_with_a_way_on() {
    let (shoot, scene) = (Shoot::new(), scene(Land::Hills, 2));
    let frames = shoot.hold(&scene);
    let mask = shoot.path("truth/sky-mask.png");
    let plan = masked(Method::Clipped, &mask);
    let said = |plan, mask, ground: &[_]| {
        let skyline_inputs = SkylineInputs { mask, ground };
        shoot.stack_beside(&frames, REFERENCE, plan, skyline_inputs).err().unwrap().to_string()
    };
    let small = shoot.path("small.png");
    jade_combine::mask::Mask::new((30, 20), vec![255; 600])
        .write(&small, jade_pixels::write::Target::Png { sixteen_bit: true })
        .unwrap();
    let other = said(&plan, Some(&small), &[]);
    assert!(other.contains("30 x 20 pixels and the frames 900 x 600"), "{other}");
    let gone = said(&plan, None, &[]);
    assert!(gone.contains("load it again"), "{gone}");
    let mut set = plan.clone();
    set.skyline.ground.from = GroundFrom::Set { set: 0 };
    let none = said(&set, Some(&mask), &[]);
    assert!(none.contains("add a ground set"), "{none}");
    let mut frame = plan.clone();
    frame.skyline.ground.from = GroundFrom::Frame { blake3: "none".into() };
    let unknown = said(&frame, Some(&mask), &[]);
    assert!(unknown.contains("choose another for the ground"), "{unknown}");
    let mut unaligned = plan.clone();
    unaligned.align.mode = AlignMode::None;
    let unaligned = said(&unaligned, Some(&mask), &[]);
    assert!(unaligned.contains("aligned on the stars"), "{unaligned}");
}
