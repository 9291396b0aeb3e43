//! Which rows are in which section, at one time.

use super::section::{Section, SectionRow};
use crate::item::SectionKey;
use std::ops::Range;
use std::sync::Arc;

/// Most children of a node.
const FAN: usize = if cfg!(test) { 4 } else { 16 };

/// The sections of a list in order, with the number of rows of each.
///
/// A clone costs one count: whoever keeps one keeps the sections as they were. A change copies the
/// nodes on the way to it, unless nobody else has them. A counted B-tree; "rows" are all rows of a section,
/// "shown" those that neither its being collapsed nor a window hides.
#[derive(Clone, Debug)]
pub(crate) struct Layout {
    root: Arc<Node>,
    sums: Sums,
}

#[derive(Clone, Debug)]
enum Node {
    Leaf(Vec<Placed>),
    Inner(Vec<Child>),
}

#[derive(Clone, Debug)]
struct Child {
    node: Arc<Node>,
    sums: Sums,
}

/// A section, and how many of its rows are shown.
#[derive(Clone, Debug)]
pub(crate) struct Placed {
    pub(crate) section: Arc<Section>,
    pub(crate) shown: usize,
}

impl Placed {
    fn open(section: Arc<Section>) -> Self {
        let shown = section.open_rows();
        Self { section, shown }
    }

    fn sums(&self) -> Sums {
        Sums {
            sections: 1,
            rows: self.section.count,
            shown: self.shown,
        }
    }
}

/// What is in or before some part of a layout.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug)]
pub(crate) struct Sums {
    pub(crate) sections: usize,
    pub(crate) rows: usize,
    pub(crate) shown: usize,
}

impl std::ops::AddAssign for Sums {
    fn add_assign(&mut self, other: Self) {
        self.sections += other.sections;
        self.rows += other.rows;
        self.shown += other.shown;
    }
}

impl Layout {
    /// A layout of these sections.
    pub(crate) fn build(sections: impl IntoIterator<Item = Arc<Section>>) -> Self {
        Self::of(sections.into_iter().map(Placed::open).collect())
    }

    /// A list without grouping.
    pub(crate) fn whole(rows: usize) -> Self {
        Self::build([Arc::new(Section::whole(rows))])
    }

    /// Whether it is that of a list without grouping.
    pub(crate) fn is_whole(&self) -> bool {
        let first = self.get(0);
        first.is_some_and(|(_, placed)| *placed.section.key() == SectionKey::WHOLE)
    }

    fn of(sections: Vec<Placed>) -> Self {
        let leaf = |part: &[Placed]| Child::of(Node::Leaf(part.to_vec()));
        let mut level: Vec<Child> = sections.chunks(FAN).map(leaf).collect();
        while level.len() > 1 {
            let inner = |part: &[Child]| Child::of(Node::Inner(part.to_vec()));
            level = level.chunks(FAN).map(inner).collect();
        }
        let root = level.pop();
        let root = root.unwrap_or_else(|| Child::of(Node::Leaf(Vec::new())));
        Self {
            root: root.node,
            sums: root.sums,
        }
    }

    /// Sections, rows, and shown rows in all.
    pub(crate) fn sums(&self) -> Sums {
        self.sums
    }

    pub(crate) fn len(&self) -> usize {
        self.sums.sections
    }

    /// Whether every row is shown.
    pub(crate) fn is_open(&self) -> bool {
        self.sums.rows == self.sums.shown
    }

    /// The section at an index, and what is before it. O(log s).
    pub(crate) fn get(&self, index: usize) -> Option<(Sums, &Placed)> {
        self.find(index, |sums| sums.sections)
    }

    /// The section that holds a row, by its position among all rows, and what is before the section.
    pub(crate) fn at_row(&self, position: usize) -> Option<(Sums, &Placed)> {
        self.find(position, |sums| sums.rows)
    }

    /// The same by the position among the shown rows.
    pub(crate) fn at_shown(&self, position: usize) -> Option<(Sums, &Placed)> {
        self.find(position, |sums| sums.shown)
    }

    /// Where a shown row is by section.
    pub(crate) fn place(&self, position: usize) -> Option<SectionRow> {
        let (before, _) = self.at_shown(position)?;
        Some(SectionRow {
            section: before.sections,
            row: position - before.shown,
        })
    }

