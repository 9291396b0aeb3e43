//! When to try again.

use std::time::Duration;

/// How long a link waits after a failure: twice as long after each, up to a limit, and of that a random part, so
/// that many clients of a server that comes back do not all ask at once.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Retry {
    /// The wait after the first failure.
    pub first: Duration,
    /// The longest wait.
    pub most: Duration,
}

impl Default for Retry {
    /// Half a second, and up to a minute.
    fn default() -> Self {
        Self {
            first: Duration::from_millis(500),
            most: Duration::from_secs(60),
        }
    }
}

impl Retry {
    /// The wait after so many failures in a row: between half of the full wait and all of it.
    pub(crate) fn wait(&self, failures: u32) -> Duration {
        let doubled = 1_u32
            .checked_shl(failures.saturating_sub(1))
            .unwrap_or(u32::MAX);
        let full = self.first.saturating_mul(doubled).min(self.most);
        full.mul_f64(0.5 + fastrand::f64() / 2.0)
    }
}
