//! Shoots, their settings and probes.

use crate::app::App;
use crate::error::ApiError;
use crate::extract::{Json, Path, Query};
use crate::history::Title;
use crate::types::{Event, ListPlace, NewProbe, NewShoot, Role, Shoot, ShootCard, ShootChange};
use axum::extract::State;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{AppendHeaders, IntoResponse, Response};
use serde::Deserialize;
use std::sync::Arc;
use utoipa::{IntoParams, IntoResponses};

type AppState = State<Arc<App>>;

/// A shoot with its revision as ETag.
pub type Answer = ([(header::HeaderName, String); 1], Json<Shoot>);

/// The shoot as it is now.
#[derive(IntoResponses)]
#[response(status = 200, headers(("ETag" = String, description = "Its revision, for If-Match")))]
pub struct ShootNow(#[expect(dead_code, reason = "describes answers in the document")] Shoot);

/// The shoot as it is now, with what was made.
#[derive(IntoResponses)]
#[response(status = 201, headers(("ETag" = String, description = "Its revision, for If-Match")))]
pub struct ShootMade(#[expect(dead_code, reason = "describes answers in the document")] Shoot);

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

/// Letters of a change's title or gesture at most.
const TITLE: usize = 100;

/// The revision in the If-Match header, on which the change was made.
fn revision(headers: &HeaderMap) -> Result<Option<i64>, ApiError> {
    let Some(tag) = headers.get(header::IF_MATCH) else { return Ok(None) };
    let text = tag.to_str().unwrap_or_default().trim();
    if text == "*" {
        return Ok(None);
    }
    text.trim_matches('"').parse().map(Some).map_err(|_| {
        ApiError::Unreadable(
            "If-Match holds no ETag of a shoot; give the one that came with it.".to_owned(),
        )
    })
}

/// Which part of the list of shoots.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct ListPart {
    /// Most shoots in the answer, 1 to 500; 100 unless given.
    limit: Option<u32>,
    /// Where the part before ended, from its Link header.
    #[param(value_type = Option<String>)]
    after: Option<ListPlace>,
}

/// The shoots, the one touched last first. Where there are more, the header Link leads to them
/// (RFC 8288).
#[utoipa::path(
    get,
    path = "/shoots",
    operation_id = "shoots",
    tag = "shoots",
    params(ListPart),
    responses((
        status = 200,
        description = "Shoots",
        body = Vec<ShootCard>,
        headers(("Link" = Option<String>, description = "Where the list goes on: `</api/shoots?...>; rel=\"next\"`")),
    )),
)]
pub async fn list(
    State(app): AppState,
    Query(ListPart { limit, after }): Query<ListPart>,
) -> Result<Response, ApiError> {
    let limit = limit.unwrap_or(100);
    if !(1..=500).contains(&limit) {
        return Err(ApiError::Unreadable("A part of the list has 1 to 500 shoots.".to_owned()));
    }
    let mut shoots = app.store.shoots(after, limit + 1).await?;
    let more = shoots.len() > limit as usize;
    shoots.truncate(limit as usize);
    let next = shoots.last().filter(|_| more).map(|last| {
        let after = ListPlace { touched: last.touched, id: last.id };
        format!("</api/shoots?limit={limit}&after={after}>; rel=\"next\"")
    });
    let links = next.map(|next| [(header::LINK, next)]);
    Ok((links.map(AppendHeaders), Json(shoots)).into_response())
}

/// Makes a shoot without frames.
#[utoipa::path(
    post,
    path = "/shoots",
    operation_id = "addShoot",
    tag = "shoots",
    responses(ShootMade)
)]
pub async fn add(
    State(app): AppState,
    Json(new): Json<NewShoot>,
) -> Result<(StatusCode, Answer), ApiError> {
    let id = app.store.add_shoot(&new).await?;
    app.tell(Event::Shoot { id });
    Ok((StatusCode::CREATED, answer(&app, id).await?))
}

/// A shoot with everything in it.
#[utoipa::path(
    get,
    path = "/shoots/{shoot}",
    operation_id = "shoot",
    tag = "shoots",
    responses(ShootNow)
)]
pub async fn show(State(app): AppState, Path(id): Path<i64>) -> Result<Answer, ApiError> {
    answer(&app, id).await
}

