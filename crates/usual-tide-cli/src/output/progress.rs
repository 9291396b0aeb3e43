//! How far the work has come, on standard error.

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::time::{Duration, Instant};

/// Work that is done sooner shows no bar.
const WORTH_SHOWING: Duration = Duration::from_secs(1);

pub(crate) struct Progress {
    bar: ProgressBar,
    begun: Instant,
    shown: bool,
}

impl Progress {
    /// Of this many steps, each with a word on it.
    pub(crate) fn of_steps(steps: usize) -> Self {
        Self::new(steps as u64, "{wide_bar} {pos}/{len}  {msg}")
    }

    /// Of the reading of a file.
    pub(crate) fn of_bytes(name: &str) -> Self {
        let progress = Self::new(0, "{wide_bar} {bytes} of {total_bytes}  {msg}");
        progress.bar.set_message(name.to_owned());
        progress
    }

    fn new(total: u64, template: &str) -> Self {
        let bar = ProgressBar::with_draw_target(Some(total), ProgressDrawTarget::hidden());
        if let Ok(style) = ProgressStyle::with_template(template) {
            bar.set_style(style);
        }
        Self {
            bar,
            begun: Instant::now(),
            shown: false,
        }
    }

    pub(crate) fn step(&mut self, what: &str) {
        self.show_when_worth();
        self.bar.set_message(what.to_owned());
        self.bar.inc(1);
    }

    pub(crate) fn at(&mut self, done: u64, total: Option<u64>) {
        self.show_when_worth();
        self.bar.set_length(total.unwrap_or(done));
        self.bar.set_position(done);
    }

    fn show_when_worth(&mut self) {
        if !self.shown && self.begun.elapsed() > WORTH_SHOWING {
            // Where standard error is no terminal nothing is drawn.
            self.bar.set_draw_target(ProgressDrawTarget::stderr());
            self.shown = true;
        }
    }

    pub(crate) fn finish(self) {
        self.bar.finish_and_clear();
    }
}
