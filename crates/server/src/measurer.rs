//! Measures frames in the background, a few at a time, while nothing is being added and nothing runs.

use crate::App;
use crate::error::ApiError;
use crate::types::{Event, ProposedSet, Sort};
use jade_core::engine::{self, Budget};
use jade_core::prepare::PreparePlan;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Browsers are told of new figures no more often than this.
const TELL: Duration = Duration::from_millis(400);

/// Frames that are measured at once: while one is decoded, the other is searched for stars.
const TOGETHER: usize = 2;

/// Measures whatever is not measured yet, and waits for more.
pub async fn run_forever(app: Arc<App>) {
    let mut told = Instant::now();
    loop {
        app.imported.notified().await;
        // The shoot of which there are figures that were not told yet.
        let mut untold: Option<i64> = None;
        loop {
            let measured = match some(&app).await {
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

/// Measures some frames; gives their shoot, or nothing when all are measured or a run needs the
/// processor.
async fn some(app: &Arc<App>) -> Result<Option<i64>, ApiError> {
    // Files that are being added come first: they need the disk and the processor.
    let _all = app.importers.acquire_many(app.importer_places).await.expect("never closed");
    if app.runner.is_busy() {
        return Ok(None);
    }
    let rows = app.store.unmeasured_frames(TOGETHER).await?;
    let shoot = rows.first().map(|row| row.shoot_id);
    let mut measuring = Vec::new();
    for row in rows {
        let (input, worker) = (row.input(&PreparePlan::default()), app.clone());
        measuring.push((
            row,
            tokio::task::spawn_blocking(move || {
                let memory = worker.budget.memory / TOGETHER as u64;
                let budget = Budget { memory, ..worker.budget };
                engine::measure(&input, &worker.cache, budget, &|| false)
            }),
        ));
    }
    for (row, measured) in measuring {
        // Whatever a frame does to the measuring, it is not tried again, and the others go on.
        let reason = match measured.await {
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
    }
    Ok(shoot)
}
