//! `scene`: the simulated camera.

use crate::signals;
use anyhow::{Context, bail};
use clap::{Args, ValueEnum};
use jade_scenes::focus_sweep::{self, FocusSweep};
use jade_scenes::kiln_yard::{self, KilnYard};
use jade_scenes::night_sky::{self, Card, Land, NightSky};
use std::path::{Path, PathBuf};

#[derive(Args)]
pub struct SceneArgs {
    /// What to simulate.
    kind: SceneKind,
    /// Folder for the frames, `darks/` and `truth/`.
    #[arg(long)]
    out: PathBuf,
    /// Number of light frames.
    #[arg(long)]
    frames: Option<u32>,
    /// Number of dark frames (night sky).
    #[arg(long)]
    darks: Option<u32>,
    /// Width in pixels.
    #[arg(long)]
    width: Option<u32>,
    /// Height in pixels.
    #[arg(long)]
    height: Option<u32>,
    /// Seed of everything random: the same seed, the same bytes.
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// Focal length of the lens in mm on a sensor 36 mm wide (night sky); 21 to 28 by the seed
    /// unless given.
    #[arg(long, value_name = "MM")]
    focal: Option<f64>,
    /// What the camera stands before (night sky): pan, hills, roofs, branches, pylon, lamps, water,
    /// clouds, moonlit or dark.
    #[arg(long, value_parser = land)]
    land: Option<Land>,
    /// Lateral colour: how far red and blue are drawn beyond green at the corners, in pixels (night
    /// sky).
    #[arg(long, value_name = "RED,BLUE", allow_hyphen_values = true, value_parser = fringes)]
    fringes: Option<[f64; 2]>,
    /// Compress the frames by deflate.
    #[arg(long)]
    deflate: bool,
    /// Write what the sensor records, as DNG, and with it flat and bias frames (night sky).
    #[arg(long)]
    raw: bool,
    /// Number of flat frames, raw or of a card.
    #[arg(long)]
    flats: Option<u32>,
    /// Number of bias frames, raw or of a card.
    #[arg(long)]
    biases: Option<u32>,
    /// Write a whole card into one folder, unsorted: beside the sky longer exposures for the ground,
    /// darks, flats and biases, and two spoiled frames (night sky).
    #[arg(long)]
    card: bool,
    /// Number of exposures for the ground on a card.
    #[arg(long, requires = "card")]
    ground: Option<u32>,
    /// Write into a folder that is not empty, over files of the same names.
    #[arg(long)]
    replace: bool,
    /// Say nothing.
    #[arg(long)]
    quiet: bool,
}

#[derive(Clone, Copy, ValueEnum)]
enum SceneKind {
    /// A mast by a salt pan under the turning sky.
    NightSky,
    /// A kiln yard at dusk: a handheld burst, somebody walking through.
    KilnYard,
    /// A moss cushion under the lens: a focus sweep from near to far.
    FocusSweep,
}

fn fringes(text: &str) -> Result<[f64; 2], String> {
    let two = text
        .split_once(',')
        .and_then(|(red, blue)| Some([red.trim().parse().ok()?, blue.trim().parse().ok()?]));
    two.filter(|two: &[f64; 2]| two.iter().all(|px| px.abs() <= 20.0))
        .ok_or_else(|| "give two numbers of pixels up to 20, as 1.2,-0.8".to_owned())
}

fn land(text: &str) -> Result<Land, String> {
    let names = || Land::ALL.map(Land::name).join(", ");
    let found = Land::ALL.into_iter().find(|land| land.name() == text);
    found.ok_or_else(|| format!("choose one of {}", names()))
}

pub fn make(args: SceneArgs) -> anyhow::Result<()> {
    let shown = args.out.display();
    std::fs::create_dir_all(&args.out)
        .with_context(|| format!("{shown}: the folder cannot be made"))?;
    let mut inside = std::fs::read_dir(&args.out)
        .with_context(|| format!("{shown}: the folder cannot be read"))?;
    let empty = inside.next().is_none();
    if !empty && !args.replace {
        bail!(
            "{shown}: there are files in this folder; choose an empty one, or add --replace to replace those that are named as the scene's"
        );
    }
    let made = write(&args);
    if made.is_err() && empty {
        clear(&args.out);
    }
    made
}

/// Removes what was written of a scene that was stopped: half of one is of no use. The folder stays.
fn clear(folder: &Path) {
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let _ = match entry.file_type().is_ok_and(|kind| kind.is_dir()) {
            true => std::fs::remove_dir_all(entry.path()),
            false => std::fs::remove_file(entry.path()),
        };
    }
}

fn write(args: &SceneArgs) -> anyhow::Result<()> {
    let &SceneArgs { frames, darks, width, height, seed, focal, deflate, .. } = args;
    let step = |made: u32, total: u32| {
        if !args.quiet {
            eprintln!("scene: {} of {total}", made + 1);
        }
        !signals::came()
    };
    match args.kind {
        SceneKind::NightSky => {
            let usual = night_sky::Options::default();
            let options = night_sky::Options {
                frames: frames.unwrap_or(usual.frames),
                darks: darks.unwrap_or(usual.darks),
                width: width.unwrap_or(usual.width),
                height: height.unwrap_or(usual.height),
                seed,
                deflate,
            };
            let mut scene = NightSky::over(args.land.unwrap_or_default(), options, focal)?;
            if let Some([red, blue]) = args.fringes {
                let half = f64::from(options.width).hypot(f64::from(options.height)) / 2.0;
                scene = scene.with_fringes([red / half, blue / half]);
            }
            let (flats, biases) = (args.flats.unwrap_or(4), args.biases.unwrap_or(4));
            match (args.card, args.raw) {
                (true, raw) => {
                    let card = Card { ground: args.ground.unwrap_or(5), flats, biases, raw };
                    scene.write_card(&args.out, &card, step)?;
                }
                (false, true) => scene.write_raw(&args.out, flats, biases, step)?,
                (false, false) if args.flats.is_some() || args.biases.is_some() => {
                    bail!("flat and bias frames come with --raw or --card; add one of them");
                }
                (false, false) => scene.write(&args.out, step)?,
            }
        }
        SceneKind::KilnYard => {
            plain(args, "a kiln yard")?;
            let usual = kiln_yard::Options::default();
            let scene = KilnYard::new(kiln_yard::Options {
                frames: frames.unwrap_or(usual.frames),
                width: width.unwrap_or(usual.width),
                height: height.unwrap_or(usual.height),
                seed,
                deflate,
            })?;
            scene.write(&args.out, step)?;
        }
        SceneKind::FocusSweep => {
            plain(args, "a focus sweep")?;
            let usual = focus_sweep::Options::default();
            let scene = FocusSweep::new(focus_sweep::Options {
                frames: frames.unwrap_or(usual.frames),
                width: width.unwrap_or(usual.width),
                height: height.unwrap_or(usual.height),
                seed,
                deflate,
            })?;
            scene.write(&args.out, step)?;
        }
    }
    Ok(())
}

/// Refuses what only the night sky has.
fn plain(args: &SceneArgs, kind: &str) -> anyhow::Result<()> {
    let night = args.darks.is_some() || args.focal.is_some() || args.fringes.is_some();
    if night || args.land.is_some() || args.raw || args.card {
        bail!(
            "{kind} has neither dark frames, raw files, a card nor a choice of lens or land; leave --darks, --raw, --card, --focal, --land and --fringes away"
        );
    }
    Ok(())
}
