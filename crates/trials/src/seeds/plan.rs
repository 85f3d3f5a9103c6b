//! Plans of all kinds of shoots, and one with every list in use.

use super::made::Seed;
use jade_plan::{
    FrameDifference, HandPairs, Kind, NamedFile, Paint, Plan, PlanFrame, PlanRecord, PrepareChange,
    SkylineMode, Stroke,
};

pub fn seeds() -> Vec<Seed> {
    let kinds = [
        ("night-sky", Kind::NightSky),
        ("star-trails", Kind::StarTrails),
        ("low-light-burst", Kind::LowLightBurst),
        ("clear-the-scene", Kind::ClearTheScene),
        ("focus-sweep", Kind::FocusSweep),
    ];
    let plain = kinds.map(|(name, kind)| (name, Plan::of(kind)));
    let all = plain.into_iter().chain([("everything", full())]);
    all.map(|(name, plan)| {
        let bytes = serde_json::to_vec_pretty(&record(plan)).expect("a plan can be written");
        Seed { name, bytes, guarded: 0..0, ending: "json" }
    })
    .collect()
}

fn full() -> Plan {
    let mut plan = Plan::of(Kind::NightSky);
    let change = PrepareChange { gain_ev: Some(0.5), ..PrepareChange::default() };
    plan.differences = vec![FrameDifference { blake3: content(1).into(), change }];
    let pairs = vec![[10.0, 12.5, 11.0, 13.0], [300.0, 20.0, 301.0, 21.5]];
    plan.align.by_hand = vec![HandPairs { blake3: content(2).into(), pairs }];
    plan.skyline.mode = SkylineMode::Mask;
    plan.skyline.mask = Some(NamedFile { file: "mask.png".to_owned(), blake3: content(3) });
    let points = vec![[20.0, 40.0, 9.0], [60.0, 44.0, 9.0]];
    plan.skyline.strokes = vec![Stroke { paint: Paint::SkyStroke, points, soft: 0.5 }];
    plan
}

/// A hash that stands for a file's content.
fn content(i: u32) -> String {
    format!("{i:064x}")
}

fn record(plan: Plan) -> PlanRecord {
    let frame = |i: u32| PlanFrame {
        file: format!("f{i:02}.tif"),
        blake3: content(i).into(),
        used: i != 3,
    };
    PlanRecord {
        plan,
        reference: "f02.tif".to_owned(),
        reference_blake3: content(2).into(),
        frames: (1..5).map(frame).collect(),
        ground: vec![],
        calibration: vec![],
    }
}
