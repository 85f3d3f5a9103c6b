use crate::house::{Events, House, settings};
use jade_plan::progress::Stage;
use jade_plan::{AlignMode, Edges, Method as Combine, Plan};
use jade_server::types::{
    Event, FramesChange, HandFound, HandTry, Job, JobState, Shoot, ShootCard, ShootState,
};
use reqwest::{Method, StatusCode};

#[tokio::test]
async fn a_run_makes_a_result_with_a_verdict_on_every_frame() {
    let house = House::new(5);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let job = guest.run(shoot.id).await;
    assert_eq!((job.state, job.problem.as_deref()), (JobState::Done, None));
    let shoot: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    let report = &shoot.results[0].report;
    assert_eq!(report.frames.len(), 5);
    for frame in &report.frames {
        assert!(frame.used, "{}: {:?}", frame.file, frame.reason);
    }
    assert_eq!(shoot.results[0].reference_id, shoot.frames[2].id, "the middle frame");
    assert!(report.noise().unwrap().gain > 1.8);
    assert!(report.stages.iter().any(|s| s.seconds.is_some()));
    assert_eq!(guest.get::<Vec<ShootCard>>("shoots").await[0].state, ShootState::Done);
}

#[tokio::test]
async fn a_second_run_of_the_same_plan_gives_the_same_result_and_another_plan_another() {
    let house = House::new(4);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let path = format!("shoots/{}", shoot.id);
    guest.run(shoot.id).await;
    guest.run(shoot.id).await;
    let plan = Plan::of(shoot.kind);
    let mut median = plan.clone();
    median.combine.method = Combine::Median;
    let change = settings(&median);
    guest.patch::<Shoot>(&path, &change).await;
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
    let results = guest.get::<Shoot>(&path).await.results;
    let noise = |method: Combine| -> Vec<f32> {
        let of = results.iter().filter(|r| r.plan.combine.method == method);
        of.map(|r| r.report.noise().unwrap().result).collect()
    };
    let (same, other) = (noise(plan.combine.method), noise(Combine::Median));
    assert!(!same.is_empty() && other.len() == 1);
    assert!(same.iter().all(|n| *n == same[0]), "{same:?}");
    assert_ne!(same[0], other[0]);
}

#[tokio::test]
async fn progress_is_told_stage_by_stage_until_the_end() {
    let house = House::new(4);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let mut events = Events::of(&guest).await;
    let queued: Job = guest.post(&format!("shoots/{}/runs", shoot.id), &()).await;
    assert_eq!(queued.state, JobState::Queued);
    let mut stages = Vec::new();
    loop {
        let Event::Job { job } = events.next().await else { continue };
        assert_eq!(job.id, queued.id);
        assert!(job.done <= job.total || job.total == 0, "{} of {}", job.done, job.total);
        if let Some(stage) = job.stage.filter(|stage| stages.last() != Some(stage)) {
            stages.push(stage);
        }
        if job.state == JobState::Done {
            break;
        }
    }
    // Short stages may pass between two events.
    assert_eq!(stages.last(), Some(&Stage::Combine), "{stages:?}");
    for stage in &stages {
        let factor = stages.iter().filter(|other| *other == stage).count();
        assert_eq!(factor, 1, "a run does not go back to a stage: {stages:?}");
    }
}

#[tokio::test]
async fn too_few_frames_are_told_before_anything_runs() {
    let house = House::new(3);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let ids = shoot.frames[1..].iter().map(|f| f.id).collect();
    let change = FramesChange { ids, left_out: Some(true), role: None, set_id: None, kept: None };
    guest.post::<Shoot>(&format!("shoots/{}/frames", shoot.id), &change).await;
    let run = guest.ask(Method::POST, &format!("shoots/{}/runs", shoot.id)).json(&());
    let (status, problem) = guest.refused(run).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(problem.starts_with("1 of the frames"), "{problem}");
    assert!(guest.get::<Shoot>(&format!("shoots/{}", shoot.id)).await.jobs.is_empty());
}

#[tokio::test]
async fn a_run_that_cannot_succeed_fails_with_a_sentence_and_can_go_on_after_the_cause_is_gone() {
    let house = House::new(3);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    // The card is pulled: files that were linked are gone, and so is what was decoded of them.
    let away = house.card().join("away");
    std::fs::create_dir(&away).unwrap();
    for frame in &house.frames {
        std::fs::rename(frame, away.join(frame.file_name().unwrap())).unwrap();
    }
    let _ = std::fs::remove_dir_all(house.data().join("cache"));
    let failed = guest.run(shoot.id).await;
    assert_eq!(failed.state, JobState::Failed);
    let problem = failed.problem.unwrap();
    assert!(problem.contains(".tif") && problem.ends_with('.'), "{problem}");
    for frame in &house.frames {
        std::fs::rename(away.join(frame.file_name().unwrap()), frame).unwrap();
    }
    let again: Job = guest.post(&format!("jobs/{}/resume", failed.id), &()).await;
    assert_eq!(guest.ended(again.id).await.state, JobState::Done);
    let resume = guest.ask(Method::POST, &format!("jobs/{}/resume", again.id)).json(&());
    assert_eq!(guest.refused(resume).await.1, "This job is not one that can go on.");
}

