//! Profiles that this program makes. Their bytes do not depend on the time.

use moxcms::{ColorDateTime, ColorProfile, DataColorSpace, ProfileText, ToneReprCurve};

/// First of January 2026, as profiles write it.
pub const PROFILE_DATE: [u8; 12] = [0x07, 0xea, 0, 1, 0, 1, 0, 0, 0, 0, 0, 0];

/// Gives a profile one curve for all colours, a name and a fixed date.
pub fn finished(mut profile: ColorProfile, curve: ToneReprCurve, name: &str) -> ColorProfile {
    profile.red_trc = Some(curve.clone());
    profile.green_trc = Some(curve.clone());
    profile.blue_trc = Some(curve);
    profile.gray_trc = None;
    profile.cicp = None;
    let text = |text: &str| Some(ProfileText::PlainString(text.to_owned()));
    profile.description = text(name);
    profile.copyright = text("Public domain");
    profile.creation_date_time =
        ColorDateTime::new_from_slice(&PROFILE_DATE).expect("the date is well formed");
    profile
}

/// A grey profile's curve over sRGB's primaries: the same greys, for files of three colours.
pub fn of_grey(profile: &ColorProfile, name: &str) -> Option<ColorProfile> {
    let curve = profile.gray_trc.clone()?;
    (profile.color_space == DataColorSpace::Gray)
        .then(|| finished(ColorProfile::new_srgb(), curve, name))
}