    fn find(&self, position: usize, measure: impl Fn(&Sums) -> usize) -> Option<(Sums, &Placed)> {
        let mut before = Sums::default();
        let mut node = &self.root;
        loop {
            match &**node {
                Node::Leaf(sections) => {
                    for placed in sections {
                        let mut next = before;
                        next += placed.sums();
                        if position < measure(&next) {
                            return Some((before, placed));
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
                        if position < measure(&next) {
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

    /// How many shown rows are before a position among all rows.
    pub(crate) fn shown_before(&self, position: usize) -> usize {
        match self.at_row(position) {
            Some((before, placed)) if placed.shown > 0 => before.shown + position - before.rows,
            Some((before, _)) => before.shown,
            None => self.sums.shown,
        }
    }

    /// The position among all rows of a shown row.
    pub(crate) fn row_of_shown(&self, position: usize) -> usize {
        match self.at_shown(position) {
            Some((before, _)) => before.rows + position - before.shown,
            None => self.sums.rows,
        }
    }

    /// The parts of a run among all rows that are shown.
    pub(crate) fn open_parts(&self, rows: Range<usize>) -> Vec<Range<usize>> {
        if self.is_open() {
            return vec![rows];
        }
        let mut parts = Vec::new();
        let mut next = rows.start;
        while next < rows.end
            && let Some((before, placed)) = self.at_row(next)
        {
            let end = (before.rows + placed.section.count).min(rows.end);
            if placed.shown > 0 {
                parts.push(next..end);
            }
            next = end;
        }
        parts
    }

    /// The runs that some shown rows make among all rows.
    pub(crate) fn open_runs(&self, shown: Range<usize>) -> Vec<Range<usize>> {
        let mut runs: Vec<Range<usize>> = Vec::new();
        let mut next = shown.start;
        while next < shown.end
            && let Some((before, placed)) = self.at_shown(next)
        {
            let start = before.rows + next - before.shown;
            let len = (before.shown + placed.shown).min(shown.end) - next;
            match runs.last_mut() {
                Some(last) if last.end == start => last.end += len,
                _ => runs.push(start..start + len),
            }
            next += len;
        }
        runs
    }

    /// The index of the first section that does not come before what is looked for. O(log s).
    pub(crate) fn lower_bound(&self, mut comes_before: impl FnMut(&Section) -> bool) -> usize {
        let mut index = 0;
        let mut node = &self.root;
        loop {
            match &**node {
                Node::Leaf(sections) => {
                    let before = |placed: &Placed| comes_before(&placed.section);
                    return index + sections.partition_point(before);
                }
                Node::Inner(children) => {
                    // The last child whose first section comes before it, else the first.
                    let later = children[1..]
                        .partition_point(|child| child.first().is_some_and(&mut comes_before));
                    let skipped = children[..later].iter();
                    index += skipped.map(|child| child.sums.sections).sum::<usize>();
                    node = &children[later].node;
                }
            }
        }
    }

    /// The sections from an index on, each with what is before it.
    pub(crate) fn from(&self, index: usize) -> impl Iterator<Item = (Sums, &Placed)> {
        // One search a section is as good as a walk for the few that are asked for at a time.
        (index..self.len()).map_while(|index| self.get(index))
    }

    /// All sections in order.
    pub(crate) fn sections(&self) -> Vec<&Placed> {
        let mut all = Vec::with_capacity(self.len());
        collect(&self.root, &mut all);
        all
    }

    /// Puts another state of a section in its place.
    pub(crate) fn replace(&mut self, index: usize, section: Arc<Section>) {
        self.change(index, Change::Replace(Placed::open(section)));
    }

    pub(crate) fn insert(&mut self, index: usize, section: Arc<Section>) {
        if let Some(sibling) = self.change(index, Change::Insert(Placed::open(section))) {
            let first = Child {
                node: Arc::clone(&self.root),
                sums: self.root.sums(),
            };
            self.root = Arc::new(Node::Inner(vec![first, sibling]));
        }
        self.sums = self.root.sums();
    }

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

    fn change(&mut self, index: usize, change: Change) -> Option<Child> {
        let sibling = Arc::make_mut(&mut self.root).change(index, change);
        self.sums = self.root.sums();
        sibling
    }

    /// The part of a layout that a window shows: sections with a row in it, and those without rows to show
    /// that are in it.
    pub(crate) fn cut(&self, window: &Range<usize>) -> Self {
        let reaches_end = window.end >= self.sums.shown;
        let first = match self.at_shown(window.start) {
            // Sections without shown rows right at the start are part of it.
            Some((before, _)) if before.shown == window.start => self.first_at_shown(window.start),
            Some((before, _)) => before.sections,
            None => self.first_at_shown(window.start),
        };
        let inside = self.from(first).take_while(|(before, _)| {
            before.shown < window.end || reaches_end && before.shown <= window.end
        });
        let cut = inside.filter_map(|(before, placed)| {
            let start = before.shown.max(window.start);
            let end = (before.shown + placed.shown).min(window.end);
            let shown = end.saturating_sub(start);
            (shown > 0 || placed.shown == 0).then(|| Placed {
                section: Arc::clone(&placed.section),
                shown,
            })
        });
        Self::of(cut.collect())
    }

    /// The first section that begins at a position among the shown rows or later.
    fn first_at_shown(&self, position: usize) -> usize {
        let (mut low, mut high) = (0, self.len());
        while low < high {
            let middle = low.midpoint(high);
            let before = self
                .get(middle)
                .map_or(position, |(before, _)| before.shown);
            if before < position {
                low = middle + 1;
            } else {
                high = middle;
            }
        }
        low
    }

    /// Whether two layouts are of the same sections in the same state.
    pub(crate) fn is_same(&self, other: &Self) -> bool {
        let same = |(one, two): (&&Placed, &&Placed)| {
            one.shown == two.shown
                && (Arc::ptr_eq(&one.section, &two.section) || one.section == two.section)
        };
        Arc::ptr_eq(&self.root, &other.root)
            || self.sums == other.sums && self.sections().iter().zip(&other.sections()).all(same)
    }
}

fn collect<'a>(node: &'a Node, all: &mut Vec<&'a Placed>) {
    match node {
        Node::Leaf(sections) => all.extend(sections),
        Node::Inner(children) => {
            for child in children {
                collect(&child.node, all);
            }
        }
    }
}

enum Change {
    Replace(Placed),
    Insert(Placed),
    Remove,
}

impl Node {
    fn sums(&self) -> Sums {
        let mut sums = Sums::default();
        match self {
            Self::Leaf(sections) => sections.iter().for_each(|one| sums += one.sums()),
            Self::Inner(children) => children.iter().for_each(|one| sums += one.sums),
        }
        sums
    }

    fn len(&self) -> usize {
        match self {
            Self::Leaf(sections) => sections.len(),
            Self::Inner(children) => children.len(),
        }
    }

    /// Carries out a change below; gives the sibling that it was split into.
    fn change(&mut self, index: usize, change: Change) -> Option<Child> {
        match self {
            Self::Leaf(sections) => match change {
                Change::Replace(placed) => {
                    if let Some(place) = sections.get_mut(index) {
                        *place = placed;
                    }
                }
                Change::Insert(placed) => sections.insert(index.min(sections.len()), placed),
                Change::Remove => {
                    if index < sections.len() {
                        sections.remove(index);
                    }
                }
            },
            Self::Inner(children) => {
                let mut index = index;
                let mut at = 0;
                let inserts = matches!(change, Change::Insert(_));
                // An insertion at a seam goes to the end of the earlier child.
                while at + 1 < children.len()
                    && index + usize::from(!inserts) > children[at].sums.sections
                {
                    index -= children[at].sums.sections;
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

    fn split(&mut self) -> Option<Child> {
        if self.len() <= FAN {
            return None;
        }
        let middle = self.len() / 2;
        Some(Child::of(match self {
            Self::Leaf(sections) => Self::Leaf(sections.split_off(middle)),
            Self::Inner(children) => Self::Inner(children.split_off(middle)),
        }))
    }
}

impl Child {
    fn of(node: Node) -> Self {
        Self {
            sums: node.sums(),
            node: Arc::new(node),
        }
    }

    /// The first section below.
    fn first(&self) -> Option<&Section> {
        let mut node = &self.node;
        loop {
            match &**node {
                Node::Leaf(sections) => return sections.first().map(|placed| &*placed.section),
                Node::Inner(children) => node = &children.first()?.node,
            }
        }
    }
}
