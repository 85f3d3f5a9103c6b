//! The command line of Jade Stack.

mod focus;
mod inputs;
mod lens;
mod mask;
mod progress;
mod run;
mod scene;
mod scratch;
mod serve;
mod skyline;
mod stack;
mod work;

use clap::{Parser, Subcommand};
use std::process::ExitCode;

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
    Demo(serve::DemoArgs),
    /// The simulated camera: frames of a made-up scene and their truth.
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

fn main() -> ExitCode {
    // Usage errors end with status 2, from clap itself.
    let cli = Cli::parse();
    let done = match cli.command {
        Command::Serve(args) => serve::serve(args),
        Command::Demo(args) => serve::demo(args),
        Command::Scene(args) => scene::make(args),
        Command::Stack(args) => stack::stack(*args),
        Command::Run(args) => run::run(args),
        Command::Skyline(args) => mask::find(args),
        Command::Lens(args) => lens::find(args),
        Command::Focus(args) => focus::focus(args),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("jade-stack: {error:#}");
            ExitCode::FAILURE
        }
    }
}
