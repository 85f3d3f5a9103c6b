//! Settings of the prepare step: raw conversion, white balance and exposure, alike for all frames.

use crate::error::CoreError;
use crate::frame_id::FrameId;
use crate::lens::LensPlan;
use serde::{Deserialize, Serialize};

/// Under which light grey is grey.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "kebab-case", tag = "by")]
pub enum WhiteBalance {
    /// As the camera chose, or as it was developed.
    #[default]
    AsShot,
    /// By the colour of the light; raw frames only.
    Light {
        /// Colour temperature in kelvin, 1700 to 25000.
        kelvin: f32,
        /// Towards green above 0, towards magenta below, -150 to 150.
        tint: f32,
    },
    /// By a patch that shall be grey.
    Neutral {
        /// Its linear light as shot: red, green, blue.
        grey: [f32; 3],
    },
}

/// How missing colours are found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum Demosaic {
    /// By gradients in straight lines: for a quick look, and for very noisy frames.
    Fast,
    /// Along edges rather than across them.
    #[default]
    Fine,
}

/// What happens where a colour is full.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum Highlights {
    /// White from where the first colour is full.
    #[default]
    Clip,
    /// Colours that are not full go on beyond white.
    Keep,
}

/// Which hot and cold samples, at the same place in all frames, are repaired.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(rename_all = "lowercase")]
pub enum Repair {
    /// Those that dark frames show; in raw frames without darks, those that the lights show.
    #[default]
    Auto,
    /// Those that the lights show in developed frames without darks, too.
    Always,
    /// None.
    Off,
}

/// How much noise is taken off each frame.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Denoise {
    /// Of brightness, 0 to 1.
    pub luminance: f32,
    /// Of colour, 0 to 1.
    pub colour: f32,
}

/// Settings of the prepare step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(default)]
pub struct PreparePlan {
    /// White balance.
    pub white_balance: WhiteBalance,
    /// How a mosaic's missing colours are found; raw frames only.
    pub demosaic: Demosaic,
    /// What happens where a colour is full; raw frames only.
    pub highlights: Highlights,
    /// Exposure in stops, -5 to 5.
    pub gain_ev: f32,
    /// Noise reduction, before frames are combined.
    pub denoise: Denoise,
    /// Which samples that are faulty in all frames are repaired.
    pub repair: Repair,
    /// What is known of the lens; of all frames.
    pub lens: LensPlan,
}

impl Default for PreparePlan {
    fn default() -> Self {
        Self {
            white_balance: WhiteBalance::AsShot,
            demosaic: Demosaic::Fine,
            highlights: Highlights::Clip,
            gain_ev: 0.0,
            denoise: Denoise::default(),
            repair: Repair::Auto,
            lens: LensPlan::default(),
        }
    }
}

impl PreparePlan {
    /// Checks what a screen or a file may have set out of range.
    ///
    /// # Errors
    /// [`CoreError::Setting`] with one sentence for the person.
    pub fn check(&self) -> Result<(), CoreError> {
        let wrong = |what: String| Err(CoreError::Setting(what));
        if !(-5.0..=5.0).contains(&self.gain_ev) {
            return wrong(format!(
                "An exposure cannot be changed by {} stops; choose from -5 to 5.",
                self.gain_ev
            ));
        }
        let Denoise { luminance, colour } = self.denoise;
        if let Some(amount) = [luminance, colour].iter().find(|v| !(0.0..=1.0).contains(*v)) {
            return wrong(format!("Noise cannot be reduced by {amount}; choose from 0 to 1."));
        }
        self.lens.check()?;
        match self.white_balance {
            WhiteBalance::Light { kelvin, .. } if !(1700.0..=25_000.0).contains(&kelvin) => {
                wrong(format!("No light has {kelvin} K here; choose from 1700 to 25000."))
            }
            WhiteBalance::Light { tint, .. } if !(-150.0..=150.0).contains(&tint) => {
                wrong(format!("The tint cannot be {tint}; choose from -150 to 150."))
            }
            WhiteBalance::Neutral { grey } if !grey.iter().all(|v| (1e-5..16.0).contains(v)) => {
                wrong(
                    "The patch picked as grey is black or blown out; pick a grey one in between."
                        .to_owned(),
                )
            }
            _ => Ok(()),
        }
    }
}

/// What is otherwise for one frame, on purpose.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FrameDifference {
    /// BLAKE3 of the frame's file, as hexadecimal digits.
    pub blake3: FrameId,
    /// Its own settings.
    pub change: PrepareChange,
}

/// Settings of the prepare step that one frame has for itself; the others are the shoot's.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
#[serde(default)]
#[cfg_attr(feature = "types", ts(optional_fields))]
pub struct PrepareChange {
    /// White balance.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub white_balance: Option<WhiteBalance>,
    /// What happens where a colour is full; raw frames only.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub highlights: Option<Highlights>,
    /// Exposure in stops, -5 to 5.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub gain_ev: Option<f32>,
    /// Noise reduction.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub denoise: Option<Denoise>,
}

impl PrepareChange {
    /// Settings of the shoot with this change.
    pub(crate) fn of(&self, prepare: PreparePlan) -> PreparePlan {
        PreparePlan {
            white_balance: self.white_balance.unwrap_or(prepare.white_balance),
            highlights: self.highlights.unwrap_or(prepare.highlights),
            gain_ev: self.gain_ev.unwrap_or(prepare.gain_ev),
            denoise: self.denoise.unwrap_or(prepare.denoise),
            ..prepare
        }
    }
}
