//! Every reader is given whole files and many damaged ones.

use jade_trials::{Outcome, Reader, damaged, seeds};
use rand::SeedableRng;
use rand_xoshiro::Xoshiro256PlusPlus;

/// Damaged copies of each whole file.
const COPIES: u64 = 60;

#[test]
fn whole_files_are_read() {
    let folder = tempfile::tempdir().unwrap();
    for reader in Reader::ALL {
        for seed in seeds(reader) {
            let outcome = reader.read(&seed.bytes, &folder.path().join("input"));
            assert_eq!(outcome, Outcome::Read, "{} {}", reader.name(), seed.name);
        }
    }
}

#[test]
fn seeds_are_the_same_every_time() {
    for reader in Reader::ALL {
        for (once, again) in seeds(reader).iter().zip(seeds(reader)) {
            assert_eq!(once.bytes, again.bytes, "{} {}", reader.name(), once.name);
        }
    }
}

/// What is asked of each is told at [`Reader::read`].
#[test]
fn damaged_files_are_read_or_refused() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("input");
    for reader in Reader::ALL {
        let mut refused = 0;
        let all = seeds(reader);
        for seed in &all {
            let mut random = Xoshiro256PlusPlus::seed_from_u64(1);
            for _ in 0..COPIES {
                let (bytes, _) = damaged(&seed.bytes, &mut random);
                refused += u64::from(reader.read(&bytes, &path) != Outcome::Read);
            }
        }
        let tried = COPIES * all.len() as u64;
        assert!(refused > tried / 10, "{}: {refused} of {tried} refused", reader.name());
    }
}
