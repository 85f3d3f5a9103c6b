//! The skyline of a shoot while strokes are painted: found once, then updated with each stroke.

use crate::app::App;
use crate::calibrated;
use crate::error::ApiError;
use crate::running::JobWatch;
use crate::skyline_seen::{Kept, OpenSkyline, Session, levels};
use jade_combine::mask::Mask;
use jade_engine as engine;
use jade_engine::{Request, SkylineInputs};
use jade_frames::FrameInput;
use jade_frames::cache::Key;
use jade_pixels::read::PictureFile;
use jade_plan::FrameIndex;
use jade_plan::progress::Watch;
use jade_plan::{CoreError, NamedFile, Plan, SkylineMode};
use jade_skyline::Live;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Instant;

/// Shoots whose mask is held in memory.
const SEEN: usize = 4;
/// The input of a skyline.
struct Wish {
    plan: Plan,
    inputs: Vec<FrameInput>,
    reference: Option<usize>,
    mask: Option<PathBuf>,
}

impl Wish {
    async fn of(app: &Arc<App>, shoot: i64) -> Result<Self, ApiError> {
        let (current, used, inputs) = calibrated::in_run_of(app, shoot).await?;
        let place = |id: i64| used.iter().position(|row| row.id == id);
        let proposed = current.proposed_reference.as_ref().map(|proposed| proposed.frame_id);
        let reference = current.reference_id.and_then(place).or(proposed.and_then(place));
        let mask = loaded(app, &current.plan);
        Ok(Self { plan: current.plan, inputs, reference, mask })
    }

    /// Identifies the frames and their alignment.
    fn key(&self) -> Key {
        let lights: Vec<Key> = self.inputs.iter().map(FrameInput::light_key).collect();
        let inputs: Vec<&Key> = lights.iter().collect();
        Key::of("skyline-live", &(&self.plan.align, self.reference), &inputs)
    }

    fn version(&self) -> String {
        Key::of("skyline-seen", &self.plan.skyline.of_mask(), &[&self.key()]).as_str()[..16]
            .to_owned()
    }

    /// Size of the reference frame.
    fn size(&self) -> Result<(u32, u32), CoreError> {
        let middle = self.inputs.len() / 2;
        let Some(input) = self.inputs.get(self.reference.unwrap_or(middle)) else {
            return Err(CoreError::Frames(
                "There are no frames in which a skyline could be found; add some first.".to_owned(),
            ));
        };
        let file = PictureFile::open(&input.path)?;
        Ok((file.facts().width, file.facts().height))
    }
}

/// The mask file that a plan names.
pub fn loaded(app: &App, plan: &Plan) -> Option<PathBuf> {
    let mask = plan.skyline.mask.as_ref()?;
    (plan.skyline.mode == SkylineMode::Mask).then(|| app.original(&mask.blake3))
}

/// The skyline of a shoot that was found last; computes nothing.
pub fn at_hand(app: &App, shoot: i64) -> Option<Arc<OpenSkyline>> {
    let search = app.skylines.of(shoot);
    let mut kept = search.kept();
    let (used, open) = kept.as_mut()?.open.as_mut()?;
    *used = Instant::now();
    Some(open.clone())
}

/// The skyline of a shoot that was found last, and whether it is that of the present plan and frames.
///
/// # Errors
/// [`ApiError::Missing`] if none was found yet.
pub async fn last(app: &Arc<App>, shoot: i64) -> Result<(Arc<OpenSkyline>, bool), ApiError> {
    let version = Wish::of(app, shoot).await?.version();
    let open = at_hand(app, shoot).ok_or_else(|| {
        ApiError::Missing("The skyline was not found yet; find it first.".to_owned())
    })?;
    let is_current = open.version == version;
    Ok((open, is_current))
}

/// The skyline of the shoot's present plan.
///
/// # Errors
/// [`ApiError::Missing`] if it has not been found yet.
pub async fn current(app: &Arc<App>, shoot: i64) -> Result<Arc<OpenSkyline>, ApiError> {
    match last(app, shoot).await? {
        (open, true) => Ok(open),
        _ => Err(ApiError::Missing("The skyline changed; find it first.".to_owned())),
    }
}

