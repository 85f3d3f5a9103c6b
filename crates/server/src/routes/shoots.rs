//! Shoots, their settings and probes.

use crate::app::App;
use crate::error::ApiError;
use crate::types::{Event, NewProbe, NewShoot, Role, Shoot, ShootCard, ShootChange};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, header};
use std::sync::Arc;

type AppState = State<Arc<App>>;

/// A shoot with its revision as ETag.
pub type Answer = ([(header::HeaderName, String); 1], Json<Shoot>);

/// A shoot as it is now, for every answer that contains it.
///
/// # Errors
/// [`ApiError::Missing`] if it does not exist.
pub async fn answer(app: &App, id: i64) -> Result<Answer, ApiError> {
    let mut shoot = app.store.shoot(id).await?;
    shoot.jobs = shoot.jobs.into_iter().map(|job| app.runner.with_progress(job)).collect();
    if let Some(watched) = &mut shoot.watched {
        watched.there = !app.gone.has(id);
    }
    Ok(([(header::ETAG, format!("\"{}\"", shoot.revision))], Json(shoot)))
}

/// The revision in the If-Match header, on which the change was made.
fn revision(headers: &HeaderMap) -> Result<Option<i64>, ApiError> {
    let Some(tag) = headers.get(header::IF_MATCH) else { return Ok(None) };
    let text = tag.to_str().unwrap_or_default().trim();
    if text == "*" {
        return Ok(None);
    }
    text.trim_matches('"').parse().map(Some).map_err(|_| {
        ApiError::Refused(
            "If-Match holds no ETag of a shoot; give the one that came with it.".to_owned(),
        )
    })
}

pub async fn list(State(app): AppState) -> Result<Json<Vec<ShootCard>>, ApiError> {
    Ok(Json(app.store.shoots().await?))
}

pub async fn add(State(app): AppState, Json(new): Json<NewShoot>) -> Result<Answer, ApiError> {
    let id = app.store.add_shoot(&new).await?;
    app.tell(Event::Shoot { id });
    answer(&app, id).await
}

pub async fn show(State(app): AppState, Path(id): Path<i64>) -> Result<Answer, ApiError> {
    answer(&app, id).await
}

/// Changes what the body names. If-Match names the revision on which the change was made.
pub async fn change(
    State(app): AppState,
    Path(id): Path<i64>,
    headers: HeaderMap,
    Json(change): Json<ShootChange>,
) -> Result<Answer, ApiError> {
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
    app.store.change_shoot(id, &change, revision(&headers)?).await?;
    app.tell(Event::Shoot { id });
    answer(&app, id).await
}

pub async fn remove(State(app): AppState, Path(id): Path<i64>) -> Result<(), ApiError> {
    for job in app.store.jobs(id).await? {
        app.runner.cancel(job.id);
    }
    app.store.set_deleted(id, true).await?;
    app.tell(Event::Shoot { id });
    Ok(())
}

pub async fn restore(State(app): AppState, Path(id): Path<i64>) -> Result<Answer, ApiError> {
    app.store.set_deleted(id, false).await?;
    app.runner.wake.notify_one();
    app.tell(Event::Shoot { id });
    answer(&app, id).await
}

pub async fn pin(
    State(app): AppState,
    Path(id): Path<i64>,
    Json(probe): Json<NewProbe>,
) -> Result<Answer, ApiError> {
    app.store.add_probe(id, &probe).await?;
    app.tell(Event::Shoot { id });
    answer(&app, id).await
}

pub async fn unpin(
    State(app): AppState,
    Path((id, probe)): Path<(i64, i64)>,
) -> Result<(), ApiError> {
    app.store.remove_probe(id, probe).await?;
    app.tell(Event::Shoot { id });
    Ok(())
}
