//! Settings of the prepare step: raw conversion, white balance and exposure, alike for all frames.

use crate::error::CoreError;
use crate::frame_id::FrameId;
use crate::lens::LensPlan;
use serde::{Deserialize, Serialize};

/// What counts as grey.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case", tag = "by")]
pub enum WhiteBalance {
    /// What the camera chose; in developed frames, what they were developed with.
    #[default]
    AsShot,
    /// Light of a colour temperature; raw frames only.
    Light {
        /// Colour temperature in kelvin, 1700 to 25000.
        kelvin: f32,
        /// Tint from -150 to 150: towards green above 0, towards magenta below.
        tint: f32,
    },
    /// A patch that should be grey.
    Neutral {
        /// Its linear light as shot: red, green, blue.
        #[cfg_attr(feature = "schema", schema(value_type = (f32, f32, f32)))]
        grey: [f32; 3],
    },
}

/// How the missing colours of a mosaic are found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Demosaic {
    /// From gradients along straight lines: for a quick look, and for very noisy frames.
    Fast,
    /// From gradients along edges rather than across them.
    #[default]
    Fine,
}

/// How highlights are treated in which some colours are clipped.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Highlights {
    /// White, from where the first colour clips.
    #[default]
    Clip,
    /// Colours that are not clipped go beyond white.
    Keep,
}

/// Which hot and cold samples are repaired: samples that are faulty at the same place in all
/// frames.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Repair {
    /// Those that dark frames show; in raw frames without darks, those that the lights show.
    #[default]
    Auto,
    /// As [`Repair::Auto`], and in developed frames without darks those that the lights show.
    Always,
    /// None.
    Off,
}

/// Noise reduction of single frames.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Denoise {
    /// Amount for brightness, 0 to 1.
    pub luminance: f32,
    /// Amount for colour, 0 to 1.
    pub colour: f32,
}

/// Settings of the prepare step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct PreparePlan {
    /// White balance.
    pub white_balance: WhiteBalance,
    /// How the missing colours of a mosaic are found; raw frames only.
    pub demosaic: Demosaic,
    /// How clipped highlights are treated; raw frames only.
    pub highlights: Highlights,
    /// Exposure in stops, -5 to 5.
    pub gain_ev: f32,
    /// Noise reduction, before frames are combined.
    pub denoise: Denoise,
    /// Which faulty samples are repaired.
    pub repair: Repair,
    /// Flaws of the lens, the same for all frames.
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
    /// Checks that all settings are in range.
    ///
    /// # Errors
    /// [`CoreError::Value`] with one sentence for the person.
    pub fn check(&self) -> Result<(), CoreError> {
        let wrong = |setting, what: String| Err(CoreError::value(setting, what));
        if !(-5.0..=5.0).contains(&self.gain_ev) {
            return wrong(
                "prepare.gain_ev",
                format!(
                    "An exposure cannot be changed by {} stops; choose from -5 to 5.",
                    self.gain_ev
                ),
            );
        }
        let Denoise { luminance, colour } = self.denoise;
        if let Some(amount) = [luminance, colour].iter().find(|v| !(0.0..=1.0).contains(*v)) {
            return wrong(
                "prepare.denoise",
                format!("Noise cannot be reduced by {amount}; choose from 0 to 1."),
            );
        }
        self.lens.check()?;
        match self.white_balance {
            WhiteBalance::Light { kelvin, .. } if !(1700.0..=25_000.0).contains(&kelvin) => wrong(
                "prepare.white_balance.kelvin",
                format!("No light has {kelvin} K here; choose from 1700 to 25000."),
            ),
            WhiteBalance::Light { tint, .. } if !(-150.0..=150.0).contains(&tint) => wrong(
                "prepare.white_balance.tint",
                format!("The tint cannot be {tint}; choose from -150 to 150."),
            ),
            WhiteBalance::Neutral { grey } if !grey.iter().all(|v| (1e-5..16.0).contains(v)) => {
                wrong(
                    "prepare.white_balance.grey",
                    "The patch picked as grey is black or blown out; pick a grey one in between."
                        .to_owned(),
                )
            }
            _ => Ok(()),
        }
    }
}

/// Settings of the prepare step that differ for one frame.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct FrameDifference {
    /// The frame.
    pub blake3: FrameId,
    /// The settings that differ.
    pub change: PrepareChange,
}

/// Settings of the prepare step that one frame has for itself; `None` leaves the shoot's setting.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct PrepareChange {
    /// White balance.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub white_balance: Option<WhiteBalance>,
    /// How clipped highlights are treated; raw frames only.
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
    /// The shoot's settings with this change applied.
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
