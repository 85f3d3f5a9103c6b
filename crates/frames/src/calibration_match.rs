//! Matches calibration frames to lights.

use crate::exposure;
use jade_pixels::facts::Facts;
use jade_plan::FrameRole;

/// A calibration frame or light: its name and the facts of its file.
pub type Named<'a> = (&'a str, &'a Facts);

/// The indices of the frames that calibrate `light`: darks of the same exposure, or any darks of
/// the same ISO where biases allow scaling them; biases of the same ISO; flats through the same
/// lens. A fact that a file does not hold does not exclude it.
///
/// # Errors
/// One sentence when there are frames, and none of them matches.
pub fn fitting(
    shows: FrameRole,
    frames: &[Named],
    light: Named,
    scaled: bool,
) -> Result<Vec<usize>, String> {
    let (name, light) = light;
    let where_it = |fits: &dyn Fn(&Facts) -> bool| -> Vec<usize> {
        (0..frames.len()).filter(|&i| fits(frames[i].1)).collect()
    };
    let alike = |facts: &Facts| known_equal(facts.iso, light.iso);
    let exposed = |facts: &Facts| alike(facts) && near(facts.exposure_s, light.exposure_s);
    let through = |facts: &Facts| near(facts.focal_mm, light.focal_mm);
    let open = |facts: &Facts| through(facts) && near(facts.aperture, light.aperture);
    let best = match shows {
        FrameRole::Dark => [where_it(&exposed), if scaled { where_it(&alike) } else { vec![] }],
        FrameRole::Bias => [where_it(&alike), vec![]],
        FrameRole::Flat => [where_it(&open), where_it(&through)],
    };
    if let Some(found) = best.into_iter().find(|found| !found.is_empty()) {
        return Ok(found);
    }
    let Some((first, facts)) = frames.first() else { return Ok(vec![]) };
    let kind = shows.name();
    let said = |facts: &Facts| match shows {
        FrameRole::Flat => facts.focal_mm.map(|mm| format!("taken at {mm:.0} mm")),
        _ => Some(exposure::setting(facts).trim_end_matches(", "))
            .filter(|said| !said.is_empty())
            .map(|said| format!("exposed {said}")),
    };
    let was = |facts: &Facts| said(facts).unwrap_or_else(|| "taken otherwise".to_owned());
    let remedy = match shows {
        FrameRole::Dark if frames.iter().any(|(_, facts)| alike(facts)) => {
            "take darks exposed like the lights, add bias frames so that these can be scaled, or leave them out"
        }
        FrameRole::Dark | FrameRole::Bias => {
            "take some at the ISO of the lights, or leave these out"
        }
        FrameRole::Flat => "take flats at the focal length of the lights, or leave these out",
    };
    Err(format!(
        "{first}: the {kind} frames were {}, and {name} was {}; {remedy}.",
        was(facts),
        was(light)
    ))
}

/// The indices of the frames that calibrate all `lights`, as [`fitting`] finds them for one.
///
/// # Errors
/// One sentence when none matches some light, or different frames match different lights.
pub fn fitting_all(
    shows: FrameRole,
    frames: &[Named],
    lights: &[Named],
    scaled: bool,
) -> Result<Vec<usize>, String> {
    let Some(first) = lights.first() else { return Ok((0..frames.len()).collect()) };
    let found = fitting(shows, frames, *first, scaled)?;
    for light in lights {
        // Scaled darks are scaled for each light separately.
        if fitting(shows, frames, *light, scaled)? != found && !(scaled && shows == FrameRole::Dark)
        {
            return Err(format!(
                "{} and {} were taken otherwise, and other {} frames fit them; stack one set of frames, or leave these out.",
                first.0,
                light.0,
                shows.name()
            ));
        }
    }
    Ok(found)
}

fn known_equal(a: Option<u32>, b: Option<u32>) -> bool {
    a.zip(b).is_none_or(|(a, b)| a == b)
}

