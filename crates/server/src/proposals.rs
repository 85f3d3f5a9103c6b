//! Proposals for the frames of a shoot: the sets they belong to, which of them are spoiled, and the
//! reference frame. They are computed from facts and measures whenever a shoot is read.

use crate::error::ApiError;
use crate::store::{FrameRow, in_run};
use crate::types::{Check, Doubt, FrameSet, ProposedKind, ProposedReference, ProposedSet, Role};
use jade_frames::calibration_match;
use jade_pixels::facts::Facts;
use jade_plan::{FrameRole, Kind, WhiteBalance};
use jade_survey::measures::Measures;
use jade_survey::sets::{self, Purpose};
use jade_survey::{checks, judge, reference};
use std::collections::HashSet;

/// Proposals for the frames of a shoot.
pub struct Proposals {
    pub doubts: Vec<Doubt>,
    pub sets: Vec<ProposedSet>,
    pub kind: Option<ProposedKind>,
    pub reference: Option<ProposedReference>,
    pub checks: Vec<Check>,
}

/// A frame whose facts and measures are known.
struct KnownFrame<'a> {
    row: &'a FrameRow,
    facts: Facts,
    measures: Measures,
}

impl Proposals {
    /// Judges the frames of a shoot of a kind, of which one set is stacked with a white balance.
    /// `unmeasurable` frames are not waited for.
    ///
    /// # Errors
    /// [`ApiError::Inner`] for a store that cannot be read.
    pub fn of(
        rows: &[FrameRow],
        sets: &[FrameSet],
        stacked: Option<i64>,
        kind: Kind,
        balance: &WhiteBalance,
        unmeasurable: &HashSet<i64>,
    ) -> Result<Self, ApiError> {
        let known = known(rows)?;
        // Frames that cannot be measured are not waited for.
        let comes = |row: &&FrameRow| row.is_usable() && !unmeasurable.contains(&row.id);
        let all_known = rows.iter().filter(comes).count() <= known.len();
        let looked: Vec<(&Facts, &Measures)> =
            known.iter().map(|one| (&one.facts, &one.measures)).collect();
        let found = sets::propose(&looked);
        let fresh = proposed_sets(&found, &known, sets)?;
        let doubts = doubts(&known, &fresh, kind)?;
        // Frames that are not measured yet may show that others belong elsewhere.
        let (sets, kind) = match all_known {
            true => (fresh, proposed_kind(&found, kind)),
            false => (vec![], None),
        };
        let reference = proposed_reference(rows, stacked, &known, &doubts, unmeasurable);
        // Until the frames are sorted it is not known which of them are stacked.
        let checks = match all_known && sets.is_empty() {
            true => checked(rows, stacked, balance, &known)?,
            false => vec![],
        };
        Ok(Self { doubts, sets, kind, reference, checks })
    }
}

/// Usable frames whose facts and measures are known, in the order they were taken.
fn known(rows: &[FrameRow]) -> Result<Vec<KnownFrame<'_>>, ApiError> {
    let mut known = Vec::new();
    for row in rows.iter().filter(|row| row.is_usable()) {
        if let (Some(facts), Some(measures)) = (row.facts()?, row.measures()?) {
            known.push(KnownFrame { row, facts, measures });
        }
    }
    if known.iter().all(|one| one.facts.taken.is_some()) {
        known.sort_by(|a, b| a.facts.taken.cmp(&b.facts.taken));
    }
    Ok(known)
}

fn role(purpose: Purpose) -> Role {
    match purpose {
        Purpose::Sky | Purpose::Ground | Purpose::Bracket | Purpose::Focus | Purpose::Scene => {
            Role::Light
        }
        Purpose::Dark => Role::Dark,
        Purpose::Flat => Role::Flat,
        Purpose::Bias => Role::Bias,
    }
}

/// Sets for the lights that are in none; empty while all are lights of one set.
fn proposed_sets(
    found: &[sets::ProposedSet],
    known: &[KnownFrame],
    sets: &[FrameSet],
) -> Result<Vec<ProposedSet>, ApiError> {
    let mut proposed = Vec::new();
    for set in found {
        let role = role(set.purpose);
        let rows = || set.frames.iter().map(|&i| known[i as usize].row);
        let fresh = |row: &&FrameRow| row.set_id.is_none() && row.is_light();
        let frame_ids: Vec<i64> = rows().filter(fresh).map(|row| row.id).collect();
        if frame_ids.is_empty() {
            continue;
        }
        let with = sets
            .iter()
            .filter(|set| set.role == role)
            .max_by_key(|set| rows().filter(|row| row.set_id == Some(set.id)).count());
        let into = with.filter(|set| rows().any(|row| row.set_id == Some(set.id)));
        proposed.push(ProposedSet {
            purpose: set.purpose,
            role,
            name: into.map_or(&set.name, |set| &set.name).clone(),
            into: into.map(|set| set.id),
            frame_ids,
            reason: set.reason.clone(),
        });
    }
    let one = matches!(&proposed[..], [set] if set.role == Role::Light && set.into.is_none());
    let sorted = known.iter().any(|one| one.row.set_id.is_some());
    Ok(if one && !sorted { vec![] } else { proposed })
}

