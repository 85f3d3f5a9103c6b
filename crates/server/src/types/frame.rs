//! Frames, and the files and folders that they come from.

use jade_pixels::facts::Facts;
use jade_plan::FrameId;
use jade_survey::measures::Measures;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What a frame is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Role {
    /// A frame that is stacked.
    Light,
    /// With the lens cap on, exposed as the lights.
    Dark,
    /// Of an evenly lit surface.
    Flat,
    /// With the lens cap on, as short as can be.
    Bias,
}

impl Role {
    /// All of them, lights first.
    pub const ALL: [Self; 4] = [Self::Light, Self::Dark, Self::Flat, Self::Bias];
}

/// One frame of a shoot.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Frame {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// BLAKE3 of its content, as hexadecimal digits.
    pub blake3: FrameId,
    /// Changes when its pixels do, as by another treatment; the address of its picture carries it.
    pub version: String,
    /// Whether it stays in its own folder, rather than in the application's.
    pub linked: bool,
    /// Size of its file in bytes.
    pub bytes: i64,
    /// What it shows.
    pub role: Role,
    /// Facts from its file; `None` where it cannot be read.
    pub facts: Option<Facts>,
    /// Why it cannot be used.
    pub problem: Option<String>,
    /// Whether it is left out of runs.
    pub left_out: bool,
    /// The set that it is in.
    pub set_id: Option<i64>,
    /// Its measures, once there are any.
    pub measures: Option<Measures>,
}

/// The outcome of adding a file.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Added {
    /// Its name.
    pub name: String,
    /// The frame that was added, or is there already.
    pub frame: Option<Frame>,
    /// The name of the frame of this shoot that has the same content.
    pub same_as: Option<String>,
    /// Why the file could not be added at all.
    pub problem: Option<String>,
}

/// A folder on the server's machine whose pictures are to be added.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct AddFolder {
    /// A path on the machine of the server.
    pub path: String,
    /// What it shows.
    pub role: Role,
    /// Add what is written there later, too.
    #[serde(default)]
    pub watch: bool,
}

/// A folder from which frames are added as they are written.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Watched {
    /// A path on the machine of the server.
    pub path: String,
    /// What it shows.
    pub role: Role,
    /// Whether the folder is there now.
    pub there: bool,
}

/// Changes of one or more frames; what is absent stays.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct FramesChange {
    /// The frames, by their numbers.
    pub ids: Vec<i64>,
    /// Whether they are left out.
    pub left_out: Option<bool>,
    /// What they show.
    pub role: Option<Role>,
    /// The set they are put into, which says what they are for; 0 takes them out of theirs.
    pub set_id: Option<i64>,
    /// Keep them in spite of doubts.
    pub kept: Option<bool>,
}

impl FramesChange {
    /// What it changes, in words that go on from "Undo".
    pub fn title(&self) -> String {
        let what = match self {
            Self { left_out: Some(true), .. } => "leaving out",
            Self { left_out: Some(false), .. } => "taking in",
            Self { kept: Some(_), .. } => "keeping",
            Self { set_id: Some(_), .. } => "moving",
            _ => "sorting",
        };
        match self.ids.len() {
            1 => format!("{what} one frame"),
            count => format!("{what} {count} frames"),
        }
    }
}

/// A folder that can be looked into.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Folder {
    /// A path on the machine of the server.
    pub path: String,
    /// Its name alone.
    pub name: String,
    /// The folder above, unless that is out of bounds.
    pub above: Option<String>,
    /// Folders in it.
    pub folders: Vec<FolderEntry>,
    /// Names of the picture files in it.
    pub pictures: Vec<String>,
}

/// A folder in a folder.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct FolderEntry {
    /// A path on the machine of the server.
    pub path: String,
    /// Its name.
    pub name: String,
}
