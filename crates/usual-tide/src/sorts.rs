//! Sorts that are compiled once. The standard ones are long, and a call of one within code for any item type is compiled
//! again for each type of item that an app has. Loops take the place of chains of iterators for the same reason: each link of
//! one is a dozen functions for each type.

use std::cmp::Ordering;

/// Sorts by a number, what has the same one in its order. O(n log n).
pub(crate) fn by_number<E>(elements: &mut Vec<E>, number: impl Fn(&E) -> usize) {
    let mut numbers = Vec::with_capacity(elements.len());
    for element in &*elements {
        numbers.push(number(element));
    }
    arrange(elements, &order_of_numbers(&numbers));
}

/// Sorts by a comparison, what is equal in its order. O(n log n).
pub(crate) fn by_comparison<E>(elements: &mut Vec<E>, mut compare: impl FnMut(&E, &E) -> Ordering) {
    let order = order_by(elements.len(), &mut |one, two| {
        compare(&elements[one], &elements[two])
    });
    arrange(elements, &order);
}

/// The indices of so many elements in the order of a comparison, those of equal ones in their order. O(n log n).
pub(crate) fn order_by(
    len: usize,
    compare: &mut dyn FnMut(usize, usize) -> Ordering,
) -> Vec<usize> {
    let mut order: Vec<usize> = (0..len).collect();
    order.sort_by(|one, two| compare(*one, *two));
    order
}

/// The same where a prefix, which is in the order of the comparison, mostly decides: the elements, here and there in memory, are
/// seldom looked at.
pub(crate) fn order_by_prefix(
    prefixes: &[(u64, u64)],
    compare: &dyn Fn(usize, usize) -> Ordering,
) -> Vec<usize> {
    let mut order: Vec<((u64, u64), usize)> = prefixes.iter().copied().zip(0..).collect();
    order
        .sort_by(|(first, one), (second, two)| first.cmp(second).then_with(|| compare(*one, *two)));
    order.into_iter().map(|(_, index)| index).collect()
}

fn order_of_numbers(numbers: &[usize]) -> Vec<usize> {
    let mut order: Vec<(usize, usize)> = numbers.iter().copied().zip(0..).collect();
    order.sort_unstable();
    order.into_iter().map(|(_, index)| index).collect()
}

/// Puts elements into the order of these indices.
pub(crate) fn arrange<E>(elements: &mut Vec<E>, order: &[usize]) {
    let mut taken = Vec::with_capacity(elements.len());
    for element in std::mem::take(elements) {
        taken.push(Some(element));
    }
    elements.reserve_exact(taken.len());
    for index in order {
        if let Some(element) = taken[*index].take() {
            elements.push(element);
        }
    }
}
