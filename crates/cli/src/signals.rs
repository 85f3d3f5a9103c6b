//! Signals that end the program: an interrupt from the keyboard, a request to terminate, and a
//! terminal that is closed.

use anyhow::Context;
use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
use signal_hook::iterator::Signals;
use std::sync::atomic::{AtomicI32, Ordering};

/// The first signal that came; 0 before.
static CAUGHT: AtomicI32 = AtomicI32::new(0);

/// Listens for signals from here on, and calls `first` when the first one comes. A second one ends
/// the process at once.
///
/// # Errors
/// The system's, when it lends no thread or no signal.
pub fn listen(first: impl FnOnce() + Send + 'static) -> anyhow::Result<()> {
    let mut wanted = vec![SIGINT, SIGTERM];
    // A program that was started with `nohup` outlives its terminal.
    if !is_ignored(SIGHUP) {
        wanted.push(SIGHUP);
    }
    let mut signals = Signals::new(wanted).context("signals cannot be listened for")?;
    let mut first = Some(first);
    std::thread::Builder::new()
        .name("signals".to_owned())
        .spawn(move || {
            for signal in signals.forever() {
                match first.take() {
                    Some(first) => {
                        CAUGHT.store(signal, Ordering::Relaxed);
                        first();
                    }
                    None => std::process::exit(status_of(signal).into()),
                }
            }
        })
        .context("the thread that listens for signals cannot be started")?;
    Ok(())
}

/// Whether a signal has asked the program to end.
pub fn came() -> bool {
    CAUGHT.load(Ordering::Relaxed) != 0
}

/// The status with which the program ends after a signal; `None` when none came.
pub fn status() -> Option<u8> {
    came().then(|| status_of(CAUGHT.load(Ordering::Relaxed)))
}

/// 130 after an interrupt, 143 after any other request to end.
fn status_of(signal: i32) -> u8 {
    match signal {
        SIGINT => 130,
        _ => 143,
    }
}

/// Whether the process was started with a signal ignored, as Linux tells.
fn is_ignored(signal: i32) -> bool {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("SigIgn:"));
    let ignored = line.and_then(|mask| u64::from_str_radix(mask.trim(), 16).ok()).unwrap_or(0);
    ignored >> (signal - 1) & 1 == 1
}
