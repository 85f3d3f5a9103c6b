use crate::App;
use crate::error::ApiError;
use crate::types::{Event, NewProbe, NewShoot, Role, Shoot, ShootCard, ShootChange};
use axum::Json;
use axum::extract::{Path, State};
use std::sync::Arc;

type AppState = State<Arc<App>>;

pub async fn list(State(app): AppState) -> Result<Json<Vec<ShootCard>>, ApiError> {
    Ok(Json(app.store.shoots().await?))
}

pub async fn add(State(app): AppState, Json(new): Json<NewShoot>) -> Result<Json<Shoot>, ApiError> {
    let id = app.store.add_shoot(&new).await?;
    app.tell(Event::Shoot { id });
    Ok(Json(app.store.shoot(id).await?))
}

pub async fn show(State(app): AppState, Path(id): Path<i64>) -> Result<Json<Shoot>, ApiError> {
    let mut shoot = app.store.shoot(id).await?;
    shoot.jobs = shoot.jobs.into_iter().map(|job| app.runner.with_progress(job)).collect();
    Ok(Json(shoot))
}

pub async fn change(
    State(app): AppState,
    Path(id): Path<i64>,
    Json(change): Json<ShootChange>,
) -> Result<Json<Shoot>, ApiError> {
    if let Some(frame) = change.reference_id.filter(|r| *r != 0)
        && app.store.frame(frame).await?.shoot_id != id
    {
        return Err(ApiError::Refused("This frame belongs to another shoot.".to_owned()));
    }
    if let Some(set) = change.stacked_set.filter(|s| *s != 0)
        && app.store.set_of(id, set).await?.role != Role::Light
    {
        return Err(ApiError::Refused("Only a set of lights can be stacked.".to_owned()));
    }
    if let Some(plan) = &change.plan {
        plan.check()?;
    }
    app.store.change_shoot(id, &change).await?;
    app.tell(Event::Shoot { id });
    Ok(Json(app.store.shoot(id).await?))
}

pub async fn remove(State(app): AppState, Path(id): Path<i64>) -> Result<(), ApiError> {
    for job in app.store.jobs(id).await? {
        app.runner.cancel(job.id);
    }
    app.store.set_deleted(id, true).await?;
    app.tell(Event::Shoot { id });
    Ok(())
}

pub async fn restore(State(app): AppState, Path(id): Path<i64>) -> Result<Json<Shoot>, ApiError> {
    app.store.set_deleted(id, false).await?;
    app.runner.wake.notify_one();
    app.tell(Event::Shoot { id });
    Ok(Json(app.store.shoot(id).await?))
}

pub async fn pin(
    State(app): AppState,
    Path(id): Path<i64>,
    Json(probe): Json<NewProbe>,
) -> Result<Json<Shoot>, ApiError> {
    app.store.add_probe(id, &probe).await?;
    app.tell(Event::Shoot { id });
    Ok(Json(app.store.shoot(id).await?))
}

pub async fn unpin(
    State(app): AppState,
    Path((id, probe)): Path<(i64, i64)>,
) -> Result<(), ApiError> {
    app.store.remove_probe(id, probe).await?;
    app.tell(Event::Shoot { id });
    Ok(())
}
