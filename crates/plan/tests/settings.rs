//! Every setting with a range: its limits are accepted, and what lies beyond is refused in one
//! sentence that names the value. Written plans say the same after they were read.

use jade_plan::{KINDS, Kind, MOST_PX, Plan};
use proptest::prelude::*;
use serde_json::{Value, json};

/// A setting by its place in a written plan, and its range.
struct Ranged {
    place: &'static str,
    low: f64,
    high: f64,
    /// Words of the sentence that refuses it.
    about: &'static str,
}

const fn ranged(place: &'static str, low: f64, high: f64, about: &'static str) -> Ranged {
    Ranged { place, low, high, about }
}

/// Settings that make sense for every kind.
const EVERYWHERE: [Ranged; 8] = [
    ranged("/prepare/gain_ev", -5.0, 5.0, "stops"),
    ranged("/prepare/denoise/luminance", 0.0, 1.0, "Noise"),
    ranged("/prepare/denoise/colour", 0.0, 1.0, "Noise"),
    ranged("/prepare/lens/red/0", -0.02, 0.02, "Lateral colour"),
    ranged("/prepare/lens/red/1", -0.02, 0.02, "Lateral colour"),
    ranged("/prepare/lens/blue/0", -0.02, 0.02, "Lateral colour"),
    ranged("/prepare/lens/blue/1", -0.02, 0.02, "Lateral colour"),
    ranged("/combine/clip", 0.5, 20.0, "sigma"),
];

/// Settings of the night sky alone.
const OF_THE_SKY: [Ranged; 5] = [
    ranged("/finish/glow", 0.0, 1.0, "Sky glow"),
    ranged("/finish/smoothing", 0.0, 1.0, "Sky smoothing"),
    ranged("/skyline/margin_px", -(MOST_PX as f64), MOST_PX as f64, "margin"),
    ranged("/skyline/soft_px", 0.0, MOST_PX as f64, "softened"),
    ranged("/skyline/ground/matched", 0.0, 1.0, "matched"),
];

/// All kinds with the settings that make sense for them.
fn settings() -> impl Iterator<Item = (Kind, &'static Ranged)> {
    let sky = OF_THE_SKY.iter().map(|setting| (Kind::NightSky, setting));
    let kinds = KINDS.iter().flat_map(|rules| EVERYWHERE.iter().map(|one| (rules.kind, one)));
    kinds.chain(sky)
}

fn written(kind: Kind) -> Value {
    let mut written = serde_json::to_value(Plan::of(kind)).unwrap();
    if kind == Kind::NightSky {
        written["skyline"]["mode"] = json!("auto");
    }
    written
}

fn with(kind: Kind, place: &str, value: f64) -> Plan {
    let mut written = written(kind);
    *written.pointer_mut(place).unwrap_or_else(|| panic!("{place} is part of a plan")) =
        json!(value);
    serde_json::from_value(written).unwrap()
}

#[test]
fn limits_are_accepted_and_what_lies_beyond_is_refused_in_a_sentence() {
    for (kind, Ranged { place, low, high, about }) in settings() {
        for value in [*low, *high, 0.5 * (low + high)] {
            let checked = with(kind, place, value).check();
            assert!(checked.is_ok(), "{kind:?} {place} {value}: {checked:?}");
        }
        let step = 0.01 * (high - low);
        for value in [low - step, high + step, -1e9, 1e9] {
            let refused = with(kind, place, value).check();
            let sentence = match refused {
                Err(error) => error.to_string(),
                Ok(()) => panic!("{kind:?} {place} {value} is accepted"),
            };
            assert!(sentence.contains(about), "{place}: {sentence}");
            assert!(sentence.ends_with('.') && !sentence.contains('\n'), "{sentence}");
        }
    }
}

