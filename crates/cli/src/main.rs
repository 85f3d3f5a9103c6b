//! The command line of Jade Stack.

mod backup;
mod focus;
mod inputs;
mod lens;
mod lens_found;
mod mask;
mod outputs;
mod progress;
mod run;
mod say;
#[cfg(feature = "demo")]
mod scene;
mod scratch;
mod serve;
mod signals;
mod skyline;
mod stack;
mod work;
mod written;

use clap::{Parser, Subcommand};
use jade_allocator::Reserving;
use say::say;
use std::process::ExitCode;

/// A damaged raw file, which announces more memory than there is, fails alone instead of ending the program.
#[global_allocator]
static ALLOCATOR: Reserving = Reserving;

/// Stacks many frames of one scene into one clean picture.
#[derive(Parser)]
#[command(name = "jade-stack", version)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Start the web application.
    Serve(serve::ServeArgs),
    /// Start the web application with the demo shoots, made on the first start.
    #[cfg(feature = "demo")]
    Demo(serve::DemoArgs),
    /// Copy everything that the web application keeps to a folder, while it runs or not.
    Backup(backup::BackupArgs),
    /// Copy a backup back to an empty data folder.
    Restore(backup::RestoreArgs),
    /// The simulated camera: frames of a made-up scene and their truth.
    #[cfg(feature = "demo")]
    Scene(scene::SceneArgs),
    /// Stack frames into one picture.
    Stack(Box<stack::StackArgs>),
    /// Carry out a saved plan again.
    Run(run::RunArgs),
    /// Find where the sky ends, as a mask.
    Skyline(mask::MaskArgs),
    /// Find what a lens does to its pictures, from stars and flat frames.
    Lens(lens::LensArgs),
    /// Merge the frames of a focus sweep to one picture; or put them in order alone, and point out
    /// planes that are missing or there twice.
    Focus(focus::FocusArgs),
}

impl Command {
    /// Whether it is the server.
    fn serves(&self) -> bool {
        match self {
            Self::Serve(_) => true,
            #[cfg(feature = "demo")]
            Self::Demo(_) => true,
            _ => false,
        }
    }
}

fn main() -> ExitCode {
    // Usage errors end with status 2, from clap itself.
    let cli = Cli::parse();
    let done = carry_out(cli.command).map_err(scratch::as_chosen);
    match (done, signals::status()) {
        (Ok(()), None) => ExitCode::SUCCESS,
        (Err(error), None) => {
            say(format!("jade-stack: {error:#}"));
            ExitCode::FAILURE
        }
        (done, Some(status)) => {
            if let Err(error) = done {
                say(format!("jade-stack: {error:#}"));
            }
            ExitCode::from(status)
        }
    }
}

fn carry_out(command: Command) -> anyhow::Result<()> {
    // The server brings its own connections and jobs to an end first.
    if !command.serves() {
        signals::listen(|| ())?;
    }
    match command {
        Command::Serve(args) => serve::serve(args),
        #[cfg(feature = "demo")]
        Command::Demo(args) => serve::demo(args),
        Command::Backup(args) => backup::backup(args),
        Command::Restore(args) => backup::restore(args),
        #[cfg(feature = "demo")]
        Command::Scene(args) => scene::make(args),
        Command::Stack(args) => stack::stack(*args),
        Command::Run(args) => run::run(args),
        Command::Skyline(args) => mask::find(args),
        Command::Lens(args) => lens::find(args),
        Command::Focus(args) => focus::focus(args),
    }
}
