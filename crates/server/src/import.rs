//! Adding files to a shoot: each is hashed, decoded once and made ready to be shown.

use crate::app::App;
use crate::error::ApiError;
use crate::pictures;
use crate::store::NewFrame;
use crate::types::{AddFolder, Added, Event, Role};
use jade_frames::{FileState, FrameInput, content_hash};
use jade_pixels::PictureError;
use jade_pixels::read::PictureFile;
use jade_plan::{CoreError, FrameId, PreparePlan};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A file to be added.
pub struct Import {
    /// Where it lies.
    pub path: PathBuf,
    /// File name that the person sees.
    pub name: String,
    /// Whether it stays there.
    pub linked: bool,
    /// Its role.
    pub role: Role,
    /// Hash of the content, when it is known already.
    pub blake3: Option<String>,
}

/// Adds one file. A file that cannot be read is listed with its reason; a file that cannot be
/// stored is an error.
///
/// # Errors
/// [`ApiError`] when the disk or the store fails.
pub async fn add(app: &Arc<App>, shoot: i64, import: Import) -> Result<Added, ApiError> {
    let place = app.importers.acquire().await.expect("the importers' places are never closed");
    let Import { path, name, linked, role, blake3 } = import;
    let file = path.clone();
    let (state, blake3) = app
        .work(move |_| {
            // The state is read before the content, so that a change while it is read is noticed
            // later.
            let state = FileState::of(&file)?;
            let blake3 = blake3.map_or_else(|| content_hash(&file), Ok)?;
            Ok::<_, CoreError>((state, FrameId::from(blake3)))
        })
        .await?;
    if let Some(same) = app.store.frame_with_content(shoot, &blake3).await? {
        return Ok(Added { name, frame: None, same_as: Some(same.name), problem: None });
    }
    let input = FrameInput {
        path: path.clone(),
        name: name.clone(),
        id: blake3.clone(),
        state: Some(state),
        prepare: PreparePlan::default(),
        calibration: None,
    };
    let facts = app
        .work(move |app| {
            let facts = match PictureFile::open(&input.path) {
                Ok(file) => file.facts().clone(),
                Err(error) => return Ok(Err(error.into())),
            };
            pictures::make_room_for(&input, app)?;
            let opened = pictures::open_frame(&input, &app.cache);
            Ok::<_, ApiError>(opened.map(|_| facts))
        })
        .await?;
    // Writing to the store waits for the disk; the next file may begin meanwhile.
    drop(place);
    let facts = match facts {
        Ok(facts) => Ok(facts),
        Err(error) => match not_kept(&error, &path) {
            Some(why) => return Err(ApiError::Refused(format!("{name}: {why}"))),
            None => Err(renamed(&error.to_string(), &path, &name)),
        },
    };
    let new = NewFrame { name: name.clone(), path, linked, blake3, state, role, facts };
    let row = app.store.add_frame(shoot, &new).await?;
    app.tell(Event::Shoot { id: shoot });
    app.imported.notify_one();
    match row {
        Some(row) => {
            let frame = Some(row.view(&app.store.plan(shoot).await?)?);
            Ok(Added { name, frame, same_as: None, problem: None })
        }
        None => {
            let same = app.store.frame_with_content(shoot, &new.blake3).await?;
            let same_as = Some(same.map_or_else(|| name.clone(), |same| same.name));
            Ok(Added { name, frame: None, same_as, problem: None })
        }
    }
}

/// Why a frame could not be stored, if its file is not at fault.
fn not_kept(error: &CoreError, file: &Path) -> Option<String> {
    let CoreError::Picture(PictureError::Io { path, reason }) = error else { return None };
    (path != file).then(|| match reason.kind() {
        std::io::ErrorKind::StorageFull | std::io::ErrorKind::QuotaExceeded => {
            "there is no room for it on the disk of the data folder; make room there and add it again.".to_owned()
        }
        _ => format!("the data folder cannot be written ({reason}); put that right and add it again."),
    })
}

/// Names the file in a reason as the person knows it, instead of the path of the upload.
fn renamed(reason: &str, path: &Path, name: &str) -> String {
    let stored = path.file_name().unwrap_or_default().to_string_lossy();
    match reason.strip_prefix(stored.as_ref()) {
        Some(rest) => format!("{name}{rest}"),
        None => reason.to_owned(),
    }
}

/// Adds all picture files of a folder inside the roots, in natural order, and watches it if wanted.
///
/// # Errors
/// [`ApiError::Refused`] outside the roots or where there is no picture.
pub async fn add_folder(
    app: &Arc<App>,
    shoot: i64,
    wish: &AddFolder,
) -> Result<Vec<Added>, ApiError> {
    let AddFolder { path, role, watch } = wish;
    let role = *role;
    let wanted = path.clone();
    let (folder, pictures) = app
        .work(move |app| {
            let folder = app.roots.inside(&wanted)?;
            let pictures = crate::folders::pictures_in(&folder)?;
            Ok::<_, ApiError>((folder, pictures))
        })
        .await?;
    if *watch {
        app.store.watch(shoot, Some((&folder, role))).await?;
        app.tell(Event::Shoot { id: shoot });
    } else if pictures.is_empty() {
        return Err(ApiError::field(
            "path",
            format!(
                "{path}: there is no raw, TIFF, PNG or JPEG file in this folder; choose another."
            ),
        ));
    }
    let mut running = tokio::task::JoinSet::new();
    for (place, path) in pictures.into_iter().enumerate() {
        let app = app.clone();
        running.spawn(async move {
            let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
            let import = Import { path, name: name.clone(), linked: true, role, blake3: None };
            // A file that fails, as when the card is taken out, does not stop the others.
            let added = add(&app, shoot, import).await.unwrap_or_else(|error| Added {
                name,
                frame: None,
                same_as: None,
                problem: Some(error.to_string()),
            });
            (place, added)
        });
    }
    let mut added = Vec::new();
    while let Some(done) = running.join_next().await {
        added.push(done?);
    }
    added.sort_by_key(|(place, _)| *place);
    Ok(added.into_iter().map(|(_, one)| one).collect())
}
