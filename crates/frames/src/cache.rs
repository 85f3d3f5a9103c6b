//! Stage keys, and the folder where what a stage made is found again by its key.

use jade_pixels::PictureError;
use jade_plan::CoreError;
use rayon::prelude::*;
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Names a stage's product: the hash of the stage's settings and of the keys of what it read.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Key(String);

impl Key {
    /// Changes whenever the computation changes, so that old products are not taken for new ones.
    const GENERATION: u32 = 20;

    /// The key of a stage with these settings that reads the products of `inputs`, in order.
    pub fn of(stage: &str, settings: &impl Serialize, inputs: &[&Key]) -> Self {
        let mut hasher = blake3::Hasher::new();
        let settings = serde_json::to_vec(settings).expect("settings serialise");
        let generation = Self::GENERATION.to_le_bytes();
        let parts = [stage.as_bytes(), generation.as_slice(), settings.as_slice()];
        for part in parts.into_iter().chain(inputs.iter().map(|k| k.0.as_bytes())) {
            hasher.update(&(part.len() as u64).to_le_bytes());
            hasher.update(part);
        }
        Self(hasher.finalize().to_hex()[..40].to_owned())
    }

    /// The key as a file name.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

/// Maps that are made together with a combined picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum MapKind {
    /// How many frames cover each position: one 16-bit number.
    Coverage,
    /// How many samples were rejected at each position, and the place in order (from 1, among the
    /// used frames) of the frame whose sample was furthest off: two 16-bit numbers.
    Rejected,
    /// Of a merged focus sweep, which frame is sharp at each position, from 0 for the first one in the
    /// order of focus to 65534 for the last one that was placed, and 65535 where none is told: one
    /// 16-bit number.
    Depth,
    /// Of a merged focus sweep, how certain it is which frame is sharp at each position, 0 to 65534, and
    /// 65535 where a plane is missing: one 16-bit number.
    Certainty,
}

impl MapKind {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Coverage, Self::Rejected, Self::Depth, Self::Certainty];

    /// The map's name in paths and routes.
    pub fn name(self) -> &'static str {
        match self {
            Self::Coverage => "coverage",
            Self::Rejected => "rejected",
            Self::Depth => "depth",
            Self::Certainty => "certainty",
        }
    }
}

/// Layers of which a picture was made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum LayerKind {
    /// The sky, going on behind the ground's margin: linear light, three channels.
    Sky,
    /// The ground, going on behind the sky's margin: linear light, three channels.
    Ground,
    /// The share of sky, 0 to 65535: one 16-bit number.
    Mask,
    /// A merged focus sweep without what was painted into it: linear light, three channels.
    Merged,
}

impl LayerKind {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Sky, Self::Ground, Self::Mask, Self::Merged];

    /// The layer's name in paths and routes.
    pub fn name(self) -> &'static str {
        match self {
            Self::Sky => "sky",
            Self::Ground => "ground",
            Self::Mask => "mask",
            Self::Merged => "merged",
        }
    }
}

/// A folder of products by key. It can be deleted at any time without loss.
#[derive(Debug, Clone)]
pub struct Cache {
    folder: PathBuf,
}

impl Cache {
    /// The cache in `folder`, which is made when something is put there.
    pub fn at(folder: &Path) -> Self {
        Self { folder: folder.to_owned() }
    }

    /// The folder.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// Removes the decoded samples of all frames, several at a time: giving back the memory that
    /// the system keeps of gigabytes takes a while.
    pub fn drop_frames(&self) {
        let frames = self.folder.join("frames");
        let all: Vec<_> = std::fs::read_dir(&frames).into_iter().flatten().flatten().collect();
        all.into_par_iter().with_max_len(1).for_each(|frame| {
            let _ = std::fs::remove_dir_all(frame.path());
        });
        let _ = std::fs::remove_dir(frames);
    }

    /// Where the decoded samples of a frame are kept.
    pub fn frame(&self, key: &Key) -> PathBuf {
        self.folder.join("frames").join(key.as_str()).join("0.tiles")
    }

    /// Where the combined picture of a key is kept.
    pub fn picture(&self, key: &Key) -> PathBuf {
        self.folder.join("combine").join(key.as_str()).join("0.tiles")
    }

    /// Where a map that was made with the combined picture of a key is kept.
    pub fn map(&self, key: &Key, map: MapKind) -> PathBuf {
        self.folder.join("combine").join(key.as_str()).join(map.name()).join("0.tiles")
    }

    /// Where a layer of the combined picture of a key is kept.
    pub fn layer(&self, key: &Key, layer: LayerKind) -> PathBuf {
        self.folder.join("combine").join(key.as_str()).join(layer.name()).join("0.tiles")
    }

    /// Where the share of sky is kept that was found in frames: one 16-bit number for each pixel.
    pub fn mask(&self, key: &Key) -> PathBuf {
        self.folder.join("skyline").join(key.as_str()).join("0.tiles")
    }

    /// Where a frame is kept as it lies on the reference frame of a result, for looking at.
    pub fn placed(&self, result: &str, frame: &Key) -> PathBuf {
        self.folder.join("placed").join(format!("{result}-{}", frame.as_str())).join("0.tiles")
    }

    fn note(&self, stage: &str, key: &Key) -> PathBuf {
        self.folder.join(stage).join(format!("{}.json", key.as_str()))
    }

    /// What a stage noted under a key, if it did.
    pub fn read<T: DeserializeOwned>(&self, stage: &str, key: &Key) -> Option<T> {
        serde_json::from_slice(&std::fs::read(self.note(stage, key)).ok()?).ok()
    }

    /// Notes a stage's small product under its key.
    ///
    /// # Errors
    /// [`CoreError::Picture`] when the folder cannot be written.
    pub fn write(&self, stage: &str, key: &Key, value: &impl Serialize) -> Result<(), CoreError> {
        let path = self.note(stage, key);
        let folder = path.parent().expect("a note lies in a folder");
        std::fs::create_dir_all(folder).map_err(PictureError::io(folder))?;
        jade_pixels::write::write_whole(&path, |file| {
            let text = serde_json::to_vec(value).expect("products serialise");
            file.write_all(&text).map_err(PictureError::io(&path))
        })?;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_key_follows_settings_and_inputs_in_order() {
        let (a, b) = (Key::of("frames", &1, &[]), Key::of("frames", &2, &[]));
        assert_ne!(a, b);
        assert_eq!(Key::of("align", &"s", &[&a, &b]), Key::of("align", &"s", &[&a, &b]));
        assert_ne!(Key::of("align", &"s", &[&a, &b]), Key::of("align", &"s", &[&b, &a]));
        assert_ne!(Key::of("align", &"s", &[&a]), Key::of("combine", &"s", &[&a]));
    }

    #[test]
    fn notes_are_found_again_and_torn_ones_are_not() {
        let folder = tempfile::tempdir().unwrap();
        let cache = Cache::at(folder.path());
        let key = Key::of("align", &1, &[]);
        assert_eq!(cache.read::<Vec<u8>>("align", &key), None);
        cache.write("align", &key, &vec![1u8, 2]).unwrap();
        assert_eq!(cache.read::<Vec<u8>>("align", &key), Some(vec![1, 2]));
        std::fs::write(cache.note("align", &key), "[1,").unwrap();
        assert_eq!(cache.read::<Vec<u8>>("align", &key), None);
    }
}
