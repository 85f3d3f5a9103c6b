//! Progress on stderr: a bar on a terminal, plain lines elsewhere; and the clock of the stages.

use crate::signals;
use indicatif::{ProgressBar, ProgressStyle};
use jade_plan::progress::{Stage, Watch};
use jade_plan::report::StageTime;
use std::io::IsTerminal;
use std::sync::Mutex;
use std::time::Instant;

/// Shows the progress of a run, and stops it when a signal comes.
pub struct Progress {
    state: Mutex<State>,
    quiet: bool,
    terminal: bool,
}

struct State {
    bar: Option<ProgressBar>,
    current: Option<(Stage, Instant)>,
    times: Vec<StageTime>,
}

impl Progress {
    /// Progress on stderr unless `quiet`.
    pub fn new(quiet: bool) -> Self {
        let state = State { bar: None, current: None, times: vec![] };
        Self { state: Mutex::new(state), quiet, terminal: std::io::stderr().is_terminal() }
    }

    fn state(&self) -> std::sync::MutexGuard<'_, State> {
        self.state.lock().expect("no thread panics while it holds the progress")
    }

    /// Ends the last stage and gives the time of each.
    pub fn finish(&self) -> Vec<StageTime> {
        let mut state = self.state();
        self.close(&mut state);
        state.times.clone()
    }

    fn close(&self, state: &mut State) {
        if let Some(bar) = state.bar.take() {
            bar.finish_and_clear();
        }
        if let Some((stage, since)) = state.current.take() {
            let seconds = since.elapsed().as_secs_f64();
            let name = stage.name().to_owned();
            if !self.quiet {
                eprintln!("{name}: done in {seconds:.2} s");
            }
            state.times.push(StageTime { name, seconds });
        }
    }
}

impl Watch for Progress {
    fn begin(&self, stage: Stage, total: u64) {
        let mut state = self.state();
        self.close(&mut state);
        state.current = Some((stage, Instant::now()));
        if self.quiet {
            return;
        }
        if self.terminal {
            let style = ProgressStyle::with_template("{msg:8} {wide_bar} {pos}/{len} {eta}");
            let bar = ProgressBar::new(total)
                .with_style(style.expect("the template is well formed"))
                .with_message(stage.name());
            state.bar = Some(bar);
        } else {
            eprintln!("{}: {total} steps", stage.name());
        }
    }

    fn advance(&self, steps: u64) {
        if let Some(bar) = &self.state().bar {
            bar.inc(steps);
        }
    }

    fn cancelled(&self) -> bool {
        signals::came()
    }
}
