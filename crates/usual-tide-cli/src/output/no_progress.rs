//! What stands for a progress bar in a command that was built without `progress`: it draws nothing.

pub(crate) struct Progress;

impl Progress {
    pub(crate) fn of_steps(_steps: usize) -> Self {
        Self
    }

    pub(crate) fn of_bytes(_name: &str) -> Self {
        Self
    }

    pub(crate) fn step(&mut self, _what: &str) {}

    pub(crate) fn at(&mut self, _done: u64, _total: Option<u64>) {}

    pub(crate) fn finish(self) {}
}
