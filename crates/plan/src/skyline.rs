//! Settings of the skyline step.

use crate::combine::Method;
use crate::error::CoreError;
use crate::frame_id::FrameId;
use jade_optics::brush::Brush;
use serde::{Deserialize, Serialize};

/// Largest distance by which a mask can be moved or softened, in pixels.
pub const MOST_PX: f32 = 24.0;

/// Where the skyline comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum SkylineMode {
    /// Sky and ground are not kept apart.
    #[default]
    None,
    /// Found in the frames.
    Auto,
    /// A mask that was loaded.
    Mask,
}

/// A file that a plan refers to.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct NamedFile {
    /// File name.
    pub file: String,
    /// BLAKE3 of its content, as hexadecimal digits.
    pub blake3: String,
}

/// What a stroke paints.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Paint {
    /// Marks the whole region under it as sky.
    SkyStroke,
    /// Marks the whole region under it as ground.
    GroundStroke,
    /// Paints sky into the mask itself.
    SkyBrush,
    /// Paints ground into the mask itself.
    GroundBrush,
}

impl Paint {
    /// Whether it paints sky.
    pub fn is_sky(self) -> bool {
        matches!(self, Self::SkyStroke | Self::SkyBrush)
    }

    /// Whether it marks the whole region under it, rather than the pixels themselves.
    pub fn is_stroke(self) -> bool {
        matches!(self, Self::SkyStroke | Self::GroundStroke)
    }
}

/// One stroke of the brush.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Stroke {
    /// What it paints.
    pub paint: Paint,
    /// `[x, y, radius]` along it, in pixels of the reference frame.
    #[cfg_attr(feature = "schema", schema(value_type = Vec<(f32, f32, f32)>))]
    pub points: Vec<[f32; 3]>,
    /// Share of the radius over which the stroke fades out, 0 to 1.
    #[serde(default)]
    pub soft: f32,
}

impl Stroke {
    /// The stroke's brush.
    pub fn brush(&self) -> Brush<'_> {
        Brush { points: &self.points, soft: self.soft }
    }
}

/// Where the ground comes from.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "by", rename_all = "lowercase")]
pub enum GroundFrom {
    /// The frames of the sky, unaligned.
    #[default]
    Same,
    /// One frame of the sky.
    Frame {
        /// The frame.
        blake3: FrameId,
    },
    /// The frames of another set.
    Set {
        /// Number of the set in the shoot; 0 on the command line, where sets have no number.
        #[serde(default)]
        set: i64,
    },
    /// A finished picture.
    Picture(NamedFile),
}

/// The ground's settings.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct GroundPlan {
    /// Its source.
    pub from: GroundFrom,
    /// How several frames become one: mean, median or clipped mean.
    pub method: Method,
    /// Share by which the brightness and colour of another source are brought to those of the sky's
    /// frames, 0 to 1.
    pub matched: f32,
}

impl Default for GroundPlan {
    fn default() -> Self {
        Self { from: GroundFrom::Same, method: Method::Clipped, matched: 0.0 }
    }
}

/// Settings of the skyline step.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct SkylinePlan {
    /// Where the mask comes from.
    pub mode: SkylineMode,
    /// The mask that was loaded.
    pub mask: Option<NamedFile>,
    /// Strokes, in order.
    pub strokes: Vec<Stroke>,
    /// Distance by which the ground's edge is moved into the sky, in pixels; negative into the
    /// ground.
    pub margin_px: f32,
    /// Radius by which the mask is softened, in pixels.
    pub soft_px: f32,
    /// Settings of the ground.
    pub ground: GroundPlan,
}

impl SkylinePlan {
    /// Whether sky and ground are kept apart.
    pub fn is_on(&self) -> bool {
        self.mode != SkylineMode::None
    }

    /// These settings without those that do not change the mask.
    pub fn of_mask(&self) -> Self {
        Self { ground: GroundPlan::default(), ..self.clone() }
    }

