//! What processes take: memory, open files, threads.

use std::fmt;
use std::fs;
use std::time::{Duration, Instant};

/// What a process takes at a moment.
#[derive(Clone, Copy, Debug)]
struct Taken {
    kilobytes: u64,
    files: usize,
    threads: u64,
}

impl Taken {
    fn by(process: u32) -> Self {
        let status = fs::read_to_string(format!("/proc/{process}/status")).unwrap();
        let number = |name: &str| {
            let line = status.lines().find(|line| line.starts_with(name)).unwrap();
            let number = line.split_whitespace().nth(1).unwrap();
            number.parse().unwrap()
        };
        Self {
            kilobytes: number("VmRSS:"),
            files: fs::read_dir(format!("/proc/{process}/fd")).unwrap().count(),
            threads: number("Threads:"),
        }
    }
}

/// What all of them take at a moment.
pub(crate) struct Sample(Vec<Taken>);

impl fmt::Display for Sample {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let parts: Vec<String> = self
            .0
            .iter()
            .map(|taken| {
                format!(
                    "{} KiB, {} files, {} threads",
                    taken.kilobytes, taken.files, taken.threads
                )
            })
            .collect();
        f.write_str(&parts.join("; "))
    }
}

/// What is looked at: its name, how much of it there is, and how much more there may be.
type Kind = (&'static str, fn(&Taken) -> u64, u64);

/// Samples from time to time.
pub(crate) struct Resources {
    processes: Vec<u32>,
    samples: Vec<Sample>,
    last: Instant,
}

impl Resources {
    pub(crate) fn of(processes: impl Into<Vec<u32>>) -> Self {
        Self {
            processes: processes.into(),
            samples: Vec::new(),
            last: Instant::now(),
        }
    }

    /// A sample, when the last one is this old.
    pub(crate) fn sample_each(&mut self, time: Duration) -> Option<&Sample> {
        if self.last.elapsed() < time {
            return None;
        }
        self.last = Instant::now();
        let taken = self.processes.iter().map(|process| Taken::by(*process));
        self.samples.push(Sample(taken.collect()));
        self.samples.last()
    }

    /// The last quarter takes no more than the second one did, but for what an allocator keeps.
    pub(crate) fn assert_flat(&self) {
        let quarter = self.samples.len() / 4;
        for (number, process) in self.processes.iter().enumerate() {
            let most = |samples: &[Sample], of: fn(&Taken) -> u64| -> u64 {
                samples
                    .iter()
                    .map(|sample| of(&sample.0[number]))
                    .max()
                    .unwrap()
            };
            let (before, after) = (
                &self.samples[quarter..2 * quarter],
                &self.samples[3 * quarter..],
            );
            let kinds: [Kind; 3] = [
                ("KiB of memory", |taken| taken.kilobytes, 8 << 10),
                ("files", |taken| taken.files as u64, 8),
                ("threads", |taken| taken.threads, 8),
            ];
            for (name, of, more) in kinds {
                let (was, is) = (most(before, of), most(after, of));
                let bound = was + was / 10 + more;
                assert!(is <= bound, "process {process}: {is} {name} after {was}");
            }
        }
    }
}
