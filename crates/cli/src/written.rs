//! Options of how a result is written.

use crate::work::Finished;
use anyhow::{Context, bail};
use clap::{Args, ValueEnum};
use jade_engine::export::{self, Colours, Form, Written};
use jade_pixels::write::Target;
use std::path::Path;

#[derive(Args)]
pub struct WrittenArgs {
    /// Bits of the result's samples; 16 unless it is a JPEG. With 32f a TIFF holds linear light as
    /// floating-point numbers, highlights beyond white included.
    #[arg(long, value_parser = ["8", "16", "32f"])]
    depth: Option<String>,
    /// Colours of the result: those of the frames, or others.
    #[arg(long, value_enum, default_value_t = ProfileArg::Input)]
    profile: ProfileArg,
    /// Leave out where the frames were taken.
    #[arg(long)]
    no_location: bool,
}

#[derive(Clone, Copy, ValueEnum)]
enum ProfileArg {
    /// The profile of the frames.
    Input,
    /// For screens.
    Srgb,
    /// For screens with wider colours.
    DisplayP3,
    /// For prints.
    A98,
    /// For further work; holds all colours of raw frames.
    Prophoto,
    /// The primaries of the frames, with numbers in proportion to light.
    Linear,
}

impl WrittenArgs {
    /// The kind of file, by its name and the wanted bits of its samples.
    ///
    /// # Errors
    /// One sentence where name, bits and colours do not go together.
    pub fn form(&self, out: &Path) -> anyhow::Result<Form> {
        let (shown, depth) = (out.display(), self.depth.as_deref());
        let target = target(out, depth != Some("8"))
            .with_context(|| format!("{shown}: name the result .tif, .png or .jpg"))?;
        let form = match (target, depth) {
            (Target::Tiff { .. }, Some("32f")) => Form::Light,
            (_, Some("32f")) => bail!("{shown}: only a TIFF holds 32-bit floats; choose .tif"),
            (Target::Jpeg { .. }, Some("16")) => {
                bail!("{shown}: a JPEG holds 8 bits; choose .tif or .png for 16")
            }
            (target, _) => Form::Encoded(target),
        };
        self.colours().check(form)?;
        Ok(form)
    }

    fn colours(&self) -> Colours {
        match self.profile {
            ProfileArg::Input => Colours::Input,
            ProfileArg::Srgb => Colours::Srgb,
            ProfileArg::DisplayP3 => Colours::DisplayP3,
            ProfileArg::A98 => Colours::A98,
            ProfileArg::Prophoto => Colours::Prophoto,
            ProfileArg::Linear => Colours::Linear,
        }
    }

    /// Writes the result of a run.
    ///
    /// # Errors
    /// [`jade_plan::CoreError`]; nothing is left behind then.
    pub fn write(&self, out: &Path, form: Form, done: &Finished) -> anyhow::Result<()> {
        let Finished { outcome, facts, progress, .. } = *done;
        let how = Written {
            form,
            colours: self.colours(),
            facts: Some(facts),
            report: &outcome.report,
            place: !self.no_location,
        };
        Ok(export::write(out, &how, &outcome.picture, &outcome.profile, progress)?)
    }
}

/// What a file's ending asks for.
pub fn target(path: &Path, sixteen_bit: bool) -> Option<Target> {
    let extension = path.extension().and_then(|e| e.to_str()).unwrap_or_default();
    match extension.to_ascii_lowercase().as_str() {
        "tif" | "tiff" => Some(Target::Tiff { sixteen_bit, deflate: false }),
        "png" => Some(Target::Png { sixteen_bit }),
        "jpg" | "jpeg" => Some(Target::Jpeg { quality: export::JPEG_QUALITY }),
        _ => None,
    }
}
