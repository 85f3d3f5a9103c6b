//! A run: from frames and a plan to a picture.

use crate::combine_note::CombineNote;
use crate::keys::combine_key;
use crate::outcome::Outcome;
use crate::present::Present;
use crate::request::Request;
use crate::threads::pool;
use crate::{finish, focus, patch, stages};
use jade_frames::cache::Key;
use jade_pixels::tiled::TiledFile;
use jade_plan::{CoreError, Kind, Method};

/// Carries out a plan.
///
/// Memory stays within `request.budget` whatever the number and size of the frames; frames that
/// cannot be read or placed are left out and say why in the report.
///
/// # Errors
/// [`CoreError`] with one sentence for the person. Products of finished stages stay in the cache,
/// and a later run goes on from them.
pub fn stack(request: &Request) -> Result<Outcome, CoreError> {
    request.plan.check()?;
    // What was made of all frames serves while some of them are gone, too.
    let known = match request.plan.kind {
        Kind::FocusSweep => focus::known(request).is_some(),
        _ => known(request, &combine_key(request)).is_some(),
    };
    if known {
        return stacked(request);
    }
    let mut present = Present::of(request);
    loop {
        let outcome = stacked(&present.request(request))?;
        // A frame that went while the run had still to read it was left out under its own name.
        let now = Present::of(request);
        let all_used = outcome.report.frames.iter().all(|frame| frame.used);
        if all_used || now.is_as(&present) {
            return Ok(outcome);
        }
        present = now;
    }
}

fn stacked(request: &Request) -> Result<Outcome, CoreError> {
    if request.plan.kind == Kind::FocusSweep {
        let merged = focus::merge(request)?;
        return pool(request.budget)?.install(|| patch::patched(request, merged));
    }
    let outcome = combined(request)?;
    // How much frames differ is no picture to be finished.
    if !request.plan.finish.is_on() || request.plan.combine.method == Method::Spread {
        return Ok(outcome);
    }
    pool(request.budget)?.install(|| finish::finish(request, outcome))
}

/// What was combined under a key before, if it is there still.
fn known(request: &Request, key: &Key) -> Option<CombineNote> {
    let note = request.cache.read("combine", key)?;
    TiledFile::<f32>::open(&request.cache.picture(key)).is_ok().then_some(note)
}

fn combined(request: &Request) -> Result<Outcome, CoreError> {
    let key = combine_key(request);
    let picture = request.cache.picture(&key);
    if let Some(note) = known(request, &key) {
        return Ok(note.outcome(key, picture));
    }
    let note = pool(request.budget)?.install(|| stages::run(request, &key))?;
    request.cache.write("combine", &key, &note)?;
    Ok(note.outcome(key, picture))
}
