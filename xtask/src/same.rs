//! Whether this program makes the same bytes as an earlier one, over all kinds of shoots.
//!
//! Both are run here: the last bits of a picture depend on the processor, so that stored digests would
//! hold on one machine alone.

use crate::bench::PROGRAM;
use crate::run::{cargo, run};
use anyhow::{Context, Result, bail};
use std::path::{Path, PathBuf};
use std::process::Command;

/// Scenes that cases are made of: a folder's name and the arguments of `scene`.
const SCENES: [(&str, &str); 7] = [
    ("sky", "night-sky --frames 9 --darks 3 --seed 41"),
    ("card", "night-sky --raw --frames 6 --darks 4 --flats 3 --seed 42"),
    ("trees", "night-sky --land branches --frames 7 --darks 0 --seed 43"),
    ("hills", "night-sky --land hills --frames 7 --darks 0 --seed 44 --deflate"),
    ("fringed", "night-sky --frames 8 --darks 0 --seed 45 --fringes 0.4,-0.3"),
    ("yard", "kiln-yard --frames 7 --seed 46"),
    ("moss", "focus-sweep --frames 9 --seed 47"),
];
const SIZE: [&str; 4] = ["--width", "900", "--height", "600"];

/// One call of the program: a command with the frames of a scene and settings. In these, `OUT` is the folder
/// for the outputs, and `SCENE/` stands before a frame of the scene or a folder of which all are given. The
/// output is a TIFF where no other is named.
struct Case {
    name: &'static str,
    command: &'static str,
    scene: &'static str,
    settings: &'static str,
}

const fn case(
    name: &'static str,
    command: &'static str,
    scene: &'static str,
    settings: &'static str,
) -> Case {
    Case { name, command, scene, settings }
}

const CASES: [Case; 24] = [
    case(
        "stars-mean",
        "stack",
        "sky",
        "--dark SCENE/darks --save-plan OUT/p.json --save-coverage OUT/c.png",
    ),
    case(
        "stars-clipped",
        "stack",
        "sky",
        "--combine clipped --edges keep --save-rejected OUT/r.png",
    ),
    case(
        "stars-median",
        "stack",
        "sky",
        "--combine median --level --weigh --edges fill --depth 32f",
    ),
    case("trails", "stack", "sky", "--align none --combine lightest --fill-gaps"),
    case("darkest", "stack", "sky", "--align none --combine darkest --depth 8"),
    case("spread", "stack", "sky", "--combine spread --profile linear"),
    case("by-another-reference", "stack", "sky", "--reference f02.tif --profile prophoto"),
    case("raw", "stack", "card", "--dark SCENE/darks --flat SCENE/flats --combine clipped"),
    case(
        "raw-treated",
        "stack",
        "card",
        "--white-balance 4200,8 --demosaic fast --highlights keep --exposure 0.7 --denoise 0.5 --denoise-colour 0.6",
    ),
    case("raw-sky", "stack", "card", "--skyline auto --sky-glow 0.8 --sky-smoothing 0.5"),
    case(
        "joined-trees",
        "stack",
        "trees",
        "--skyline auto --combine clipped --save-mask OUT/m.png --skyline-margin 1 --skyline-soft 2",
    ),
    case(
        "joined-frame",
        "stack",
        "trees",
        "--skyline auto --ground frame --ground-frame SCENE/f02.tif",
    ),
    case(
        "joined-hills",
        "stack",
        "hills",
        "--skyline auto --ground median --edges keep --save-mask OUT/m.tif --mask-size frame",
    ),
    case("unaligned", "stack", "hills", "--align none"),
    case("lens-of-stars", "stack", "fringed", "--lens stars --combine median"),
    case("mask", "skyline", "trees", "--soft 1 --out OUT/mask.png"),
    case("lens", "lens", "fringed", "--out OUT/lens.json"),
    case("yard-auto", "stack", "yard", "--align scene --combine median"),
    case(
        "yard-homography",
        "stack",
        "yard",
        "--align scene --model homography --combine clipped --edges fill",
    ),
    case("yard-shift", "stack", "yard", "--align scene --model shift"),
    case(
        "moss-fine",
        "focus",
        "moss",
        "--save-depth OUT/d.png --moving OUT/v.png --save-plan OUT/p.json",
    ),
    case("moss-smooth", "focus", "moss", "--way smooth --edges fill --depth 32f"),
    case("little-memory", "stack", "sky", "--combine median --memory 128 --threads 1"),
    case("jpeg", "stack", "yard", "--align scene --profile display-p3 --out OUT/result.jpg"),
];

