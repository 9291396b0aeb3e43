//! How far the work has come, on standard error.

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::time::{Duration, Instant};

/// Work that is done sooner shows no bar.
const WORTH_SHOWING: Duration = Duration::from_secs(1);

pub(super) struct Progress {
    bar: ProgressBar,
    begun: Instant,
    shown: bool,
}

impl Progress {
    pub(super) fn new(steps: usize) -> Self {
        let bar = ProgressBar::with_draw_target(Some(steps as u64), ProgressDrawTarget::hidden());
        if let Ok(style) = ProgressStyle::with_template("{wide_bar} {pos}/{len}  {msg}") {
            bar.set_style(style);
        }
        Self {
            bar,
            begun: Instant::now(),
            shown: false,
        }
    }

    pub(super) fn step(&mut self, what: &str) {
        if !self.shown && self.begun.elapsed() > WORTH_SHOWING {
            // Where standard error is no terminal nothing is drawn.
            self.bar.set_draw_target(ProgressDrawTarget::stderr());
            self.shown = true;
        }
        self.bar.set_message(what.to_owned());
        self.bar.inc(1);
    }

    pub(super) fn finish(self) {
        self.bar.finish_and_clear();
    }
}
