//! How long keys wait for their answer.

use std::time::Duration;

/// Times that the median is taken of.
const KEPT: usize = 1000;

/// The times from a key to the frame that answers it.
#[derive(Clone, Default, Debug)]
pub(crate) struct Timing {
    last: Vec<Duration>,
    count: usize,
    worst: Duration,
    /// Keys that waited for the store to be done with what was asked before, which a frame said at once.
    waits: usize,
    longest_wait: Duration,
}

impl Timing {
    pub(crate) fn note(&mut self, waited: Duration) {
        match self.last.len() < KEPT {
            true => self.last.push(waited),
            false => self.last[self.count % KEPT] = waited,
        }
        self.count += 1;
        self.worst = self.worst.max(waited);
    }

    /// A key was told to wait, and is handled now.
    pub(crate) fn note_wait(&mut self, waited: Duration) {
        self.waits += 1;
        self.longest_wait = self.longest_wait.max(waited);
    }

    /// In words, with milliseconds.
    pub(crate) fn told(&self) -> String {
        let mut sorted = self.last.clone();
        sorted.sort_unstable();
        let median = sorted.get(sorted.len() / 2).copied().unwrap_or_default();
        let told = |time: Duration| format!("{:.1} ms", time.as_secs_f64() * 1000.0);
        let mut text = format!(
            "{} keys answered, each after {} (median), {} at most",
            self.count,
            told(median),
            told(self.worst)
        );
        if self.waits > 0 {
            let longest = told(self.longest_wait);
            text.push_str(&format!(
                "; {} waited for the list, {longest} at most",
                self.waits
            ));
        }
        text
    }
}