/// Runs all cases with an earlier program and with this one, and says where their outputs differ.
///
/// # Errors
/// Where any output differs, or a case fails.
pub fn same(before: &Path) -> Result<()> {
    run(&mut cargo(&["build", "--release", "-p", "jade-stack"]))?;
    let before =
        before.canonicalize().with_context(|| format!("{}: no such program", before.display()))?;
    let now = Path::new(PROGRAM).canonicalize()?;
    let folder = Path::new("target/same");
    let _ = std::fs::remove_dir_all(folder);
    std::fs::create_dir_all(folder)?;
    let folder = folder.canonicalize()?;
    for (name, scene) in SCENES {
        let out = folder.join(name);
        run(Command::new(&before)
            .arg("scene")
            .args(scene.split(' '))
            .args(SIZE)
            .arg("--quiet")
            .arg("--out")
            .arg(out))?;
    }
    let mut differing = vec![];
    for case in &CASES {
        let [old, new] = [("before", &before), ("now", &now)].map(|(which, program)| {
            let out = folder.join(which).join(case.name);
            carry_out(case, program, &folder, &out).map(|()| out)
        });
        let unlike = unlike(&old?, &new?)?;
        println!("{}: {}", case.name, if unlike.is_empty() { "the same" } else { "another" });
        differing.extend(unlike.iter().map(|file| format!("{}: {file}", case.name)));
    }
    if !differing.is_empty() {
        bail!("these differ:\n{}", differing.join("\n"));
    }
    println!("{} cases: the same bytes", CASES.len());
    Ok(())
}

/// Carries out a case into a folder.
fn carry_out(case: &Case, program: &Path, scenes: &Path, out: &Path) -> Result<()> {
    std::fs::create_dir_all(out)?;
    let scene = scenes.join(case.scene);
    let mut command = Command::new(program);
    command.arg(case.command).args(pictures(&scene)?);
    for word in case.settings.split_whitespace() {
        match word.strip_prefix("SCENE/") {
            Some(file) if scene.join(file).is_file() => command.arg(scene.join(file)),
            Some(kind) => command.args(pictures(&scene.join(kind))?),
            None => command.arg(word.replace("OUT", &out.to_string_lossy())),
        };
    }
    if !case.settings.contains("--out ") {
        command.arg("--out").arg(out.join("result.tif"));
    }
    run(command.arg("--quiet").arg("--report").arg(out.join("report.json")))
}

/// The pictures of a folder, in the order of their names.
fn pictures(folder: &Path) -> Result<Vec<PathBuf>> {
    let entries = std::fs::read_dir(folder).with_context(|| folder.display().to_string())?;
    let mut all: Vec<PathBuf> = entries.flatten().map(|entry| entry.path()).collect();
    all.retain(|path| path.is_file());
    all.sort();
    Ok(all)
}

/// Names of files that are not the same in both folders, reports apart: their form may change.
fn unlike(before: &Path, now: &Path) -> Result<Vec<String>> {
    let names = |folder: &Path| -> Result<Vec<String>> {
        let named = pictures(folder)?;
        let named = named.iter().filter_map(|path| path.file_name()?.to_str().map(str::to_owned));
        Ok(named.filter(|name| name != "report.json").collect())
    };
    let (old, new) = (names(before)?, names(now)?);
    if old != new {
        bail!("{} has {old:?}, {} has {new:?}", before.display(), now.display());
    }
    let mut unlike = vec![];
    for name in old {
        if std::fs::read(before.join(&name))? != std::fs::read(now.join(&name))? {
            unlike.push(name);
        }
    }
    Ok(unlike)
}
