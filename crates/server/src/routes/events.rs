//! Server-sent events.

use crate::app::App;
use crate::error::ApiError;
use crate::types::Event;
use axum::extract::State;
use axum::response::sse::{KeepAlive, Sse};
use std::convert::Infallible;
use std::sync::Arc;
use tokio_stream::wrappers::BroadcastStream;
use tokio_stream::{Stream, StreamExt};

type Sent = Result<axum::response::sse::Event, Infallible>;

/// Sends the present state first, then each change.
pub async fn stream(
    State(app): State<Arc<App>>,
) -> Result<Sse<impl Stream<Item = Sent>>, ApiError> {
    // Listening begins before the state is read, so that no change is missed between them.
    let changes = BroadcastStream::new(app.events.subscribe());
    let jobs = app.store.unfinished_jobs().await?;
    let jobs = jobs.into_iter().map(|job| app.runner.with_progress(job)).collect();
    let first = tokio_stream::once(Event::Present { jobs });
    // A browser that fell behind misses events; the next one brings it up to date.
    let events = first.chain(changes.filter_map(Result::ok));
    let events = events.map(|event| {
        let text = serde_json::to_string(&event).expect("events serialise");
        Ok(axum::response::sse::Event::default().data(text))
    });
    Ok(Sse::new(events).keep_alive(KeepAlive::default()))
}
