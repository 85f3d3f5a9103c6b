//! A frame as it is given to a run: its file, treatment and calibration.

use crate::cache::Key;
use crate::calibration::Calibration;
use crate::content::{FileState, content_hash};
use jade_pixels::PictureError;
use jade_plan::{Denoise, FrameId, LensPlan, PreparePlan};
use std::path::PathBuf;
use std::sync::Arc;

/// A picture file to be stacked.
#[derive(Debug, Clone)]
pub struct FrameInput {
    /// The file.
    pub path: PathBuf,
    /// The name it is reported under.
    pub name: String,
    /// The frame's name by its content.
    pub id: FrameId,
    /// Size and time of the file when it was named, where it may have been written since.
    pub state: Option<FileState>,
    /// Its treatment.
    pub prepare: PreparePlan,
    /// Its calibration.
    pub calibration: Option<Arc<Calibration>>,
}

impl FrameInput {
    /// The key of its decoded samples: of the settings that change them before they are stored.
    pub fn key(&self) -> Key {
        let calibration = self.calibration.iter().map(|calibration| calibration.key());
        let before: Vec<&Key> = calibration.collect();
        Key::of("frames", &(&self.id, self.prepare.demosaic), &before)
    }

    /// The key of its light before noise reduction and lens correction, in which stars and details
    /// are searched.
    pub fn plain_key(&self) -> Key {
        let (denoise, lens) = (Denoise::default(), LensPlan::default());
        let plain = PreparePlan { denoise, lens, ..self.prepare.clone() };
        Key::of("prepare", &plain, &[&self.key()])
    }

    /// The key of its light, after its whole treatment.
    pub fn light_key(&self) -> Key {
        Key::of("prepare", &self.prepare, &[&self.key()])
    }

    /// Makes sure that the file is unchanged since it was named, so that another picture under the
    /// same file name is not taken for it.
    ///
    /// # Errors
    /// [`PictureError::Changed`] when its content is another one.
    pub fn unchanged(&self) -> Result<(), PictureError> {
        match self.state {
            Some(state)
                if FileState::of(&self.path)? != state
                    && content_hash(&self.path)? != self.id.as_str() =>
            {
                Err(PictureError::Changed { path: self.path.clone() })
            }
            _ => Ok(()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jade_plan::PreparePlan;

    #[test]
    fn a_file_that_was_written_again_is_known_by_its_content() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("f1.tif");
        let write = |text: &str, seconds: u64| {
            std::fs::write(&path, text).unwrap();
            let file = std::fs::File::options().write(true).open(&path).unwrap();
            file.set_modified(std::time::UNIX_EPOCH + std::time::Duration::from_secs(seconds))
                .unwrap();
        };
        write("salt", 10);
        let input = FrameInput {
            path: path.clone(),
            name: "f1.tif".to_owned(),
            id: content_hash(&path).unwrap().into(),
            state: Some(FileState::of(&path).unwrap()),
            prepare: PreparePlan::default(),
            calibration: None,
        };
        assert!(input.unchanged().is_ok());
        write("salt", 20);
        assert!(input.unchanged().is_ok());
        write("moss", 20);
        let said = input.unchanged().unwrap_err().to_string();
        assert_eq!(
            said,
            "f1.tif: the file was changed since it was added; add it again, and leave this one out."
        );
        let unknown = FrameInput { state: None, ..input };
        assert!(unknown.unchanged().is_ok());
    }
}
