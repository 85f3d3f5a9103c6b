//! Polls watched folders once a second and adds new files. A file is added once it has not changed
//! between two polls. Polling also works on network folders and cards, where the system sends no
//! notifications.

use crate::app::App;
use crate::error::ApiError;
use crate::folders::pictures_in;
use crate::import::{self, Import};
use crate::paths;
use crate::types::{Event, Watched};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, SystemTime};

const LOOK: Duration = Duration::from_secs(1);

/// Length and time of change of a file, by which changes are noticed.
type Stamp = (u64, SystemTime);

/// The state of a watched file.
#[derive(Clone, Copy)]
enum WatchedFile {
    /// It may still be written.
    At(Stamp),
    /// It was added, or need not be.
    Settled(Stamp),
}

#[derive(Default)]
struct Looked {
    files: HashMap<(i64, PathBuf), WatchedFile>,
}

/// A file that was seen in a watched folder.
type Found = (PathBuf, Stamp);

/// Looks for as long as the server runs.
pub async fn run_forever(app: Arc<App>) {
    let mut looked = Looked::default();
    let mut ticks = tokio::time::interval(LOOK);
    ticks.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
    loop {
        ticks.tick().await;
        let folders = match app.store.all_watched().await {
            Ok(folders) => folders,
            Err(error) => {
                tracing::error!("watched folders cannot be read from the store: {error}");
                continue;
            }
        };
        for (shoot, folder) in folders {
            if let Err(error) = look(&app, &mut looked, shoot, &folder).await {
                tracing::warn!("{}: {error}", folder.path);
            }
        }
    }
}

async fn look(
    app: &Arc<App>,
    looked: &mut Looked,
    shoot: i64,
    folder: &Watched,
) -> Result<(), ApiError> {
    let path = folder.path.clone();
    let found = app.work(move |app| files_in(app, &path)).await?;
    if app.gone.note(shoot, found.is_none()) {
        app.tell(Event::Shoot { id: shoot });
    }
    let Some(found) = found else { return Ok(()) };
    let mut ready = Vec::new();
    for (path, stamp) in found {
        let known = looked.files.get(&(shoot, path.clone())).copied();
        let now = match known {
            Some(WatchedFile::Settled(before)) if before == stamp => continue,
            // A camera makes the file first and fills it later.
            Some(WatchedFile::At(before)) if before == stamp && stamp.0 > 0 => {
                ready.push(path.clone());
                WatchedFile::Settled(stamp)
            }
            _ => WatchedFile::At(stamp),
        };
        looked.files.insert((shoot, path), now);
    }
    let mut adding = tokio::task::JoinSet::new();
    for path in ready {
        match app.store.frame_at(shoot, &path).await? {
            // A file that could not be read has changed since.
            Some(row) if row.problem().is_some() => app.store.remove_frame(shoot, row.id).await?,
            Some(_) => continue,
            None => {}
        }
        let (app, role) = (app.clone(), folder.role);
        adding.spawn(async move {
            let name = paths::shown_name(&path);
            let import = Import { path: path.clone(), name, linked: true, role, blake3: None };
            (path, import::add(&app, shoot, import).await)
        });
    }
    while let Some(added) = adding.join_next().await {
        if let (path, Err(error)) = added? {
            tracing::warn!("{}: {error}", path.display());
            // It is tried again, and does not block other files.
            looked.files.remove(&(shoot, path));
        }
    }
    Ok(())
}

/// The pictures in a folder; `None` where it is not there.
fn files_in(app: &App, path: &str) -> Result<Option<Vec<Found>>, ApiError> {
    if !paths::from_text(path).is_dir() {
        return Ok(None);
    }
    let pictures = pictures_in(&app.roots.inside(path)?)?;
    let stamped = pictures.into_iter().filter_map(|path| Some((path.clone(), stamp(&path)?)));
    Ok(Some(stamped.collect()))
}

fn stamp(path: &Path) -> Option<Stamp> {
    let facts = std::fs::metadata(path).ok()?;
    Some((facts.len(), facts.modified().ok()?))
}