/// Changes what the body names. If-Match names the revision on which the change was made.
#[utoipa::path(
    patch,
    path = "/shoots/{shoot}",
    operation_id = "changeShoot",
    tag = "shoots",
    params(("If-Match" = Option<String>, Header, description = "The ETag of the shoot that the change was made on; without it, the change is made on the shoot as it is")),
    responses(ShootNow),
)]
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
    for (field, text) in [("title", &change.title), ("gesture", &change.gesture)] {
        if text.as_ref().is_some_and(|text| text.chars().count() > TITLE) {
            return Err(ApiError::field(
                field,
                format!("The {field} has at most {TITLE} letters."),
            ));
        }
    }
    let title = Title { text: change.title(), gesture: change.gesture.as_deref() };
    let work = app.store.change_shoot(id, &change, revision(&headers)?);
    app.store.noting(id, title, work).await?;
    app.tell(Event::Shoot { id });
    answer(&app, id).await
}

/// Removes a shoot; it can be brought back until the server is started again.
#[utoipa::path(
    delete,
    path = "/shoots/{shoot}",
    operation_id = "removeShoot",
    tag = "shoots",
    responses((status = 204, description = "It is removed")),
)]
pub async fn remove(State(app): AppState, Path(id): Path<i64>) -> Result<StatusCode, ApiError> {
    for job in app.store.jobs(id).await? {
        app.runner.cancel(job.id);
    }
    app.store.set_deleted(id, true).await?;
    app.tell(Event::Shoot { id });
    Ok(StatusCode::NO_CONTENT)
}

/// Brings back a shoot that was removed.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/restore",
    operation_id = "restoreShoot",
    tag = "shoots",
    responses(ShootNow)
)]
pub async fn restore(State(app): AppState, Path(id): Path<i64>) -> Result<Answer, ApiError> {
    app.store.set_deleted(id, false).await?;
    app.runner.wake.notify_one();
    app.tell(Event::Shoot { id });
    answer(&app, id).await
}

/// Undoes the last change of a shoot, whoever made it.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/undo",
    operation_id = "undo",
    tag = "shoots",
    responses(ShootNow)
)]
pub async fn undo(State(app): AppState, Path(id): Path<i64>) -> Result<Answer, ApiError> {
    app.store.undo(id).await?;
    app.tell(Event::Shoot { id });
    answer(&app, id).await
}

/// Makes the change again that was undone last.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/redo",
    operation_id = "redo",
    tag = "shoots",
    responses(ShootNow)
)]
pub async fn redo(State(app): AppState, Path(id): Path<i64>) -> Result<Answer, ApiError> {
    app.store.redo(id).await?;
    app.tell(Event::Shoot { id });
    answer(&app, id).await
}

/// Pins a probe on the picture.
#[utoipa::path(
    post,
    path = "/shoots/{shoot}/probes",
    operation_id = "pin",
    tag = "probes",
    responses(ShootMade)
)]
pub async fn pin(
    State(app): AppState,
    Path(id): Path<i64>,
    Json(probe): Json<NewProbe>,
) -> Result<(StatusCode, Answer), ApiError> {
    let title = format!("pinning {}", probe.name);
    app.store.noting(id, title.as_str(), app.store.add_probe(id, &probe)).await?;
    app.tell(Event::Shoot { id });
    Ok((StatusCode::CREATED, answer(&app, id).await?))
}

/// Takes a probe away.
#[utoipa::path(
    delete,
    path = "/shoots/{shoot}/probes/{probe}",
    operation_id = "unpin",
    tag = "probes",
    responses((status = 204, description = "It is taken away")),
)]
pub async fn unpin(
    State(app): AppState,
    Path((id, probe)): Path<(i64, i64)>,
) -> Result<StatusCode, ApiError> {
    app.store.noting(id, "removing a probe", app.store.remove_probe(id, probe)).await?;
    app.tell(Event::Shoot { id });
    Ok(StatusCode::NO_CONTENT)
}
