//! Writes the whole files that readers are tried with into a folder of folders, one for each fuzz
//! target.
//!
//! usage: seeds FOLDER

use jade_trials::{Reader, seeds};
use std::path::PathBuf;

fn main() -> std::io::Result<()> {
    let Some(corpus) = std::env::args_os().nth(1).map(PathBuf::from) else {
        eprintln!("usage: seeds FOLDER");
        std::process::exit(2);
    };
    for reader in Reader::ALL {
        let folder = corpus.join(reader.name());
        std::fs::create_dir_all(&folder)?;
        for seed in seeds(reader) {
            std::fs::write(folder.join(seed.name), seed.bytes)?;
        }
    }
    Ok(())
}
