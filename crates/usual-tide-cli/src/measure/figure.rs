//! Times of work and floor, taken in turn.

use super::work::{Subject, Work};
use crate::error::CommandError;
use crate::output::progress::Progress;

/// What one work took beside its floor.
pub(super) struct Figure {
    pub(super) work: &'static str,
    pub(super) floor: &'static str,
    /// Medians, in seconds.
    pub(super) work_seconds: f64,
    pub(super) floor_seconds: f64,
    /// The median, lowest and highest of the rounds.
    pub(super) ratio: f64,
    pub(super) lowest: f64,
    pub(super) highest: f64,
}

impl Figure {
    pub(super) fn measure(
        work: &'static Work,
        subject: &mut Subject<'_>,
        rounds: u32,
        progress: &mut Progress,
    ) -> Result<Self, CommandError> {
        let (mut works, mut floors, mut ratios) = (Vec::new(), Vec::new(), Vec::new());
        for round in 0..rounds {
            progress.step(work.name);
            let (own, floor) = (work.run)(subject, u64::from(round))?;
            // A clock may be too coarse for the smallest of floors.
            let (own, floor) = (own.as_secs_f64(), floor.as_secs_f64().max(1e-9));
            works.push(own);
            floors.push(floor);
            ratios.push(own / floor);
        }
        Ok(Self {
            work: work.name,
            floor: work.floor,
            work_seconds: median(&mut works),
            floor_seconds: median(&mut floors),
            ratio: median(&mut ratios),
            lowest: ratios.first().copied().unwrap_or_default(),
            highest: ratios.last().copied().unwrap_or_default(),
        })
    }
}

/// The middle of some values, which are sorted afterwards.
fn median(values: &mut [f64]) -> f64 {
    values.sort_by(f64::total_cmp);
    let middle = values.len() / 2;
    match values.len() % 2 {
        1 => values[middle],
        _ if middle == 0 => 0.0,
        _ => f64::midpoint(values[middle - 1], values[middle]),
    }
}