/// Finds the skyline of a shoot under its plan, if that has not been done.
///
/// # Errors
/// [`ApiError`] with why there is none, and what to do.
pub async fn found(
    app: &Arc<App>,
    shoot: i64,
    watch: &Arc<JobWatch>,
) -> Result<Arc<OpenSkyline>, ApiError> {
    let search = app.skylines.of(shoot);
    let _turn = search.turn().await;
    let wish = Wish::of(app, shoot).await?;
    let version = wish.version();
    if let Some(open) = at_hand(app, shoot).filter(|open| open.version == version) {
        return Ok(open);
    }
    if watch.cancelled() {
        return Err(CoreError::Cancelled.into());
    }
    // The session is taken out while it is updated; if that fails, it is found anew.
    let session = search.kept().as_mut().and_then(|kept| kept.session.take());
    app.skylines.of_others(shoot, |kept| {
        if let Some(kept) = kept {
            kept.session = None;
        }
    });
    let watch = watch.clone();
    let work = move |app: &Arc<App>| make(app, &wish, version, session, &watch);
    let (session, open) = app.work(work).await?;
    let open = open.map(Arc::new);
    let kept_open = open.as_ref().ok().map(|open| (Instant::now(), open.clone()));
    *search.kept() = Some(Kept { session, open: kept_open });
    app.skylines.trim(
        SEEN,
        |search| search.open.as_ref().map(|(used, _)| *used),
        |search| search.open = None,
    );
    Ok(open?)
}

/// The session that strokes are applied to, if there is one, and the mask, or why there is none.
type Made = (Option<Session>, Result<OpenSkyline, CoreError>);

fn make(
    app: &Arc<App>,
    wish: &Wish,
    version: String,
    session: Option<Session>,
    watch: &JobWatch,
) -> Result<Made, CoreError> {
    let plan = &wish.plan.skyline;
    if let Some(path) = &wish.mask {
        let mask = Mask::read(path, wish.size()?)?.shaped(plan);
        let open = OpenSkyline { version, levels: levels(mask), likely: None, frames: 0 };
        return Ok((session, Ok(open)));
    }
    let key = wish.key();
    let mut session = match session.filter(|session| session.key == key) {
        Some(session) => session,
        None => begin(app, wish, key, watch)?,
    };
    let Session { found, live, .. } = &mut session;
    let stopped = || watch.cancelled();
    if let Err(error) = live.follow(&plan.strokes, &found.sights.views(), &stopped) {
        return Ok((Some(session), Err(error)));
    }
    let skyline = live.skyline();
    let likely = Some((skyline.grid(), skyline.sky().to_vec()));
    let levels = levels(live.mask().shaped(plan));
    let frames = found.sights.count();
    Ok((Some(session), Ok(OpenSkyline { version, levels, likely, frames })))
}

fn begin(app: &Arc<App>, wish: &Wish, key: Key, watch: &JobWatch) -> Result<Session, CoreError> {
    let mut plan = wish.plan.clone();
    plan.skyline.strokes.clear();
    let found = engine::skyline(&Request {
        frames: &wish.inputs,
        reference: wish.reference.map(FrameIndex::new),
        plan: &plan,
        cache: &app.cache,
        budget: app.budget,
        stream: false,
        skyline_inputs: SkylineInputs::default(),
        watch,
    })?;
    let (skyline, strokes) = (found.skyline.clone(), &wish.plan.skyline.strokes);
    let live = Live::new(skyline, strokes, &found.sights.views(), &|| watch.cancelled())?;
    Ok(Session { key, found, live })
}

/// Checks that an uploaded file can be the mask of a shoot, or the picture of its ground.
///
/// # Errors
/// [`ApiError`] with what is wrong with it.
pub async fn check(
    app: &Arc<App>,
    shoot: i64,
    file: &NamedFile,
    as_mask: bool,
) -> Result<(), ApiError> {
    let wish = Wish::of(app, shoot).await?;
    let (path, name) = (app.original(&file.blake3), file.file.clone());
    let done = app.work(move |_| {
        let size = wish.size()?;
        let file = PictureFile::open(&path)?;
        let found = (file.facts().width, file.facts().height);
        if found != size {
            let what = if as_mask { "mask" } else { "picture" };
            return Err(ApiError::Refused(format!(
                "{name}: this {what} has {} x {} pixels and the frames {} x {}; choose one of their size.",
                found.0, found.1, size.0, size.1
            )));
        }
        if as_mask {
            Mask::read(&path, size)?;
        }
        Ok(())
    });
    done.await
}
