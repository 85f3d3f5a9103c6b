//! A run: from frames and a plan to a picture.

use crate::outcome::Outcome;
use crate::present::Present;
use crate::request::Request;
use crate::stages::{self, Change};
use crate::threads::pool;
use jade_pixels::tiled::Region;
use jade_plan::CoreError;

/// Carries out a plan.
///
/// Memory stays within `request.budget`, whatever the number and size of the frames. Frames that
/// cannot be read or placed are left out; the report has the reasons.
///
/// # Errors
/// [`CoreError`] with one sentence for a person. Products of finished stages stay in the cache, and
/// a later run continues from them.
pub fn stack(request: &Request) -> Result<Outcome, CoreError> {
    request.plan.check()?;
    // A picture that was made of all frames is valid while some of them are gone, too.
    if stages::source(request.plan.kind.rules().source).known(request).is_some() {
        return stacked(request);
    }
    let mut present = Present::of(request);
    loop {
        let outcome = stacked(&present.request(request))?;
        // A frame that disappeared during the run was left out under the name it had when it was
        // there.
        let now = Present::of(request);
        let all_used = outcome.report.frames.iter().all(|frame| frame.used);
        if all_used || now.is_as(&present) {
            return Ok(outcome);
        }
        present = now;
    }
}

/// The light of a region of the picture that [`stack`] makes, three channels interleaved: the same
/// bytes as in the whole picture. Only the last stage is limited to the region; the stages before
/// it are run in full and kept in the cache.
///
/// # Errors
/// [`CoreError::Setting`] for a region that does not lie inside the picture; those of [`stack`].
pub fn region(request: &Request, region: Region) -> Result<Vec<f32>, CoreError> {
    request.plan.check()?;
    let present = Present::of(request);
    let request = &present.request(request);
    let source = stages::source(request.plan.kind.rules().source);
    let mut changes = changes(request);
    let Some(last) = changes.pop() else {
        return pool(request.budget)?.install(|| source.region(request, region));
    };
    let before = changed(request, stages::made(source, request)?, &changes)?;
    pool(request.budget)?.install(|| last.region(request, &before, region))
}

fn stacked(request: &Request) -> Result<Outcome, CoreError> {
    let source = stages::source(request.plan.kind.rules().source);
    changed(request, stages::made(source, request)?, &changes(request))
}

/// The changes that the plan asks for, in order.
fn changes(request: &Request) -> Vec<&'static dyn Change> {
    let all = request.plan.kind.rules().changes.iter().map(|change| stages::change(*change));
    all.filter(|change| change.is_on(request.plan)).collect()
}

fn changed(
    request: &Request,
    made: Outcome,
    changes: &[&dyn Change],
) -> Result<Outcome, CoreError> {
    let pool = pool(request.budget)?;
    changes.iter().try_fold(made, |before, stage| pool.install(|| stage.change(request, before)))
}
