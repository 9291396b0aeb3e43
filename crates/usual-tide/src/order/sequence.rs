//! A sequence of elements of which each stands for some rows.

use std::fmt::Debug;
use std::ops::AddAssign;
use std::sync::Arc;

/// Most children of a node.
const FAN: usize = if cfg!(any(test, fuzzing)) { 4 } else { 8 };

/// What an element, or a run of them, adds up to.
pub(crate) trait CountedSums: Copy + Default + AddAssign + Debug {
    /// How many elements there are.
    fn elements(&self) -> usize;
}

/// An element of a [`Sequence`].
pub(crate) trait Measured: Clone {
    type Sums: CountedSums;

    /// What it adds to the sums.
    fn sums(&self) -> Self::Sums;
}

/// Elements in order, found by their index or by what those before them add up to, each in O(log n).
///
/// A clone costs one count: whoever keeps one keeps the elements as they were. A change copies the nodes on
/// the way to it, unless nobody else has them. A counted B-tree (Bayer and McCreight 1972, with sums beside
/// every child).
#[derive(Clone, Debug)]
pub(crate) struct Sequence<E: Measured> {
    root: Arc<Node<E>>,
    sums: E::Sums,
}

#[derive(Clone, Debug)]
enum Node<E: Measured> {
    Leaf(Vec<E>),
    Inner(Vec<Child<E>>),
}

#[derive(Clone, Debug)]
struct Child<E: Measured> {
    node: Arc<Node<E>>,
    sums: E::Sums,
}

impl<E: Measured> Sequence<E> {
    /// A sequence of these elements. O(n).
    pub(crate) fn build(elements: Vec<E>) -> Self {
        let mut level: Vec<Child<E>> = in_parts(elements, Node::Leaf);
        while level.len() > 1 {
            level = in_parts(level, Node::Inner);
        }
        let root = level.pop();
        let root = root.unwrap_or_else(|| Child::of(Node::Leaf(Vec::new())));
        Self {
            root: root.node,
            sums: root.sums,
        }
    }

    /// What all elements add up to.
    pub(crate) fn sums(&self) -> E::Sums {
        self.sums
    }

    /// Whether two sequences are one that was cloned.
    pub(crate) fn is_shared_with(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.root, &other.root)
    }

    /// The first element at whose end the measure is above a number, with the sums before it. O(log n).
    pub(crate) fn find(
        &self,
        number: usize,
        measure: impl Fn(&E::Sums) -> usize,
    ) -> Option<(E::Sums, &E)> {
        let mut before = E::Sums::default();
        let mut node = &self.root;
        loop {
            match &**node {
                Node::Leaf(elements) => {
                    for element in elements {
                        let mut next = before;
                        next += element.sums();
                        if number < measure(&next) {
                            return Some((before, element));
                        }
                        before = next;
                    }
                    return None;
                }
                Node::Inner(children) => {
                    let mut found = None;
                    for child in children {
                        let mut next = before;
                        next += child.sums;
                        if number < measure(&next) {
                            found = Some(&child.node);
                            break;
                        }
                        before = next;
                    }
                    node = found?;
                }
            }
        }
    }

    /// The index of the first element that does not come before what is looked for. O(log n).
    pub(crate) fn lower_bound(&self, mut comes_before: impl FnMut(&E) -> bool) -> usize {
        let mut index = 0;
        let mut node = &self.root;
        loop {
            match &**node {
                Node::Leaf(elements) => return index + elements.partition_point(comes_before),
                Node::Inner(children) => {
                    // The last child whose first element comes before it, else the first.
                    let later = children[1..]
                        .partition_point(|child| child.first().is_some_and(&mut comes_before));
                    let skipped = children[..later].iter();
                    index += skipped.map(|child| child.sums.elements()).sum::<usize>();
                    node = &children[later].node;
                }
            }
        }
    }

    /// The elements in order.
    pub(crate) fn iter(&self) -> impl Iterator<Item = &E> {
        // What is still to be visited of each node on the way down.
        let mut open = vec![self.root.below()];
        std::iter::from_fn(move || {
            loop {
                match open.last_mut()? {
                    Below::Elements(elements) => {
                        if let Some(element) = elements.next() {
                            return Some(element);
                        }
                        open.pop();
                    }
                    Below::Children(children) => match children.next() {
                        Some(child) => open.push(child.node.below()),
                        None => {
                            open.pop();
                        }
                    },
                }
            }
        })
    }

    /// Puts another element in the place of one. O(log n).
    pub(crate) fn replace(&mut self, index: usize, element: E) {
        self.change(index, Change::Replace(element));
    }

    /// Puts an element before the one at an index. O(log n).
    pub(crate) fn insert(&mut self, index: usize, element: E) {
        if let Some(sibling) = self.change(index, Change::Insert(element)) {
            let first = Child {
                node: Arc::clone(&self.root),
                sums: self.root.sums(),
            };
            self.root = Arc::new(Node::Inner(vec![first, sibling]));
        }
        self.sums = self.root.sums();
    }

    /// Takes an element out. O(log n).
    pub(crate) fn remove(&mut self, index: usize) {
        self.change(index, Change::Remove);
        while let Node::Inner(children) = &*self.root
            && let [only] = &children[..]
        {
            let only = Arc::clone(&only.node);
            self.root = only;
        }
        if self.root.len() == 0 {
            self.root = Arc::new(Node::Leaf(Vec::new()));
        }
    }

    fn change(&mut self, index: usize, change: Change<E>) -> Option<Child<E>> {
        let sibling = Arc::make_mut(&mut self.root).change(index, change);
        self.sums = self.root.sums();
        sibling
    }
}