    /// Checks that all settings are in range.
    ///
    /// # Errors
    /// [`CoreError::Value`] with one sentence for the person.
    pub fn check(&self) -> Result<(), CoreError> {
        let refuse = |setting, what: String| Err(CoreError::value(setting, what));
        if self.mode == SkylineMode::Mask && self.mask.is_none() {
            return refuse(
                "skyline.mask",
                "No mask was loaded; load one, or find the skyline.".to_owned(),
            );
        }
        if !(-MOST_PX..=MOST_PX).contains(&self.margin_px) {
            let margin = self.margin_px;
            return refuse(
                "skyline.margin_px",
                format!(
                    "The skyline's margin cannot move by {margin} px; choose from -{MOST_PX} to {MOST_PX}."
                ),
            );
        }
        if !(0.0..=MOST_PX).contains(&self.soft_px) {
            let soft = self.soft_px;
            return refuse(
                "skyline.soft_px",
                format!("The skyline cannot be softened by {soft} px; choose from 0 to {MOST_PX}."),
            );
        }
        if !(0.0..=1.0).contains(&self.ground.matched) {
            return refuse(
                "skyline.ground.matched",
                "The ground is matched by an amount from 0 to 1; choose one of those.".to_owned(),
            );
        }
        if !matches!(self.ground.method, Method::Mean | Method::Median | Method::Clipped) {
            return refuse(
                "skyline.ground.method",
                "The ground is combined by mean, median or clipped mean; choose one of those."
                    .to_owned(),
            );
        }
        let picture = match &self.ground.from {
            GroundFrom::Picture(file) => Some(file),
            _ => None,
        };
        for file in self.mask.iter().chain(picture) {
            // The hash becomes part of a path, so it must not be a path itself.
            let hash = &file.blake3;
            if hash.len() != 64 || !hash.bytes().all(|b| b.is_ascii_hexdigit()) {
                let name = &file.file;
                return refuse(
                    "skyline",
                    format!("{name}: the plan does not tell its content; load it again."),
                );
            }
        }
        if self.strokes.iter().any(|stroke| !stroke.brush().is_placed()) {
            return refuse("skyline.strokes", "A stroke on the skyline has no place.".to_owned());
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_out_of_range_are_refused_in_a_sentence() {
        let good = SkylinePlan { mode: SkylineMode::Auto, ..SkylinePlan::default() };
        good.check().unwrap();
        let stroke =
            |x: f32| Stroke { paint: Paint::SkyStroke, points: vec![[x, 0.0, 4.0]], soft: 0.0 };
        let file = |blake3: &str| NamedFile { file: "m.png".to_owned(), blake3: blake3.to_owned() };
        let named = |blake3: &str| Some(file(blake3));
        let whole = "0123456789abcdef".repeat(4);
        SkylinePlan { mask: named(&whole), ..good.clone() }.check().unwrap();
        let picture = |blake3: &str| GroundPlan {
            from: GroundFrom::Picture(file(blake3)),
            ..GroundPlan::default()
        };
        let ground = |method, matched| GroundPlan { method, matched, ..GroundPlan::default() };
        for (wrong, said) in [
            (SkylinePlan { mode: SkylineMode::Mask, ..good.clone() }, "No mask"),
            // A path instead of a hash.
            (SkylinePlan { mask: named("/etc/passwd"), ..good.clone() }, "m.png"),
            (SkylinePlan { mask: named(&format!("../{}", &whole[3..])), ..good.clone() }, "m.png"),
            (SkylinePlan { ground: picture("../../x"), ..good.clone() }, "load it again"),
            (SkylinePlan { margin_px: 99.0, ..good.clone() }, "99 px"),
            (SkylinePlan { soft_px: -1.0, ..good.clone() }, "softened"),
            (SkylinePlan { soft_px: f32::NAN, ..good.clone() }, "softened"),
            (SkylinePlan { strokes: vec![stroke(f32::NAN)], ..good.clone() }, "no place"),
            (SkylinePlan { ground: ground(Method::Lightest, 0.0), ..good.clone() }, "combined by"),
            (SkylinePlan { ground: ground(Method::Mean, 2.0), ..good.clone() }, "matched"),
        ] {
            assert!(wrong.check().unwrap_err().to_string().contains(said), "{said}");
        }
    }

    #[test]
    fn a_plan_without_a_skyline_has_none() {
        let plan: SkylinePlan = serde_json::from_str("{}").unwrap();
        assert!(!plan.is_on());
        let text = r#"{"mode":"auto","ground":{"from":{"by":"frame","blake3":"a1"}}}"#;
        let plan: SkylinePlan = serde_json::from_str(text).unwrap();
        assert_eq!(plan.ground.from, GroundFrom::Frame { blake3: "a1".into() });
        assert_eq!(plan.of_mask().ground, GroundPlan::default());
    }
}
