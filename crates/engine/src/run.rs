//! A run: from frames and a plan to a picture.

use crate::outcome::Outcome;
use crate::present::Present;
use crate::request::Request;
use crate::stages;
use crate::threads::pool;
use jade_plan::CoreError;

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
    if stages::source(request.plan.kind.rules().source).known(request).is_some() {
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
    let rules = request.plan.kind.rules();
    let mut outcome = stages::made(stages::source(rules.source), request)?;
    for stage in rules.changes.iter().map(|change| stages::change(*change)) {
        if stage.is_on(request.plan) {
            outcome = pool(request.budget)?.install(|| stage.change(request, outcome))?;
        }
    }
    Ok(outcome)
}
