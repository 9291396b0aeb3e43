//! A sort that no comparison can upset.

/// Runs up to this length are sorted by insertion.
const SHORT: usize = if cfg!(any(test, fuzzing)) { 2 } else { 12 };

/// Sorts by merging (von Neumann 1945), stable, in O(n log n) comparisons.
///
/// The standard library's sorts may panic when comparisons contradict each other, and these are the
/// app's: a sort that is not total gives some order here, and never a panic.
pub(super) fn merge_sort<R: Copy>(rows: &mut [R], mut after: impl FnMut(&R, &R) -> bool) {
    for run in rows.chunks_mut(SHORT) {
        for end in 1..run.len() {
            let row = run[end];
            let mut at = end;
            while at > 0 && after(&run[at - 1], &row) {
                run[at] = run[at - 1];
                at -= 1;
            }
            run[at] = row;
        }
    }
    // Of many short runs of ties none is worth an allocation.
    if rows.len() <= SHORT {
        return;
    }
    let mut merged = Vec::with_capacity(rows.len());
    let mut run = SHORT;
    while run < rows.len() {
        merged.clear();
        for pair in rows.chunks(run * 2) {
            let (mut one, mut two) = pair.split_at(run.min(pair.len()));
            while let ([first, rest @ ..], [second, others @ ..]) = (one, two) {
                if after(first, second) {
                    merged.push(*second);
                    two = others;
                } else {
                    merged.push(*first);
                    one = rest;
                }
            }
            merged.extend_from_slice(one);
            merged.extend_from_slice(two);
        }
        rows.copy_from_slice(&merged);
        run *= 2;
    }
}
