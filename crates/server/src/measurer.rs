//! Measures frames one by one in the background, while nothing is being added and nothing runs.

use crate::App;
use crate::error::ApiError;
use crate::types::{Event, ProposedSet, Sort};
use jade_core::engine;
use jade_core::prepare::PreparePlan;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Browsers are told of new figures no more often than this.
const TELL: Duration = Duration::from_millis(400);

/// Measures whatever is not measured yet, and waits for more.
pub async fn run_forever(app: Arc<App>) {
    let mut told = Instant::now();
    loop {
        app.imported.notified().await;
        // The shoot of which there are figures that were not told yet.
        let mut untold: Option<i64> = None;
        loop {
            let measured = match one(&app).await {
                Ok(measured) => measured,
                Err(error) => {
                    tracing::error!("frames cannot be measured: {error}");
                    None
                }
            };
            if let Some(before) = untold
                && (measured != untold || told.elapsed() >= TELL)
            {
                if measured != untold
                    && let Err(error) = sort_watched(&app, before).await
                {
                    tracing::error!("frames cannot be sorted: {error}");
                }
                app.tell(Event::Shoot { id: before });
                told = Instant::now();
            }
            untold = measured;
            if measured.is_none() {
                break;
            }
        }
    }
}

/// Puts frames that came from a watched folder into the sets that have others like them.
async fn sort_watched(app: &Arc<App>, shoot: i64) -> Result<(), ApiError> {
    if app.store.watched(shoot).await?.is_none() {
        return Ok(());
    }
    let proposed = app.store.shoot(shoot).await?.proposed_sets.into_iter();
    let known: Vec<Sort> = proposed
        .filter(|set| set.into.is_some())
        .map(|ProposedSet { name, role, into, frame_ids, .. }| Sort { name, role, into, frame_ids })
        .collect();
    match known.is_empty() {
        true => Ok(()),
        false => app.store.sort_frames(shoot, &known).await,
    }
}

/// Measures one frame; gives its shoot, or nothing when all are measured or a run needs the processor.
async fn one(app: &Arc<App>) -> Result<Option<i64>, ApiError> {
    // Files that are being added come first: they need the disk and the processor.
    let _all = app.importers.acquire_many(app.importer_places).await.expect("never closed");
    if app.runner.is_busy() {
        return Ok(None);
    }
    let Some(row) = app.store.unmeasured_frame().await? else { return Ok(None) };
    let (input, cache) = (row.input(&PreparePlan::default()), app.cache.clone());
    let measured =
        tokio::task::spawn_blocking(move || engine::measure(&input, &cache, &|| false)).await;
    // Whatever a frame does to the measuring, it is not tried again, and the others go on.
    let reason = match measured {
        Ok(Ok(measures)) => {
            app.store.set_measures(row.id, &measures).await?;
            None
        }
        Ok(Err(error)) => Some(error.to_string()),
        Err(error) => Some(error.to_string()),
    };
    if let Some(reason) = reason {
        tracing::warn!("{}: not measured: {reason}", row.name);
        app.store.give_up_measuring(row.id);
    }
    Ok(Some(row.shoot_id))
}
