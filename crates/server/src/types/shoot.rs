//! Shoots, and changes of them.

use super::frame::{Frame, Watched};
use super::job::{Job, ShootResult};
use super::picture::Probe;
use super::proposal::{Check, Doubt, ProposedKind, ProposedReference, ProposedSet};
use super::set::FrameSet;
use jade_plan::{Kind, Plan};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::fmt;
use utoipa::ToSchema;

/// How far a shoot has come.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum ShootState {
    /// No frames yet.
    Empty,
    /// Frames, but no result.
    Gathered,
    /// A run is queued or under way.
    Running,
    /// The last run ended without a result.
    Stopped,
    /// At least one result.
    Done,
}

/// A shoot as a card on the first page.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct ShootCard {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// What it is for.
    pub kind: Kind,
    /// How far it is.
    pub state: ShootState,
    /// Light frames.
    pub lights: u32,
    /// Number of dark frames.
    pub darks: u32,
    /// Number of results.
    pub results: u32,
    /// Milliseconds since 1970.
    pub touched: i64,
    /// Source of the picture to show, if there is one.
    pub picture: Option<String>,
    /// The picture's version; its address carries it.
    pub version: String,
}

/// A place in the list of shoots, which is that of a shoot; written as `TOUCHED-ID`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(try_from = "String")]
pub struct ListPlace {
    /// When the shoot was touched last, in milliseconds after the beginning of 1970.
    pub touched: i64,
    /// Its number.
    pub id: i64,
}

impl fmt::Display for ListPlace {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}-{}", self.touched, self.id)
    }
}

impl TryFrom<String> for ListPlace {
    type Error = String;

    fn try_from(text: String) -> Result<Self, String> {
        let place = text.split_once('-').and_then(|(touched, id)| {
            Some(Self { touched: touched.parse().ok()?, id: id.parse().ok()? })
        });
        place.ok_or_else(|| format!("{text} is no place in the list of shoots"))
    }
}

/// A new shoot.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct NewShoot {
    /// Its name, 1 to 120 letters.
    pub name: String,
    /// What it is for.
    pub kind: Kind,
}

/// Changes of a shoot; what is absent stays.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
pub struct ShootChange {
    /// A new name.
    pub name: Option<String>,
    /// The settings to change, as an object of objects.
    #[schema(value_type = Option<BTreeMap<String, Value>>)]
    pub plan: Option<Value>,
    /// The values of all changed settings before the change. Where somebody else changed the shoot
    /// meanwhile, both changes are merged, or this one is refused if both concern one setting.
    #[schema(value_type = Option<BTreeMap<String, Value>>)]
    pub was: Option<Value>,
    /// Brings the plan that such a shoot begins with, prepare left as it was, unless one is given.
    pub kind: Option<Kind>,
    /// The reference frame; 0 lets the proposed one be taken.
    pub reference_id: Option<i64>,
    /// The set that is stacked; 0 lets all lights be.
    pub stacked_set: Option<i64>,
    /// What is changed, in words that go on from "Undo"; at most 100 letters.
    pub title: Option<String>,
    /// The gesture that the change is a part of, such as one drag of a slider: changes of one gesture
    /// that follow each other are undone together. At most 100 letters.
    pub gesture: Option<String>,
}

impl ShootChange {
    /// What it changes, in words that go on from "Undo".
    pub fn title(&self) -> &str {
        match self {
            Self { title: Some(title), .. } => title,
            Self { kind: Some(_), .. } => "the kind of shoot",
            Self { plan: Some(_), .. } => "a setting",
            Self { reference_id: Some(_), .. } => "the reference frame",
            Self { stacked_set: Some(_), .. } => "what is stacked",
            _ => "the name",
        }
    }

    /// The names of the settings that it changes.
    pub fn names(&self) -> Vec<String> {
        let all = [
            ("name", self.name.is_some()),
            ("kind", self.kind.is_some()),
            ("plan", self.plan.is_some()),
            ("reference_id", self.reference_id.is_some()),
            ("stacked_set", self.stacked_set.is_some()),
        ];
        all.iter().filter(|(_, is)| *is).map(|(name, _)| (*name).to_owned()).collect()
    }
}

/// A shoot with everything in it.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Shoot {
    /// Its number.
    pub id: i64,
    /// Counts its changes; the same as its ETag.
    pub revision: i64,
    /// Its name.
    pub name: String,
    /// What it is for.
    pub kind: Kind,
    /// Its settings.
    pub plan: Plan,
    /// The chosen reference frame, if one was chosen.
    pub reference_id: Option<i64>,
    /// The frame that is proposed as the reference frame, once frames are measured.
    pub proposed_reference: Option<ProposedReference>,
    /// Its frames.
    pub frames: Vec<Frame>,
    /// The sets that have frames; those of frames in none are all others of their role.
    pub sets: Vec<FrameSet>,
    /// The set of lights that is stacked; all lights where there is none.
    pub stacked_set: Option<i64>,
    /// Doubts about frames that are used.
    pub doubts: Vec<Doubt>,
    /// What would spoil the stack, or should be known beforehand.
    pub checks: Vec<Check>,
    /// Where lights that are in no set seem to belong, once all are measured.
    pub proposed_sets: Vec<ProposedSet>,
    /// Another kind that the shoot seems to be.
    pub proposed_kind: Option<ProposedKind>,
    /// The folder from which frames are added as they are written.
    pub watched: Option<Watched>,
    /// What runs made of it, the newest first.
    pub results: Vec<ShootResult>,
    /// Its runs, the newest first.
    pub jobs: Vec<Job>,
    /// Its probes.
    pub probes: Vec<Probe>,
    /// What was changed last.
    pub history: History,
}

/// The changes of a shoot that come next where one goes back or forth, in words that go on from
/// "Undo".
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct History {
    /// The change that would be undone.
    pub undo: Option<String>,
    /// The change that would be made again.
    pub redo: Option<String>,
}
