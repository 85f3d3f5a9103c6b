//! Server-sent events.

use crate::app::App;
use crate::error::ApiError;
use crate::event_log::Numbered;
use crate::extract::Query;
use crate::types::Event;
use axum::extract::State;
use axum::http::HeaderMap;
use axum::response::sse::{KeepAlive, Sse};
use futures_util::Stream;
use serde::Deserialize;
use std::collections::VecDeque;
use std::convert::Infallible;
use std::sync::Arc;
use tokio::sync::watch;
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
    let known = id.and_then(|id| app.events.number(id));
    // Listening begins before the state is read, so that no change is missed between them.
    let mut listener =
        Listener { had: app.events.last(), next: VecDeque::new(), news: app.events.listen(), app };
    match known.filter(|number| listener.app.events.after(*number).is_some()) {
        Some(number) => listener.had = number,
        None => listener.next.push_back((listener.had, present(&listener.app).await?)),
    }
    let events = futures_util::stream::unfold(listener, async |mut listener| {
        let (number, text) = listener.next().await?;
        let event = axum::response::sse::Event::default();
        Some((Ok(event.id(listener.app.events.id(number)).data(text)), listener))
    });
    Ok(Sse::new(events).keep_alive(KeepAlive::default()))
}

/// Who gets the events, one after the other.
struct Listener {
    app: Arc<App>,
    /// The number of the last event that was read from the log.
    had: u64,
    /// Events that were read and are to be sent.
    next: VecDeque<Numbered>,
    news: watch::Receiver<u64>,
}

impl Listener {
    /// The next event; `None` where the listener fell so far behind that it must begin anew.
    async fn next(&mut self) -> Option<Numbered> {
        loop {
            if let Some(event) = self.next.pop_front() {
                return Some(event);
            }
            self.next.extend(self.app.events.after(self.had)?);
            match self.next.back() {
                Some((number, _)) => self.had = *number,
                None => self.news.changed().await.ok()?,
            }
        }
    }
}

/// All unfinished jobs, as JSON of an event.
async fn present(app: &App) -> Result<Arc<str>, ApiError> {
    let jobs = app.store.unfinished_jobs().await?;
    let jobs = jobs.into_iter().map(|job| app.runner.with_progress(job)).collect();
    let event = Event::Present { jobs };
    Ok(serde_json::to_string(&event).expect("events serialise").into())
}
