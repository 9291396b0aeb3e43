//! Timing work and floor in turn.

use std::time::Instant;

/// Prints one line for each measurement.
pub(crate) struct Report {
    names: Vec<String>,
    /// Name, rows, median seconds of one operation.
    singles: Vec<(String, usize, f64)>,
}

/// How often work and floor take turns.
pub(crate) struct Turns {
    pub(crate) rounds: usize,
    /// Operations in a round, by which the times are divided.
    pub(crate) operations: usize,
}

impl Report {
    pub(crate) fn new(names: Vec<String>) -> Self {
        println!("| work | rows | floor | work | ratio | lowest | highest |");
        println!("|---|---|---|---|---|---|---|");
        Self {
            names,
            singles: Vec::new(),
        }
    }

    pub(crate) fn wants(&self, name: &str) -> bool {
        self.names.is_empty() || self.names.iter().any(|word| name.contains(word.as_str()))
    }

    /// Whether it wants any of those whose names begin so.
    pub(crate) fn wants_any_of(&self, beginning: &str) -> bool {
        let names = |word: &String| word.starts_with(beginning) || beginning.contains(&**word);
        self.names.is_empty() || self.names.iter().any(names)
    }

    /// Times `floor` and `work` in turn; each times itself, so that what it prepares does not count.
    pub(crate) fn compare(
        &mut self,
        name: &str,
        rows: usize,
        turns: &Turns,
        mut floor: impl FnMut() -> f64,
        mut work: impl FnMut() -> f64,
    ) {
        if !self.wants(name) {
            return;
        }
        // Once unseen, so that caches and allocator are as in use.
        floor();
        work();
        let (mut floors, mut works, mut ratios) = (Vec::new(), Vec::new(), Vec::new());
        for _ in 0..turns.rounds {
            let (one, two) = (floor(), work());
            floors.push(one);
            works.push(two);
            ratios.push(two / one);
        }
        ratios.sort_by(f64::total_cmp);
        let each = |times: &mut Vec<f64>| median(times) / turns.operations as f64;
        let (floor, work) = (each(&mut floors), each(&mut works));
        self.singles.push((name.to_owned(), rows, work));
        println!(
            "| {name} | {rows} | {} | {} | **{:.2}** | {:.2} | {:.2} |",
            shown(floor),
            shown(work),
            median(&mut ratios),
            ratios[0],
            ratios[ratios.len() - 1],
        );
    }

    pub(crate) fn figure(&self, name: &str, rows: usize, figure: &str) {
        if self.wants(name) {
            println!("| {name} | {rows} | | {figure} | | | |");
        }
    }

    /// How a time grew from the fewest rows to the most.
    pub(crate) fn growth(&self, name: &str) {
        let times: Vec<_> = self
            .singles
            .iter()
            .filter(|single| single.0 == name)
            .collect();
        if let (Some(first), Some(last)) = (times.first(), times.last())
            && first.1 < last.1
        {
            let growth = last.2 / first.2;
            println!(
                "| growth of: {name} | {} to {} | | {growth:.1} times | | | |",
                first.1, last.1
            );
        }
    }
}

fn median(values: &mut [f64]) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

fn shown(seconds: f64) -> String {
    match seconds {
        s if s < 1e-6 => format!("{:.0} ns", s * 1e9),
        s if s < 1e-3 => format!("{:.2} µs", s * 1e6),
        s => format!("{:.2} ms", s * 1e3),
    }
}

/// The seconds that something takes, its result not optimised away.
pub(crate) fn seconds<R>(work: impl FnOnce() -> R) -> f64 {
    let start = Instant::now();
    std::hint::black_box(work());
    start.elapsed().as_secs_f64()
}
