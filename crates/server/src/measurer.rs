//! Measures frames in the background, a few at a time, while nothing is being added and nothing runs.

use crate::app::App;
use crate::error::ApiError;
use crate::types::{Event, ProposedSet, Sort};
use jade_engine as engine;
use jade_engine::Budget;
use jade_pixels::PictureError;
use jade_plan::{CoreError, PreparePlan};
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Minimum interval between two events about new figures.
const TELL: Duration = Duration::from_millis(400);

/// Frames that are measured at once: one is decoded while the other is searched for stars.
const TOGETHER: usize = 2;

/// First and longest pause before a frame is measured again that failed for a passing reason, such
/// as a full disk or a missing card.
const REST: [Duration; 2] = [Duration::from_secs(4), Duration::from_secs(120)];

/// Frames that wait for another attempt.
struct Resting {
    frames: Vec<i64>,
    until: Instant,
    next: Duration,
}

/// The outcome of measuring some frames.
#[derive(Default)]
struct Measured {
    /// Their shoot; `None` when all frames are measured, or a run needs the processor.
    shoot: Option<i64>,
    /// Frames that could not be measured for a reason that may pass.
    later: Vec<i64>,
}

/// Measures whatever is not measured yet, and waits for more.
pub async fn run_forever(app: Arc<App>) {
    let mut said = Instant::now();
    let mut resting = Resting { frames: vec![], until: Instant::now(), next: REST[0] };
    loop {
        resting.woken(&app).await;
        // The shoot whose new figures have not been announced by an event yet.
        let mut untold: Option<i64> = None;
        loop {
            let measured = match some(&app).await {
                Ok(measured) => measured,
                Err(error) => {
                    tracing::error!("frames cannot be measured: {error}");
                    resting.add(vec![]);
                    Measured::default()
                }
            };
            if !measured.later.is_empty() {
                resting.add(measured.later);
            }
            let shoot = measured.shoot;
            if let Some(before) = untold
                && (shoot != untold || said.elapsed() >= TELL)
            {
                if shoot != untold
                    && let Err(error) = sort_watched(&app, before).await
                {
                    tracing::error!("frames cannot be sorted: {error}");
                }
                app.tell(Event::Shoot { id: before });
                said = Instant::now();
            }
            untold = shoot;
            if shoot.is_none() {
                break;
            }
        }
    }
}

impl Resting {
    /// Waits for new frames, or until a frame is due for another attempt.
    async fn woken(&mut self, app: &App) {
        let waits = !self.frames.is_empty() || self.until > Instant::now();
        if !waits {
            self.next = REST[0];
            return app.imported.notified().await;
        }
        tokio::select! {
            () = app.imported.notified() => {}
            () = tokio::time::sleep_until(self.until.into()) => {
                app.store.try_measuring_again(&std::mem::take(&mut self.frames));
            }
        }
    }

    /// Adds frames that wait for another attempt, after a longer pause each time. Without frames,
    /// measuring as a whole pauses.
    fn add(&mut self, frames: Vec<i64>) {
        self.frames.extend(frames);
        if self.until <= Instant::now() {
            self.until = Instant::now() + self.next;
            self.next = (self.next * 2).min(REST[1]);
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

async fn some(app: &Arc<App>) -> Result<Measured, ApiError> {
    // Files that are being added come first, because they need the disk and the processor.
    let _all = app.importers.acquire_many(app.importer_places).await.expect("never closed");
    if app.runner.is_busy() {
        return Ok(Measured::default());
    }
    let rows = app.store.unmeasured_frames(TOGETHER).await?;
    let mut made = Measured { shoot: rows.first().map(|row| row.shoot_id), later: vec![] };
    let mut measuring = Vec::new();
    for row in rows {
        let input = row.input(&PreparePlan::default());
        let worker = app.clone();
        let measured = tokio::spawn(async move {
            worker
                .work(move |app| {
                    let memory = app.budget.memory / TOGETHER as u64;
                    let budget = Budget { memory, ..app.budget };
                    // A passing reason is not stored as an error of the frame.
                    Ok::<_, ApiError>(
                        engine::measure(&input, &app.cache, budget, &|| app.is_ending())
                            .map_err(|error| (passes(&error), error.to_string())),
                    )
                })
                .await
        });
        measuring.push((row, measured));
    }
    for (row, measured) in measuring {
        let (later, reason) = match measured.await? {
            Ok(Ok(measures)) => match app.store.set_measures(row.id, &measures).await {
                Ok(()) => continue,
                Err(error) => (true, error.to_string()),
            },
            Ok(Err((later, reason))) => (later, reason),
            // Measuring this frame panicked. It is not tried again, and the others continue.
            Err(error) => (false, error.to_string()),
        };
        tracing::warn!("{}: not measured: {reason}", row.name);
        app.store.give_up_measuring(row.id);
        if later {
            made.later.push(row.id);
        }
    }
    Ok(made)
}

/// Whether the reason lies in the disk or the card rather than in the frame.
fn passes(error: &CoreError) -> bool {
    matches!(
        error,
        CoreError::Picture(PictureError::Io { .. } | PictureError::NoFile { .. })
            | CoreError::Scratch { .. }
            | CoreError::Cancelled
    )
}
