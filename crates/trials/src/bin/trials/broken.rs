//! Files that are damaged.

use crate::program::{End, Program};
use crate::scene::{Scene, stack};
use crate::tally::{Book, Tally};
use anyhow::Result;
use jade_pixels::read::PictureFile;
use jade_pixels::write::{Picture, Target, write_picture};
use jade_trials::{Damage, Reader, Seed, damaged, light, seeds};
use rand::{Rng, SeedableRng};
use rand_xoshiro::Xoshiro256PlusPlus;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use std::time::{Duration, Instant};

/// Damaged copies of each whole file.
const COPIES: u32 = 300;
/// Damaged copies of a frame that runs are tried with.
const RUNS: u32 = 60;
/// Longer than this a small file is not read.
const LONGEST: Duration = Duration::from_secs(5);

pub fn trial(program: &Program, scene: &Scene, place: &Path, book: &mut Book) -> Result<()> {
    let pictures =
        Reader::ALL.into_iter().filter(|reader| !matches!(reader, Reader::Plan | Reader::Mask));
    for reader in pictures {
        book.add(files(reader, program, place)?);
    }
    book.add(sectors(program, scene, place)?);
    book.add(runs(program, scene, place)?);
    Ok(())
}

/// What a reader makes of damaged files.
fn files(reader: Reader, program: &Program, place: &Path) -> Result<Tally> {
    let mut tally = Tally::of(&format!("Damaged {} files", reader.name()));
    for seed in seeds(reader) {
        let path = place.join(format!("{}.{}", seed.name, seed.ending));
        std::fs::write(&path, &seed.bytes)?;
        let whole = light(&path)?;
        let mut random = Xoshiro256PlusPlus::seed_from_u64(23);
        for i in 0..COPIES {
            let (bytes, damage) = damaged(&seed.bytes, &mut random);
            std::fs::write(&path, &bytes)?;
            tally.tried += 1;
            let begun = Instant::now();
            let read = catch_unwind(AssertUnwindSafe(|| light(&path)));
            let what = format!("{} {} copy {i}: {damage:?}", reader.name(), seed.name);
            if begun.elapsed() > LONGEST {
                tally.hangs.push(what.clone());
            }
            match read {
                Err(_) => tally.panics.push(what),
                Ok(Err(error)) => {
                    program.note(&error.to_string());
                    tally.refused += 1;
                }
                Ok(Ok(read)) if read == whole => tally.right += 1,
                Ok(Ok(_)) if must_be_seen(&seed, damage) => tally.wrong.push(what),
                Ok(Ok(_)) => tally.unseen += 1,
            }
        }
    }
    Ok(tally)
}

/// Whether another picture than that of the whole file should have been refused: what is cut short
/// always, and whatever befell bytes that a checksum guards.
fn must_be_seen(seed: &Seed, damage: Damage) -> bool {
    matches!(damage, Damage::Cut { .. }) || damage.touches(&seed.guarded)
}

/// Zeroes one sector of a JPEG after the other. A JPEG has no checksum, but 512 zero bytes must bring up a
/// code that does not exist or leave rows missing.
fn sectors(program: &Program, scene: &Scene, place: &Path) -> Result<Tally> {
    const SECTOR: usize = 512;
    let mut tally = Tally::of("JPEG frames with a zeroed sector of 512 bytes");
    let path = place.join("sectors.jpg");
    let frame = PictureFile::open(&scene.frames[0])?;
    let (width, height) = (frame.facts().width, frame.facts().height);
    let encoding = frame.encoding().clone();
    let mut codes = Vec::new();
    frame.rows(&mut |_, rows| {
        codes.extend_from_slice(rows);
        Ok(())
    })?;
    let picture = Picture { width, height, channels: 3, encoding: &encoding, taken: None };
    write_picture(&path, Target::Jpeg { quality: 92 }, &picture, &mut |y, out| {
        let from = y as usize * width as usize * 3;
        out.copy_from_slice(&codes[from..from + out.len()]);
        Ok(())
    })?;
    let (bytes, whole) = (std::fs::read(&path)?, light(&path)?);
    for from in (0..bytes.len()).step_by(SECTOR) {
        let mut bytes = bytes.clone();
        Damage::Zero { from, count: SECTOR }.to(&mut bytes);
        std::fs::write(&path, &bytes)?;
        tally.tried += 1;
        match light(&path) {
            Ok(read) if read == whole => tally.right += 1,
            Ok(_) => tally.wrong.push(format!("sector at {from}")),
            Err(error) => {
                program.note(&error.to_string());
                tally.refused += 1;
            }
        }
    }
    Ok(tally)
}

/// Stacks with one damaged frame: it is left out with its reason, and nothing else is otherwise.
fn runs(program: &Program, scene: &Scene, place: &Path) -> Result<Tally> {
    let mut tally = Tally::of("Stacks with a frame that is cut short");
    let without = place.join("without.tif");
    program.run(&stack(&scene.frames[..5], &without))?;
    // The pixels alone: the file tells how many frames were given.
    let without = light(&without)?;
    let whole = std::fs::read(&scene.frames[5])?;
    let broken = place.join("f06.tif");
    let mut frames = scene.frames.clone();
    frames[5].clone_from(&broken);
    let mut random = Xoshiro256PlusPlus::seed_from_u64(29);
    for i in 0..RUNS {
        let left = random.random_range(0..whole.len());
        std::fs::write(&broken, &whole[..left])?;
        let picture = place.join(format!("r{i}.tif"));
        tally.tried += 1;
        match program.run(&stack(&frames, &picture))? {
            End::Done => match light(&picture) {
                Ok(light) if light == without => tally.refused += 1,
                _ => tally.wrong.push(format!("cut after {left} bytes: another result")),
            },
            End::Refused(said) => tally.lost.push(format!("cut after {left} bytes: {said}")),
            End::Crashed(said) => tally.panics.push(format!("cut after {left} bytes: {said}")),
            End::Hung => tally.hangs.push(format!("cut after {left} bytes")),
        }
        std::fs::remove_file(&picture)?;
    }
    Ok(tally)
}