/// Nodes of as many as they hold.
fn in_parts<E: Measured, P>(parts: Vec<P>, node: impl Fn(Vec<P>) -> Node<E>) -> Vec<Child<E>> {
    let count = parts.len().div_ceil(FAN);
    let mut parts = parts.into_iter();
    (0..count)
        .map(|_| Child::of(node(parts.by_ref().take(FAN).collect())))
        .collect()
}

enum Change<E> {
    Replace(E),
    Insert(E),
    Remove,
}

/// What is below a node and not visited yet.
enum Below<'a, E: Measured> {
    Elements(std::slice::Iter<'a, E>),
    Children(std::slice::Iter<'a, Child<E>>),
}

impl<E: Measured> Node<E> {
    fn sums(&self) -> E::Sums {
        let mut sums = E::Sums::default();
        match self {
            Self::Leaf(elements) => elements.iter().for_each(|one| sums += one.sums()),
            Self::Inner(children) => children.iter().for_each(|one| sums += one.sums),
        }
        sums
    }

    fn len(&self) -> usize {
        match self {
            Self::Leaf(elements) => elements.len(),
            Self::Inner(children) => children.len(),
        }
    }

    fn below(&self) -> Below<'_, E> {
        match self {
            Self::Leaf(elements) => Below::Elements(elements.iter()),
            Self::Inner(children) => Below::Children(children.iter()),
        }
    }

    /// Carries out a change below; gives the sibling that it was split into.
    fn change(&mut self, index: usize, change: Change<E>) -> Option<Child<E>> {
        match self {
            Self::Leaf(elements) => match change {
                Change::Replace(element) => {
                    if let Some(place) = elements.get_mut(index) {
                        *place = element;
                    }
                }
                Change::Insert(element) => elements.insert(index.min(elements.len()), element),
                Change::Remove => {
                    if index < elements.len() {
                        elements.remove(index);
                    }
                }
            },
            Self::Inner(children) => {
                let mut index = index;
                let mut at = 0;
                let inserts = matches!(change, Change::Insert(_));
                // An insertion at a boundary goes to the end of the earlier child.
                while at + 1 < children.len()
                    && index + usize::from(!inserts) > children[at].sums.elements()
                {
                    index -= children[at].sums.elements();
                    at += 1;
                }
                let child = &mut children[at];
                let sibling = Arc::make_mut(&mut child.node).change(index, change);
                child.sums = child.node.sums();
                if child.node.len() == 0 {
                    children.remove(at);
                } else if let Some(sibling) = sibling {
                    children.insert(at + 1, sibling);
                }
            }
        }
        self.split()
    }

    fn split(&mut self) -> Option<Child<E>> {
        if self.len() <= FAN {
            return None;
        }
        let middle = self.len() / 2;
        Some(Child::of(match self {
            Self::Leaf(elements) => Self::Leaf(elements.split_off(middle)),
            Self::Inner(children) => Self::Inner(children.split_off(middle)),
        }))
    }
}

impl<E: Measured> Child<E> {
    fn of(node: Node<E>) -> Self {
        Self {
            sums: node.sums(),
            node: Arc::new(node),
        }
    }

    /// The first element below.
    fn first(&self) -> Option<&E> {
        let mut node = &self.node;
        loop {
            match &**node {
                Node::Leaf(elements) => return elements.first(),
                Node::Inner(children) => node = &children.first()?.node,
            }
        }
    }
}

#[cfg(test)]
mod tests;
