//! `backup` and `restore`: a copy of everything that the web application keeps.

use crate::signals;
use anyhow::Context;
use clap::Args;
use jade_server::backup::{self, Copied};
use std::path::PathBuf;

#[derive(Args)]
pub struct BackupArgs {
    /// The folder to make, with the copy in it.
    folder: PathBuf,
    #[command(flatten)]
    of: Of,
}

#[derive(Args)]
pub struct RestoreArgs {
    /// The folder that `backup` made.
    folder: PathBuf,
    #[command(flatten)]
    of: Of,
}

#[derive(Args)]
struct Of {
    /// Folder of everything that the application keeps.
    #[arg(long, value_name = "DIR", default_value = "jade-stack-data")]
    data: PathBuf,
}

pub fn backup(args: BackupArgs) -> anyhow::Result<()> {
    let runtime = tokio::runtime::Builder::new_current_thread()
        .enable_all()
        .build()
        .context("the runtime cannot be started")?;
    let copied = runtime.block_on(backup::backup(&args.of.data, &args.folder, &signals::came))?;
    println!("Copied to {}: {}.", args.folder.display(), summary(copied));
    if copied.linked > 0 {
        println!(
            "{} frames lie in folders of their own and are not in it; keep those folders too.",
            copied.linked
        );
    }
    Ok(())
}

pub fn restore(args: RestoreArgs) -> anyhow::Result<()> {
    let copied = backup::restore(&args.folder, &args.of.data, &signals::came)?;
    println!(
        "Restored to {}: {}. Start the server with --data to see it.",
        args.of.data.display(),
        summary(copied)
    );
    Ok(())
}

fn summary(copied: Copied) -> String {
    let plural = if copied.files == 1 { "" } else { "s" };
    format!("the store and {} file{plural}, {} MiB", copied.files, copied.bytes.div_ceil(1 << 20))
}
