//! Sorts that are compiled once. The standard ones are long, and a call of one within code for any item type is compiled
//! again for each type of item that an app has.

use std::cmp::Ordering;

/// Sorts by a number, what has the same one in its order. O(n log n).
pub(crate) fn by_number<E>(elements: &mut Vec<E>, number: impl Fn(&E) -> usize) {
    let mut order: Vec<(usize, usize)> = elements.iter().map(number).zip(0..).collect();
    sort_numbers(&mut order);
    arrange(elements, order.into_iter().map(|(_, index)| index));
}

/// Sorts by a comparison, what is equal in its order. O(n log n).
pub(crate) fn by_comparison<E>(elements: &mut Vec<E>, mut compare: impl FnMut(&E, &E) -> Ordering) {
    let mut order: Vec<usize> = (0..elements.len()).collect();
    sort_indices(&mut order, &mut |one, two| {
        compare(&elements[one], &elements[two])
    });
    arrange(elements, order.into_iter());
}

/// The same where a prefix, which is in the order of the comparison, mostly decides: the elements, here and there in memory, are
/// seldom looked at.
pub(crate) fn by_prefix<E>(
    elements: &mut Vec<E>,
    prefix: impl Fn(&E) -> (u64, u64),
    compare: impl Fn(&E, &E) -> Ordering,
) {
    let mut order: Vec<((u64, u64), usize)> = elements.iter().map(prefix).zip(0..).collect();
    sort_prefixes(&mut order, &|one, two| {
        compare(&elements[one], &elements[two])
    });
    arrange(elements, order.into_iter().map(|(_, index)| index));
}

fn sort_prefixes(order: &mut [((u64, u64), usize)], compare: &dyn Fn(usize, usize) -> Ordering) {
    order
        .sort_by(|(first, one), (second, two)| first.cmp(second).then_with(|| compare(*one, *two)));
}

fn sort_numbers(order: &mut [(usize, usize)]) {
    order.sort_unstable();
}

fn sort_indices(order: &mut [usize], compare: &mut dyn FnMut(usize, usize) -> Ordering) {
    order.sort_by(|one, two| compare(*one, *two));
}

/// Puts elements into the order of these indices.
fn arrange<E>(elements: &mut Vec<E>, order: impl Iterator<Item = usize>) {
    let mut taken: Vec<Option<E>> = elements.drain(..).map(Some).collect();
    elements.extend(order.filter_map(|index| taken[index].take()));
}
