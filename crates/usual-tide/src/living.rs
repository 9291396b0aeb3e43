//! Lists of weak references, of which the dead are let go now and then.

use std::sync::Weak;

/// Adds a reference. O(1), amortised: the dead are let go when there is no room, and then as much room is made as there
/// are living.
pub(crate) fn push_living<T>(references: &mut Vec<Weak<T>>, new: Weak<T>) {
    if references.len() == references.capacity() {
        references.retain(|reference| reference.strong_count() > 0);
        references.reserve(references.len() + 1);
    }
    references.push(new);
}