#[tokio::test]
async fn runs_wait_in_order_and_a_waiting_one_can_be_taken_out() {
    let house = House::new(4);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let path = format!("shoots/{}/runs", shoot.id);
    let first: Job = guest.post(&path, &()).await;
    let second: Job = guest.post(&path, &()).await;
    let third: Job = guest.post(&path, &()).await;
    let cancelled: Job = guest.post(&format!("jobs/{}/cancel", third.id), &()).await;
    assert!(matches!(cancelled.state, JobState::Cancelled | JobState::Running));
    assert_eq!(guest.ended(first.id).await.state, JobState::Done);
    assert_eq!(guest.ended(second.id).await.state, JobState::Done);
    assert_eq!(guest.ended(third.id).await.state, JobState::Cancelled);
    let late: Job = guest.post(&format!("jobs/{}/cancel", first.id), &()).await;
    assert_eq!(late.state, JobState::Done, "what is done stays done");
}

#[tokio::test]
async fn frames_without_a_common_sky_are_left_out_and_the_rest_goes_on() {
    let house = House::new(4);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    // A frame of another size among the others.
    let (width, height) = (200, 150);
    let small = house.card().join("small.png");
    let encoding = jade_pixels::colour::Encoding::srgb();
    let picture = jade_pixels::write::Picture {
        width,
        height,
        channels: 3,
        encoding: &encoding,
        taken: None,
    };
    let target = jade_pixels::write::Target::Png { sixteen_bit: true };
    jade_pixels::write::write_picture(&small, target, &picture, &mut |_, rows| {
        rows.fill(20_000);
        Ok(())
    })
    .unwrap();
    guest.upload(shoot.id, "small.png", std::fs::read(&small).unwrap()).await;
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
    let shoot: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    let frames = &shoot.results[0].report.frames;
    let left_out: Vec<_> = frames.iter().filter(|f| !f.used).collect();
    assert_eq!(left_out.len(), 1);
    let reason = left_out[0].reason.as_deref().unwrap();
    assert!(reason.contains("200 x 150") && reason.contains("420 x 300"), "{reason}");
}

#[tokio::test]
async fn the_edges_that_all_frames_cover_are_trimmed_or_kept_as_the_plan_says() {
    let house = House::new(4);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let path = format!("shoots/{}", shoot.id);
    let mut sizes = Vec::new();
    for edges in [Edges::Trim, Edges::Keep] {
        let mut plan = shoot.plan.clone();
        plan.align.mode = AlignMode::Stars;
        plan.combine.edges = edges;
        let change = settings(&plan);
        guest.patch::<Shoot>(&path, &change).await;
        assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
        let results = guest.get::<Shoot>(&path).await.results;
        let newest = results.iter().max_by_key(|r| r.id).unwrap();
        sizes.push(newest.report.size);
    }
    assert_eq!(sizes[1], [420, 300]);
    assert!(sizes[0][0] <= 420 && sizes[0][1] < 300, "{sizes:?}");
}

#[tokio::test]
async fn pairs_by_hand_tell_their_motion_and_how_far_each_is_off() {
    let house = House::new(0);
    let guest = house.open().await;
    let fit = |pairs: Vec<[f64; 4]>| HandTry { pairs };
    let none: HandFound = guest.post("hand-fit", &fit(vec![])).await;
    assert!(none.model.is_none() && none.off_px.is_empty());
    let shift: HandFound = guest.post("hand-fit", &fit(vec![[10.0, 10.0, 13.0, 6.0]])).await;
    assert_eq!((shift.model.as_deref(), shift.rms_px), (Some("shift"), 0.0));
    let turned = |x: f64, y: f64| [x, y, 0.8 * x - 0.6 * y + 5.0, 0.6 * x + 0.8 * y - 2.0];
    let pairs = vec![turned(0.0, 0.0), turned(100.0, 10.0)];
    let similar: HandFound = guest.post("hand-fit", &fit(pairs)).await;
    assert_eq!(similar.model.as_deref(), Some("similarity"));
    assert!(similar.rms_px < 1e-9);
    let mut pairs: Vec<[f64; 4]> = [(0.0, 0.0), (300.0, 0.0), (300.0, 200.0), (0.0, 200.0)]
        .iter()
        .chain(&[(150.0, 90.0), (70.0, 160.0)])
        .map(|&(x, y)| turned(x, y))
        .collect();
    pairs[4][2] += 6.0;
    let off: HandFound = guest.post("hand-fit", &fit(pairs)).await;
    let worst = off.off_px.iter().copied().fold(0.0, f64::max);
    assert_eq!(off.off_px.len(), 6);
    assert!(worst == off.off_px[4] && worst > 2.0, "{:?}", off.off_px);
}
