//! The demo shoots: made up by the simulated camera on the first start.

use crate::app::App;
use crate::error::ApiError;
use crate::import::{self, Import};
use crate::types::{NewShoot, Role, ShootChange, Sort};
use jade_pixels::PictureError;
use jade_plan::{Kind, SkylineMode};
use jade_scenes::SceneError;
use jade_scenes::focus_sweep::{self, FocusSweep};
use jade_scenes::kiln_yard::{self, KilnYard};
use jade_scenes::night_sky::{self, Card, Land, NightSky, Purpose};
use serde_json::json;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// One demo shoot.
struct Demo {
    name: &'static str,
    kind: Kind,
    folder: &'static str,
    make: fn(&Path) -> Result<(), SceneError>,
}

const DEMOS: [Demo; 6] = [
    Demo {
        name: "Bare trees by the salt pan",
        kind: Kind::NightSky,
        folder: "bare-trees",
        make: bare_trees,
    },
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
        name: "Moss cushion",
        kind: Kind::FocusSweep,
        folder: "moss-cushion",
        make: |folder| {
            let options = focus_sweep::Options {
                frames: 14,
                width: 1200,
                height: 800,
                seed: 11,
                deflate: false,
            };
            FocusSweep::new(options)?.write(folder, |_, _| true)
        },
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

/// A night sky behind bare branches, and in a folder of their own brighter frames for the ground.
fn bare_trees(folder: &Path) -> Result<(), SceneError> {
    let options = night_sky::Options {
        frames: 12,
        darks: 0,
        width: 1500,
        height: 1000,
        seed: 21,
        deflate: false,
    };
    let scene = NightSky::over(Land::Branches, options, None)?;
    scene.write(folder, |_, _| true)?;
    let card = Card { ground: 4, flats: 0, biases: 0, raw: false };
    let ground = folder.join("ground");
    std::fs::create_dir_all(&ground).map_err(PictureError::io(&ground))?;
    let frames = scene.card(&card).into_iter().filter(|one| one.purpose == Purpose::Ground);
    frames.into_iter().try_for_each(|frame| scene.write_card_frame(&ground, &frame, false))
}

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
        // Made under another name first, so that a killed first start does not leave half a shoot.
        let aside = folder(data).join(format!(".aside-{}", demo.folder));
        let _ = std::fs::remove_dir_all(&aside);
        std::fs::create_dir_all(&aside)?;
        (demo.make)(&aside).map_err(|e| ApiError::Inner(e.to_string()))?;
        std::fs::rename(aside, target)?;
    }
    Ok(())
}

/// Adds the demo shoots to the store, except those whose name is or was there.
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
        let ground = frames.join("ground");
        let folders = [
            (frames.clone(), Role::Light),
            (frames.join("ground"), Role::Light),
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
            let mut added = Vec::new();
            while let Some(done) = running.join_next().await {
                added.extend(done??.frame.map(|frame| frame.id));
            }
            if role == Role::Light && ground.exists() {
                let name = if folder == ground { "Ground" } else { "Sky" };
                let (name, frame_ids) = (name.to_owned(), added);
                let set = Sort { name, role, into: None, frame_ids };
                app.store.sort_frames(shoot, &[set]).await?;
            }
        }
        if ground.exists() {
            let mut plan = app.store.plan(shoot).await?;
            plan.skyline.mode = SkylineMode::Auto;
            let change = ShootChange { plan: Some(json!(plan)), ..ShootChange::default() };
            app.store.change_shoot(shoot, &change, None).await?;
        }
    }
    Ok(())
}
