//! Progress on a terminal, for what takes longer than a second.

use granum_core::port::Observer;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

/// Tells a terminal how a run goes on; anything else hears nothing.
pub struct Progress {
    begun: Instant,
    state: Mutex<State>,
    terminal: bool,
}

struct State {
    /// When the stage began, and what came before it with its seconds.
    since: Instant,
    past: Vec<(String, f64)>,
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
        let now = Instant::now();
        let state = State { since: now, past: vec![], bar, stage: String::new(), size: 0, done: 0 };
        Self { begun: now, state: Mutex::new(state), terminal }
    }

    /// Clears the terminal; gives the stages with their seconds.
    pub fn finish(&self) -> Vec<(String, f64)> {
        self.stage("", 0);
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        state.bar.finish_and_clear();
        std::mem::take(&mut state.past)
    }

    fn draw(&self, state: &State) {
        if !self.terminal || self.begun.elapsed() < PATIENCE {
            return;
        }
        if state.bar.is_hidden() {
            state.bar.set_draw_target(ProgressDrawTarget::stderr());
        }
        let (template, message) = shown(state);
        if let Ok(style) = ProgressStyle::with_template(template) {
            state.bar.set_style(style);
        }
        state.bar.set_message(message);
        state.bar.set_length(state.size.max(1));
        state.bar.set_position(state.done.min(state.size.max(1)));
    }
}

/// How a stage is shown, and in what words: of what comes through a pipe nobody knows how much there will be.
fn shown(state: &State) -> (&'static str, String) {
    match state.done {
        done if done > 0 && state.size == 0 => {
            ("{msg}", format!("{}: {} MB so far", state.stage, done / 1_000_000))
        }
        _ => ("{msg} {wide_bar} {percent:>3}%", state.stage.clone()),
    }
}

impl Observer for Progress {
    fn stage(&self, what: &str, size: u64) {
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        let seconds = state.since.elapsed().as_secs_f64();
        state.since = Instant::now();
        crate::fault::doing(what);
        let before = std::mem::replace(&mut state.stage, what.to_owned());
        if !before.is_empty() {
            state.past.push((before, seconds));
        }
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_comes_through_a_pipe_has_no_percentage() {
        let progress = Progress::new(true);
        let now = |size, done| {
            progress.stage("reading t", size);
            progress.advance(done);
            shown(&progress.state.lock().unwrap())
        };
        assert_eq!(now(0, 12_345_678), ("{msg}", "reading t: 12 MB so far".to_owned()));
        for (size, done) in [(0, 0), (9, 5), (9, 0)] {
            let (template, message) = now(size, done);
            assert!(template.contains("{percent") && message == "reading t", "{size} {done}");
        }
    }
}
