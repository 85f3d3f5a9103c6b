//! The demo shoots: made up by the simulated camera on the first start.

use crate::App;
use crate::error::ApiError;
use crate::import::{self, Import};
use crate::types::{NewShoot, Role};
use jade_core::plan::Kind;
use jade_scenes::SceneError;
use jade_scenes::kiln_yard::{self, KilnYard};
use jade_scenes::night_sky::{self, Card, NightSky};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// One demo shoot.
struct Demo {
    name: &'static str,
    kind: Kind,
    folder: &'static str,
    make: fn(&Path) -> Result<(), SceneError>,
}

const DEMOS: [Demo; 4] = [
    Demo {
        name: "Saltpan mast, a whole card",
        kind: Kind::NightSky,
        folder: "saltpan-card",
        make: |folder| {
            let options = night_sky::Options {
                frames: 12,
                darks: 5,
                width: 1200,
                height: 800,
                seed: 7,
                deflate: false,
            };
            let card = Card { ground: 5, flats: 5, biases: 4, raw: true };
            NightSky::new(options)?.write_card(folder, &card, |_, _| true)
        },
    },
    Demo {
        name: "Kiln yard at dusk",
        kind: Kind::LowLightBurst,
        folder: "kiln-yard",
        make: |folder| KilnYard::new(kiln_yard::Options::default())?.write(folder, |_, _| true),
    },
    Demo {
        name: "Saltpan mast",
        kind: Kind::NightSky,
        folder: "saltpan-mast",
        make: |folder| NightSky::new(night_sky::Options::default())?.write(folder, |_, _| true),
    },
    Demo {
        name: "Saltpan mast, raw",
        kind: Kind::NightSky,
        folder: "saltpan-mast-raw",
        make: |folder| {
            let options = night_sky::Options {
                frames: 8,
                darks: 8,
                width: 1800,
                height: 1200,
                seed: 4,
                deflate: false,
            };
            NightSky::new(options)?.write_raw(folder, 8, 8, |_, _| true)
        },
    },
];

/// Where the frames of the demo lie below the data folder.
pub fn folder(data: &Path) -> PathBuf {
    data.join("demo-frames")
}

/// Makes the frames of the demo shoots where they are missing.
///
/// # Errors
/// [`ApiError::Inner`] when they cannot be written.
pub fn make_frames(data: &Path) -> Result<(), ApiError> {
    for demo in &DEMOS {
        let target = folder(data).join(demo.folder);
        if target.exists() {
            continue;
        }
        // Made aside, so that a killed first start does not leave half a shoot.
        let aside = folder(data).join(format!(".aside-{}", demo.folder));
        let _ = std::fs::remove_dir_all(&aside);
        std::fs::create_dir_all(&aside)?;
        (demo.make)(&aside).map_err(|e| ApiError::Inner(e.to_string()))?;
        std::fs::rename(aside, target)?;
    }
    Ok(())
}

/// Puts the demo shoots into the store unless one of the name is or was there.
///
/// # Errors
/// [`ApiError`].
pub async fn store_shoots(app: &Arc<App>) -> Result<(), ApiError> {
    for demo in &DEMOS {
        if app.store.ever_had(demo.name).await? {
            continue;
        }
        let new = NewShoot { name: demo.name.to_owned(), kind: demo.kind };
        let shoot = app.store.add_shoot(&new).await?;
        let frames = folder(&app.data).join(demo.folder);
        let folders = [
            (frames.clone(), Role::Light),
            (frames.join("darks"), Role::Dark),
            (frames.join("flats"), Role::Flat),
            (frames.join("biases"), Role::Bias),
        ];
        for (folder, role) in folders {
            if !folder.exists() {
                continue;
            }
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
    }
    Ok(())
}
