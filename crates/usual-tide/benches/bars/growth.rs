//! Operations beside many things of their kind, held against the same beside few: the ratio is how much they grow.

#[path = "../../tests/growth/beside.rs"]
mod beside;

use crate::timing::{Report, Turns, seconds};
use beside::{BESIDE, OPERATIONS};

/// What the floor has beside it.
const FEW: u32 = 400;

pub(crate) fn measure(rows: usize, report: &mut Report) {
    let turns = Turns {
        rounds: 3,
        operations: OPERATIONS as usize,
    };
    // As for `OPERATIONS` of them, however often it was done, since the report divides by that.
    let time = |operations: u32, work: &mut dyn FnMut()| {
        seconds(work) / f64::from(operations) * f64::from(OPERATIONS)
    };
    for (name, operation) in BESIDE {
        let floor = || operation(FEW, &time);
        let name = format!("growth: {name}");
        report.compare(&name, rows, &turns, floor, || operation(rows as u32, &time));
    }
}
