//! What operations look up in the trees as their surroundings grow.

#[path = "../../tests/growth/beside.rs"]
mod beside;

use crate::order::reads::counted;
use beside::BESIDE;

const FEW: u32 = 200;
const MANY: u32 = 3_200;

/// Look-ups may grow so much from few to many: 16 times as many, of which the logarithm is 1.5 times as large, or its
/// square twice.
const GROWTH: f64 = 3.0;

#[test]
fn no_operation_looks_up_more_positions_in_proportion_to_what_is_beside_it() {
    let count = |operations: u32, work: &mut dyn FnMut()| {
        let before = counted();
        work();
        (counted() - before) as f64 / f64::from(operations)
    };
    let mut too_much = Vec::new();
    for (name, operation) in BESIDE {
        let (few, many) = (operation(FEW, &count), operation(MANY, &count));
        if many > GROWTH * few + 10.0 {
            too_much.push(format!(
                "{name}: {few:.1} beside {FEW}, {many:.1} beside {MANY}"
            ));
        }
    }
    assert!(too_much.is_empty(), "{}", too_much.join("\n"));
}
