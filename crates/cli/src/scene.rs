//! `scene`: the simulated camera.

use anyhow::Context;
use clap::{Args, ValueEnum};
use jade_scenes::night_sky::{NightSky, Options};
use std::path::PathBuf;

#[derive(Args)]
pub struct SceneArgs {
    /// What to simulate.
    kind: SceneKind,
    /// Folder for the frames, `darks/` and `truth/`.
    #[arg(long)]
    out: PathBuf,
    /// Number of light frames.
    #[arg(long, default_value_t = Options::default().frames)]
    frames: u32,
    /// Number of dark frames.
    #[arg(long, default_value_t = Options::default().darks)]
    darks: u32,
    /// Width in pixels.
    #[arg(long, default_value_t = Options::default().width)]
    width: u32,
    /// Height in pixels.
    #[arg(long, default_value_t = Options::default().height)]
    height: u32,
    /// Seed of everything random: the same seed, the same bytes.
    #[arg(long, default_value_t = Options::default().seed)]
    seed: u64,
    /// Say nothing.
    #[arg(long)]
    quiet: bool,
}

#[derive(Clone, Copy, ValueEnum)]
enum SceneKind {
    /// A mast by a salt pan under the turning sky.
    NightSky,
}

pub fn make(args: SceneArgs) -> anyhow::Result<()> {
    let SceneArgs { kind: SceneKind::NightSky, frames, darks, width, height, seed, .. } = args;
    let scene = NightSky::new(Options { frames, darks, width, height, seed })?;
    std::fs::create_dir_all(&args.out)
        .with_context(|| format!("{}: the folder cannot be made", args.out.display()))?;
    scene.write(&args.out, |made, total| {
        if !args.quiet {
            eprintln!("scene: {} of {total}", made + 1);
        }
        true
    })?;
    Ok(())
}