fn proposed_kind(found: &[sets::ProposedSet], said: Kind) -> Option<ProposedKind> {
    let (kind, reason) = sets::other_kind(found, said)?;
    Some(ProposedKind { kind, reason: reason.to_owned() })
}

/// Doubts about lights. Frames that the person wants to keep serve as neighbours, but are not
/// doubted.
fn doubts(known: &[KnownFrame], fresh: &[ProposedSet], kind: Kind) -> Result<Vec<Doubt>, ApiError> {
    // Frames that are no lights are sorted first, and say nothing about the lights.
    let others: Vec<i64> = fresh
        .iter()
        .filter(|set| set.role != Role::Light)
        .flat_map(|set| set.frame_ids.clone())
        .collect();
    let lights: Vec<&KnownFrame> =
        known.iter().filter(|one| one.row.is_light() && !others.contains(&one.row.id)).collect();
    let frames: Vec<(&Facts, &Measures)> =
        lights.iter().map(|one| (&one.facts, &one.measures)).collect();
    let spoiled = judge::spoiled(&frames, kind).into_iter();
    let said = spoiled.map(|doubt| (lights[doubt.frame as usize].row, doubt.reason));
    Ok(said
        .filter(|(row, _)| !row.kept)
        .map(|(row, reason)| Doubt { frame_id: row.id, reason })
        .collect())
}

fn proposed_reference(
    rows: &[FrameRow],
    stacked: Option<i64>,
    known: &[KnownFrame],
    doubts: &[Doubt],
    unmeasurable: &HashSet<i64>,
) -> Option<ProposedReference> {
    let mut used = in_run(rows, stacked);
    used.retain(|row| !unmeasurable.contains(&row.id));
    let looked: Vec<(&KnownFrame, bool)> = known
        .iter()
        .filter(|one| used.iter().any(|row| row.id == one.row.id))
        .map(|one| (one, doubts.iter().any(|doubt| doubt.frame_id == one.row.id)))
        .collect();
    if looked.len() < used.len() {
        return None;
    }
    let frames: Vec<(&Measures, bool)> =
        looked.iter().map(|(one, doubt)| (&one.measures, *doubt)).collect();
    let found = reference::propose(&frames)?;
    Some(ProposedReference {
        frame_id: looked[found.frame as usize].0.row.id,
        reason: found.reason,
    })
}

/// Conditions that would spoil the stack of these frames, and calibration frames that do not match
/// them.
fn checked(
    rows: &[FrameRow],
    stacked: Option<i64>,
    balance: &WhiteBalance,
    known: &[KnownFrame],
) -> Result<Vec<Check>, ApiError> {
    let used: Vec<&KnownFrame> = in_run(rows, stacked)
        .iter()
        .filter_map(|row| known.iter().find(|one| one.row.id == row.id))
        .collect();
    let named: Vec<checks::Named> =
        used.iter().map(|one| (one.row.name.as_str(), &one.facts, &one.measures)).collect();
    let said = |check: checks::Check, ids: &[i64]| Check {
        frame_ids: check.frames.iter().map(|&i| ids[i as usize]).collect(),
        text: check.text,
        leave_out: check.leave_out,
        balance: check.balance,
    };
    let ids: Vec<i64> = used.iter().map(|one| one.row.id).collect();
    let mut found: Vec<Check> =
        checks::check(&named, balance).into_iter().map(|check| said(check, &ids)).collect();
    // A frame that was left out does not count as missing from the sequence.
    let all = sequence(rows, stacked)?;
    let ids: Vec<i64> = all.iter().map(|(row, _)| row.id).collect();
    let named: Vec<(&str, &Facts)> =
        all.iter().map(|(row, facts)| (row.name.as_str(), facts)).collect();
    found.extend(checks::check_sequence(&named).into_iter().map(|check| said(check, &ids)));
    let of = |role: Role| -> Vec<&KnownFrame> {
        known.iter().filter(|one| one.row.role().is_ok_and(|its_role| its_role == role)).collect()
    };
    let scaled = !of(Role::Bias).is_empty();
    let lights: Vec<calibration_match::Named> =
        used.iter().map(|one| (one.row.name.as_str(), &one.facts)).collect();
    for (role, shows) in [
        (Role::Dark, FrameRole::Dark),
        (Role::Flat, FrameRole::Flat),
        (Role::Bias, FrameRole::Bias),
    ] {
        let frames = of(role);
        let named: Vec<calibration_match::Named> =
            frames.iter().map(|one| (one.row.name.as_str(), &one.facts)).collect();
        if let Err(text) = calibration_match::fitting_all(shows, &named, &lights, scaled) {
            let frame_ids = frames.iter().map(|one| one.row.id).collect();
            found.push(Check { text, frame_ids, leave_out: true, balance: false });
        }
    }
    Ok(found)
}

/// The readable lights of the stacked set in the order of their file names, including those left
/// out.
fn sequence(rows: &[FrameRow], stacked: Option<i64>) -> Result<Vec<(&FrameRow, Facts)>, ApiError> {
    let mut all = Vec::new();
    for row in rows {
        let stacked = stacked.is_none() || row.set_id == stacked;
        if let (true, Role::Light, None, Some(facts)) =
            (stacked, row.role()?, row.problem(), row.facts()?)
        {
            all.push((row, facts));
        }
    }
    Ok(all)
}
