//! The demo shoot: made up by the simulated camera on the first start.

use crate::App;
use crate::error::ApiError;
use crate::import::{self, Import};
use crate::types::{NewShoot, Role};
use jade_core::plan::Kind;
use jade_scenes::night_sky::{NightSky, Options};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Name of the night-sky demo shoot.
pub const SALTPAN: &str = "Saltpan mast";

/// Where the frames of the demo lie below the data folder.
pub fn folder(data: &Path) -> PathBuf {
    data.join("demo-frames")
}

/// Makes the frames of the demo where they are missing.
///
/// # Errors
/// [`ApiError::Inner`] when they cannot be written.
pub fn make_frames(data: &Path) -> Result<(), ApiError> {
    let target = folder(data).join("saltpan-mast");
    if target.exists() {
        return Ok(());
    }
    // Made aside, so that a killed first start does not leave half a shoot.
    let aside = folder(data).join(".aside-saltpan-mast");
    let _ = std::fs::remove_dir_all(&aside);
    std::fs::create_dir_all(&aside)?;
    let inner = |e: jade_scenes::SceneError| ApiError::Inner(e.to_string());
    NightSky::new(Options::default()).map_err(inner)?.write(&aside, |_, _| true).map_err(inner)?;
    Ok(std::fs::rename(aside, target)?)
}

/// Puts the demo shoot into the store unless one of its name is or was there.
///
/// # Errors
/// [`ApiError`].
pub async fn store_shoot(app: &Arc<App>) -> Result<(), ApiError> {
    if app.store.ever_had(SALTPAN).await? {
        return Ok(());
    }
    let new = NewShoot { name: SALTPAN.to_owned(), kind: Kind::NightSky };
    let shoot = app.store.add_shoot(&new).await?;
    let frames = folder(&app.data).join("saltpan-mast");
    for (folder, role) in [(frames.clone(), Role::Light), (frames.join("darks"), Role::Dark)] {
        let mut running = tokio::task::JoinSet::new();
        for path in crate::folders::pictures_in(&folder)? {
            let app = app.clone();
            let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
            let import = Import { path, name, linked: true, role, blake3: None };
            running.spawn(async move { import::add(&app, shoot, import).await });
        }
        while let Some(done) = running.join_next().await {
            done??;
        }
    }
    Ok(())
}
