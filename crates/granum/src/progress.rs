//! Progress on a terminal, for what takes longer than a second.

use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use granum_core::engine::Observer;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

/// Tells a terminal how a run goes on; anything else hears nothing.
pub struct Progress {
    begun: Instant,
    state: Mutex<State>,
    terminal: bool,
}

struct State {
    bar: ProgressBar,
    stage: String,
    size: u64,
    done: u64,
}

const PATIENCE: Duration = Duration::from_secs(1);

impl Progress {
    pub fn new(quiet: bool) -> Self {
        let terminal = !quiet && console::Term::stderr().is_term();
        let bar = ProgressBar::with_draw_target(None, ProgressDrawTarget::hidden());
        let state = State { bar, stage: String::new(), size: 0, done: 0 };
        Self { begun: Instant::now(), state: Mutex::new(state), terminal }
    }

    pub fn finish(&self) {
        self.state.lock().unwrap_or_else(PoisonError::into_inner).bar.finish_and_clear();
    }

    fn draw(&self, state: &State) {
        if !self.terminal || self.begun.elapsed() < PATIENCE {
            return;
        }
        if state.bar.is_hidden() {
            state.bar.set_draw_target(ProgressDrawTarget::stderr());
            if let Ok(style) = ProgressStyle::with_template("{msg} {wide_bar} {percent:>3}%") {
                state.bar.set_style(style);
            }
        }
        state.bar.set_message(state.stage.clone());
        state.bar.set_length(state.size.max(1));
        state.bar.set_position(state.done.min(state.size.max(1)));
    }
}

impl Observer for Progress {
    fn stage(&self, what: &str, size: u64) {
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        what.clone_into(&mut state.stage);
        state.size = size;
        state.done = 0;
        self.draw(&state);
    }

    fn advance(&self, done: u64) {
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        state.done += done;
        self.draw(&state);
    }
}
