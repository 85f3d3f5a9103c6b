//! `serve` and `demo`: the web application.

use crate::signals;
use anyhow::Context;
use clap::Args;
use jade_engine::Budget;
use jade_server::{Config, Server};
use std::net::SocketAddr;
use std::path::PathBuf;

#[derive(Args)]
pub struct ServeArgs {
    #[command(flatten)]
    common: Common,
    /// A folder from which frames may be added; may be given several times.
    #[arg(long, value_name = "DIR")]
    frames_root: Vec<PathBuf>,
}

#[derive(Args)]
pub struct DemoArgs {
    #[command(flatten)]
    common: Common,
}

#[derive(Args)]
struct Common {
    /// Folder of everything the application keeps.
    #[arg(long, value_name = "DIR", default_value = "jade-stack-data")]
    data: PathBuf,
    /// Where to listen. Elsewhere than on this machine a password is needed, in the environment
    /// variable JADE_STACK_PASSWORD.
    #[arg(long, value_name = "ADDR:PORT", default_value = "127.0.0.1:7420")]
    listen: SocketAddr,
    /// Memory budget of a run in MiB; by default the smaller of 2048 and a quarter of the machine's.
    #[arg(long, value_name = "MIB")]
    memory: Option<u64>,
    /// Threads of a run; unless given, one for each core, as far as each has 64 MiB of its memory
    /// budget.
    #[arg(long)]
    threads: Option<usize>,
    /// Disk space for decoded frames and other products that can be made again, in GiB.
    #[arg(long, value_name = "GIB", default_value_t = 20)]
    cache: u64,
}

pub fn serve(args: ServeArgs) -> anyhow::Result<()> {
    start(args.common, args.frames_root, false)
}

#[cfg(feature = "demo")]
pub fn demo(args: DemoArgs) -> anyhow::Result<()> {
    start(args.common, vec![], true)
}

fn start(common: Common, roots: Vec<PathBuf>, demo: bool) -> anyhow::Result<()> {
    tracing_subscriber::fmt()
        .with_writer(std::io::stderr)
        .with_max_level(tracing_subscriber::filter::LevelFilter::WARN)
        .init();
    // Frames, results and passwords of the browser are their owner's alone.
    rustix::process::umask(rustix::fs::Mode::from_raw_mode(0o077));
    let config = Config {
        data: common.data,
        listen: common.listen,
        roots,
        #[cfg(feature = "demo")]
        demo,
        password: std::env::var("JADE_STACK_PASSWORD").ok().filter(|p| !p.is_empty()),
        budget: Budget::new(common.memory, common.threads)?,
        cache_limit: common.cache << 30,
    };
    let (ask, asked) = tokio::sync::oneshot::channel();
    signals::listen(move || {
        // Nobody is asked where the start failed already.
        let _ = ask.send(());
    })?;
    let runtime = tokio::runtime::Runtime::new().context("the runtime cannot be started")?;
    let done = runtime.block_on(async {
        if demo {
            eprintln!(
                "Making the demo shoot, unless it is there; the first time takes some seconds."
            );
        }
        let server = Server::start(config).await?;
        println!("Jade Stack is ready: http://{}", server.address()?);
        let stop = async {
            let _ = asked.await;
        };
        server.run(stop).await?;
        anyhow::Ok(())
    });
    // A run under way is abandoned; at the next start it is marked as interrupted and can be
    // continued.
    runtime.shutdown_background();
    done
}
