//! The rows that can stay where they are.

/// Which of the runs (start, length), none overlapping, belong to the heaviest subsequence of
/// ascending starts. O(k log k).
///
/// A longest increasing subsequence (Fredman 1975) in which a run weighs as much as it is long, found
/// with prefix maxima in a binary indexed tree (Fenwick 1994). Among equally heavy ones it is, seen
/// from the end, the one whose rows stand furthest back. A run of rows that are neighbours on both
/// sides is always in or out as a whole, so the choice does not depend on how the rows were cut into
/// runs.
pub(crate) fn heaviest_increasing(runs: &[(usize, usize)]) -> Vec<bool> {
    if runs.is_sorted_by_key(|run| run.0) {
        return vec![true; runs.len()];
    }
    // Positions, indices and weights are below 2^32, as slots are: two of them in a word compare in one
    // go and are moved in one.
    let mut order: Vec<u64> = runs
        .iter()
        .zip(0..)
        .map(|(run, index)| pair(run.0, index))
        .collect();
    order.sort_unstable();
    let mut rank = vec![0; runs.len()];
    for (place, start) in order.into_iter().enumerate() {
        rank[unpair(start).1] = place;
    }

    let mut best = PrefixMaxima::new(runs.len());
    let mut before: Vec<Option<usize>> = Vec::with_capacity(runs.len());
    for (index, (_, len)) in runs.iter().enumerate() {
        let (weight, last) = best.before(rank[index]);
        before.push(last);
        best.raise(rank[index], weight + len, index);
    }
    let mut stays = vec![false; runs.len()];
    let mut next = best.before(runs.len()).1;
    while let Some(index) = next {
        stays[index] = true;
        next = before[index];
    }
    stays
}

/// Two numbers below 2^32 as one that compares as they do.
fn pair(high: usize, low: usize) -> u64 {
    (high as u64) << 32 | low as u64
}

fn unpair(pair: u64) -> (usize, usize) {
    ((pair >> 32) as usize, pair as u32 as usize)
}

/// For each rank the heaviest sequence that ends below it: its weight, and one more than its last run's
/// index, so that the later of two equally heavy ones is the greater.
struct PrefixMaxima(Vec<u64>);

impl PrefixMaxima {
    fn new(ranks: usize) -> Self {
        Self(vec![0; ranks + 1])
    }

    fn before(&self, rank: usize) -> (usize, Option<usize>) {
        let (mut node, mut best) = (rank, 0);
        while node > 0 {
            best = best.max(self.0[node]);
            node &= node - 1;
        }
        let (weight, last) = unpair(best);
        (weight, last.checked_sub(1))
    }

    fn raise(&mut self, rank: usize, weight: usize, index: usize) {
        let (mut node, raised) = (rank + 1, pair(weight, index + 1));
        while node < self.0.len() {
            self.0[node] = self.0[node].max(raised);
            node += node & node.wrapping_neg();
        }
    }
}