/// Within a twentieth, as cameras round times and lengths.
fn near(a: Option<f64>, b: Option<f64>) -> bool {
    a.zip(b).is_none_or(|(a, b)| (a - b).abs() <= 0.05 * a.abs().max(b.abs()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_pixels::facts::FileFormat;

    fn facts(exposure_s: f64, iso: u32) -> Facts {
        let bare = Facts::bare(FileFormat::Raw, 300, 200, 14);
        Facts { exposure_s: Some(exposure_s), iso: Some(iso), focal_mm: Some(20.0), ..bare }
    }

    fn of(
        shows: FrameRole,
        frames: &[Facts],
        light: &Facts,
        scaled: bool,
    ) -> Result<Vec<usize>, String> {
        let named: Vec<Named> = frames.iter().map(|facts| ("d1.dng", facts)).collect();
        fitting(shows, &named, ("f1.dng", light), scaled)
    }

    #[test]
    fn darks_of_the_lights_exposure_are_taken_and_others_left() {
        let darks = [facts(8.0, 6400), facts(120.0, 800), facts(8.1, 6400)];
        assert_eq!(of(FrameRole::Dark, &darks, &facts(8.0, 6400), false), Ok(vec![0, 2]));
        assert_eq!(of(FrameRole::Dark, &darks, &facts(120.0, 800), true), Ok(vec![1]));
    }

    #[test]
    fn darks_of_another_exposure_need_biases() {
        let darks = [facts(60.0, 6400)];
        assert_eq!(of(FrameRole::Dark, &darks, &facts(8.0, 6400), true), Ok(vec![0]));
        let said = of(FrameRole::Dark, &darks, &facts(8.0, 6400), false).unwrap_err();
        assert_eq!(
            said,
            "d1.dng: the dark frames were exposed 60 s at ISO 6400, and f1.dng was exposed 8 s at ISO 6400; take darks exposed like the lights, add bias frames so that these can be scaled, or leave them out."
        );
    }

    #[test]
    fn darks_of_another_iso_are_refused_with_or_without_biases() {
        for scaled in [false, true] {
            let said =
                of(FrameRole::Dark, &[facts(8.0, 800)], &facts(8.0, 6400), scaled).unwrap_err();
            assert!(said.contains("at the ISO of the lights"), "{said}");
        }
        assert!(of(FrameRole::Bias, &[facts(1e-4, 800)], &facts(8.0, 6400), false).is_err());
    }

    #[test]
    fn lights_that_were_exposed_otherwise_are_not_calibrated_alike() {
        let darks = [facts(8.0, 6400), facts(120.0, 800)];
        let darks: Vec<Named> = darks.iter().map(|facts| ("d1.dng", facts)).collect();
        let (sky, ground) = (facts(8.0, 6400), facts(120.0, 800));
        let of = |shows, lights: &[Named], scaled| fitting_all(shows, &darks, lights, scaled);
        let alike = [("f1.dng", &sky), ("f2.dng", &sky)];
        let mixed = [("f1.dng", &sky), ("g1.dng", &ground)];
        assert_eq!(of(FrameRole::Dark, &alike, false), Ok(vec![0]));
        let said = of(FrameRole::Dark, &mixed, false).unwrap_err();
        assert!(said.starts_with("f1.dng and g1.dng were taken otherwise"), "{said}");
        assert!(of(FrameRole::Dark, &[("f1.dng", &facts(9.0, 100))], true).is_err());
        let longer = facts(30.0, 6400);
        let scaled = [("f1.dng", &sky), ("f2.dng", &longer)];
        assert_eq!(of(FrameRole::Dark, &scaled, true), Ok(vec![0]));
    }

    #[test]
    fn what_is_not_told_fits() {
        let bare = Facts::bare(FileFormat::Tiff, 300, 200, 16);
        for shows in [FrameRole::Dark, FrameRole::Bias, FrameRole::Flat] {
            let all = [bare.clone(), bare.clone()];
            assert_eq!(of(shows, &all, &facts(8.0, 6400), false), Ok(vec![0, 1]));
            assert_eq!(of(shows, &[], &bare, false), Ok(vec![]));
        }
    }

    #[test]
    fn flats_are_those_of_the_lens() {
        let length = Facts { focal_mm: Some(85.0), ..facts(0.02, 100) };
        let flats = [length.clone(), facts(0.02, 100)];
        assert_eq!(of(FrameRole::Flat, &flats, &facts(8.0, 6400), false), Ok(vec![1]));
        let said = of(FrameRole::Flat, &flats[..1], &facts(8.0, 6400), false).unwrap_err();
        assert!(said.contains("taken at 85 mm, and f1.dng was taken at 20 mm"), "{said}");
    }
}
