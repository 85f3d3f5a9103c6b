use crate::house::{Guest, House, names};
use jade_server::types::{Job, JobState, Shoot, ShootCard};

#[tokio::test]
async fn everything_is_there_again_after_a_restart() {
    let house = House::new(3);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
    let before = guest.measured(shoot.id).await;
    guest.close().await;
    let guest = house.open().await;
    let after: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    let text = |shoot: &Shoot| serde_json::to_value(shoot).unwrap();
    assert_eq!(text(&before), text(&after));
}

#[tokio::test]
async fn a_run_that_the_end_of_the_server_cut_off_can_go_on() {
    let house = House::new(4);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    let job: Job = guest.post(&format!("shoots/{}/runs", shoot.id), &()).await;
    guest.close().await;
    let guest = house.open().await;
    let again: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    let state = again.jobs.iter().find(|j| j.id == job.id).unwrap().state;
    if state == JobState::Interrupted {
        guest.post::<Job>(&format!("jobs/{}/resume", job.id), &()).await;
    }
    assert_eq!(guest.ended(job.id).await.state, JobState::Done);
}

#[tokio::test]
async fn what_was_half_written_when_it_ended_is_swept_away() {
    let house = House::new(2);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    guest.close().await;
    let data = house.data();
    std::fs::write(data.join("incoming/upload-half"), "half").unwrap();
    std::fs::write(data.join("exports/.aside-half"), "half").unwrap();
    let guest = house.open().await;
    assert!(names(&data.join("incoming")).is_empty());
    assert!(names(&data.join("exports")).is_empty());
    assert_eq!(guest.get::<Shoot>(&format!("shoots/{}", shoot.id)).await.frames.len(), 2);
}

#[tokio::test]
async fn the_cache_can_be_deleted_without_loss() {
    let house = House::new(3);
    let guest = house.open().await;
    let shoot = guest.filled(&house).await;
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
    guest.close().await;
    std::fs::remove_dir_all(house.data().join("cache")).unwrap();
    let guest: Guest = house.open().await;
    let again: Shoot = guest.get(&format!("shoots/{}", shoot.id)).await;
    let result = again.results[0].id;
    for source in [format!("result-{result}"), format!("frame-{}", again.frames[0].id)] {
        let answer = guest
            .ask(reqwest::Method::GET, &format!("pictures/{source}/tiles/0/0_0.png"))
            .send()
            .await
            .unwrap();
        assert!(answer.status().is_success(), "{source}: {}", answer.status());
    }
    assert_eq!(guest.run(shoot.id).await.state, JobState::Done);
    assert_eq!(guest.get::<Vec<ShootCard>>("shoots").await.len(), 1);
}
