//! Server-sent events.

use crate::app::App;
use crate::error::ApiError;
use crate::event_log::{Joined, Numbered};
use crate::extract::Query;
use crate::types::Event;
use axum::extract::State;
use axum::http::HeaderMap;
use axum::response::sse::{KeepAlive, Sse};
use serde::Deserialize;
use std::convert::Infallible;
use std::sync::Arc;
use tokio_stream::wrappers::BroadcastStream;
use tokio_stream::{Stream, StreamExt};
use utoipa::IntoParams;

type Sent = Result<axum::response::sse::Event, Infallible>;

/// Where a listener goes on.
#[derive(Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct After {
    /// The id of the last event that the listener had, as in the header Last-Event-ID.
    after: Option<String>,
}

/// Sends what happened after the event of an id, where that is still known, and otherwise the
/// present state; then each change, as long as the connection holds.
#[utoipa::path(
    get,
    path = "/events",
    operation_id = "events",
    tag = "events",
    params(
        After,
        ("Last-Event-ID" = Option<String>, Header, description = "The id of the last event that the listener had"),
    ),
    responses((status = 200, description = "Events, one JSON object each", body = Event, content_type = "text/event-stream")),
)]
pub async fn stream(
    State(app): State<Arc<App>>,
    Query(After { after }): Query<After>,
    headers: HeaderMap,
) -> Result<Sse<impl Stream<Item = Sent>>, ApiError> {
    let id = headers.get("last-event-id").and_then(|id| id.to_str().ok()).or(after.as_deref());
    // Listening begins before the state is read, so that no change is missed between them.
    let Joined { missed, last, coming } = app.events.join(id);
    let first = match missed {
        Some(missed) => missed,
        None => vec![(last, present(&app).await?)],
    };
    // A listener that falls far behind is sent away, and comes back for what it missed.
    let changes = BroadcastStream::new(coming).map_while(Result::ok);
    let events = tokio_stream::iter(first).chain(changes);
    let events = events.map(move |(number, event): Numbered| {
        let text = serde_json::to_string(&event).expect("events serialise");
        Ok(axum::response::sse::Event::default().id(app.events.id(number)).data(text))
    });
    Ok(Sse::new(events).keep_alive(KeepAlive::default()))
}

/// All unfinished jobs.
async fn present(app: &App) -> Result<Event, ApiError> {
    let jobs = app.store.unfinished_jobs().await?;
    Ok(Event::Present { jobs: jobs.into_iter().map(|job| app.runner.with_progress(job)).collect() })
}
