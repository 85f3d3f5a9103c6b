//! How a frame was exposed, in words.

use jade_pixels::facts::Facts;

/// `8 s`, `1/60 s`.
pub fn seconds(seconds: f64) -> String {
    match seconds {
        s if s >= 10.0 => format!("{s:.0} s"),
        s if s >= 0.3 => format!("{} s", (s * 10.0).round() / 10.0),
        s => format!("1/{:.0} s", 1.0 / s),
    }
}

/// `8 s at ISO 6400, ` for the beginning of a reason; empty where it is not known.
pub fn setting(facts: &Facts) -> String {
    let seconds = facts.exposure_s.map(seconds);
    let iso = facts.iso.map(|iso| format!("ISO {iso}"));
    match (seconds, iso) {
        (Some(seconds), Some(iso)) => format!("{seconds} at {iso}, "),
        (Some(one), None) | (None, Some(one)) => format!("{one}, "),
        (None, None) => String::new(),
    }
}
