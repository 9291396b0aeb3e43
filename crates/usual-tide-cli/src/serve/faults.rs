//! A bad network and a strict server, as the options ask for.

use crate::args::Serve;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

/// What goes wrong, and how often.
#[derive(Debug)]
pub(super) struct Faults {
    latency: (u64, u64),
    refuse: Every,
    conflict: Every,
    fail: Every,
    drop: Every,
    garble: Every,
}

/// Counts to a number again and again.
#[derive(Debug)]
struct Every {
    number: Option<u64>,
    counted: AtomicU64,
}

impl Every {
    fn new(number: Option<u64>) -> Self {
        let counted = AtomicU64::new(0);
        Self { number, counted }
    }

    /// How often the number was reached, when it is reached now.
    fn is_due(&self) -> Option<u64> {
        let number = self.number?;
        let count = self.counted.fetch_add(1, Ordering::Relaxed) + 1;
        count.is_multiple_of(number).then_some(count / number)
    }
}

/// Where a connection is cut.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Cut {
    /// The request never arrives.
    Before,
    /// It is carried out, and the answer is lost.
    After,
}

impl Faults {
    pub(super) fn new(serve: &Serve) -> Self {
        Self {
            latency: serve.latency.unwrap_or((0, 0)),
            refuse: Every::new(serve.refuse_every),
            conflict: Every::new(serve.conflict_every),
            fail: Every::new(serve.fail_every),
            drop: Every::new(serve.drop_every),
            garble: Every::new(serve.garble_every),
        }
    }

    pub(super) fn latency(&self) -> Option<Duration> {
        let (least, most) = self.latency;
        (most > 0).then(|| Duration::from_millis(fastrand::u64(least..=most)))
    }

    pub(super) fn cut(&self) -> Option<Cut> {
        let times = self.drop.is_due()?;
        Some(if times % 2 == 1 {
            Cut::Before
        } else {
            Cut::After
        })
    }

    pub(super) fn fails(&self) -> bool {
        self.fail.is_due().is_some()
    }

    pub(super) fn garbles(&self) -> bool {
        self.garble.is_due().is_some()
    }

    pub(super) fn refuses(&self) -> bool {
        self.refuse.is_due().is_some()
    }

    pub(super) fn conflicts(&self) -> bool {
        self.conflict.is_due().is_some()
    }
}