#[test]
fn a_light_has_a_temperature_and_a_tint() {
    for (kelvin, tint, good) in [
        (1700.0, 0.0, true),
        (25_000.0, -150.0, true),
        (5200.0, 150.0, true),
        (1699.0, 0.0, false),
        (25_001.0, 0.0, false),
        (5200.0, 151.0, false),
        (5200.0, -151.0, false),
    ] {
        for rules in &KINDS {
            let mut written = written(rules.kind);
            written["prepare"]["white_balance"] =
                json!({ "by": "light", "kelvin": kelvin, "tint": tint });
            let plan: Plan = serde_json::from_value(written).unwrap();
            assert_eq!(plan.check().is_ok(), good, "{kelvin} K, tint {tint}");
        }
    }
}

#[test]
fn a_picked_grey_is_neither_black_nor_blown_out() {
    for (grey, good) in [
        ([0.2, 0.2, 0.2], true),
        ([1e-4, 1.5, 3.0], true),
        ([0.0, 0.2, 0.2], false),
        ([0.2, 16.0, 0.2], false),
        ([0.2, 0.2, -0.1], false),
    ] {
        let mut written = written(Kind::LowLightBurst);
        written["prepare"]["white_balance"] = json!({ "by": "neutral", "grey": grey });
        let plan: Plan = serde_json::from_value(written).unwrap();
        assert_eq!(plan.check().is_ok(), good, "{grey:?}");
    }
}

/// The check of one frame's difference is that of all frames.
#[test]
fn a_single_frames_settings_have_the_same_ranges() {
    for (place, value, good) in [
        ("gain_ev", json!(5.0), true),
        ("gain_ev", json!(5.1), false),
        ("denoise", json!({ "luminance": 1.0, "colour": 0.0 }), true),
        ("denoise", json!({ "luminance": 0.5, "colour": 1.1 }), false),
        ("white_balance", json!({ "by": "light", "kelvin": 900.0, "tint": 0.0 }), false),
    ] {
        for rules in &KINDS {
            let mut written = written(rules.kind);
            let change = json!({ place: value });
            written["differences"] = json!([{ "blake3": "a1", "change": change }]);
            let plan: Plan = serde_json::from_value(written).unwrap();
            assert_eq!(plan.check().is_ok(), good, "{place} {value}");
        }
    }
}

#[test]
fn a_plan_of_a_version_to_come_is_refused() {
    for rules in &KINDS {
        let mut written = written(rules.kind);
        let version = written["version"].as_u64().unwrap();
        written["version"] = json!(version + 1);
        let plan: Plan = serde_json::from_value(written).unwrap();
        let sentence = plan.check().unwrap_err().to_string();
        assert!(sentence.contains(&(version + 1).to_string()), "{sentence}");
    }
}

#[test]
fn pairs_set_by_hand_need_places() {
    let mut plan = Plan::of(Kind::NightSky);
    let pairs = vec![[1.0, 2.0, 3.0, f64::NAN]];
    plan.align.by_hand = vec![jade_plan::HandPairs { blake3: "a1".into(), pairs }];
    assert!(plan.check().unwrap_err().to_string().contains("no place"));
}

proptest! {
    /// Any values within their ranges are accepted, and are the same after writing and reading.
    #[test]
    fn plans_survive_their_written_form(
        shares in prop::collection::vec(0.0f64..=1.0, EVERYWHERE.len() + OF_THE_SKY.len()),
    ) {
        let mut written = written(Kind::NightSky);
        for (Ranged { place, low, high, .. }, share) in
            EVERYWHERE.iter().chain(&OF_THE_SKY).zip(shares)
        {
            *written.pointer_mut(place).unwrap() = json!(low + share * (high - low));
        }
        let plan: Plan = serde_json::from_value(written).unwrap();
        prop_assert!(plan.check().is_ok(), "{:?}", plan.check());
        let text = serde_json::to_string(&plan).unwrap();
        prop_assert_eq!(&serde_json::from_str::<Plan>(&text).unwrap(), &plan);
        let value = serde_json::to_value(&plan).unwrap();
        prop_assert_eq!(serde_json::from_value::<Plan>(value).unwrap(), plan);
    }
}
