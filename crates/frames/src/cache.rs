//! Keys of stages, and the folder where the product of a stage is found by its key.

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
    /// Increased whenever the computation changes, so that old products are not taken for new ones.
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

/// Maps that come with a picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum MapKind {
    /// Number of frames that cover each position, 16 bits.
    Coverage,
    /// Number of rejected samples at each position, and the place in order (from 1, among the used
    /// frames) of the frame whose sample was furthest off; 16 bits each.
    Rejected,
    /// For a merged focus sweep, the sharpest frame at each position: 0 for the first in the order
    /// of focus to 65534 for the last, 65535 where none is known; 16 bits.
    Depth,
    /// For a merged focus sweep, the certainty of the sharpest frame at each position: 0 to 65534,
    /// 65535 where a plane is missing; 16 bits.
    Certainty,
}

impl MapKind {
    /// All maps.
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

/// Layers that a picture was made from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum LayerKind {
    /// The sky, extended behind the edge of the ground: linear light, three channels.
    Sky,
    /// The ground, extended behind the edge of the sky: linear light, three channels.
    Ground,
    /// The share of sky, 0 to 65535: one 16-bit number.
    Mask,
    /// A merged focus sweep before patches were painted into it: linear light, three channels.
    Merged,
}

impl LayerKind {
    /// All layers.
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
    /// The cache in `folder`, which is created when something is put into it.
    pub fn at(folder: &Path) -> Self {
        Self { folder: folder.to_owned() }
    }

    /// The folder.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// Removes the decoded samples of all frames, several files at a time, as the system takes a
    /// while to free gigabytes.
    pub fn drop_frames(&self) {
        let frames = self.folder.join("frames");
        let all: Vec<_> = std::fs::read_dir(&frames).into_iter().flatten().flatten().collect();
        all.into_par_iter().with_max_len(1).for_each(|frame| {
            let _ = std::fs::remove_dir_all(frame.path());
        });
        let _ = std::fs::remove_dir(frames);
    }

    /// The file of a frame's decoded samples.
    pub fn frame(&self, key: &Key) -> PathBuf {
        self.folder.join("frames").join(key.as_str()).join("0.tiles")
    }

    /// The file of a picture.
    pub fn picture(&self, key: &Key) -> PathBuf {
        self.folder.join("combine").join(key.as_str()).join("0.tiles")
    }

    /// The file of a map that comes with a picture.
    pub fn map(&self, key: &Key, map: MapKind) -> PathBuf {
        self.folder.join("combine").join(key.as_str()).join(map.name()).join("0.tiles")
    }

    /// The file of a layer of a picture.
    pub fn layer(&self, key: &Key, layer: LayerKind) -> PathBuf {
        self.folder.join("combine").join(key.as_str()).join(layer.name()).join("0.tiles")
    }

    /// The file of the share of sky that was found in frames: 16 bits for each pixel.
    pub fn mask(&self, key: &Key) -> PathBuf {
        self.folder.join("skyline").join(key.as_str()).join("0.tiles")
    }

    /// The file of a frame as it lies on the reference frame of a result, for the screen.
    pub fn placed(&self, result: &str, frame: &Key) -> PathBuf {
        self.folder.join("placed").join(format!("{result}-{}", frame.as_str())).join("0.tiles")
    }

    fn note(&self, stage: &str, key: &Key) -> PathBuf {
        self.folder.join(stage).join(format!("{}.json", key.as_str()))
    }

    /// The small product of a stage under a key, if there is one.
    pub fn read<T: DeserializeOwned>(&self, stage: &str, key: &Key) -> Option<T> {
        serde_json::from_slice(&std::fs::read(self.note(stage, key)).ok()?).ok()
    }

    /// Writes the small product of a stage under its key.
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
