//! The rows of a section, among which a row that goes there is looked up.

use super::{Deltas, find_section};
use crate::change::{Layout, Section};
use crate::item::Item;
use crate::item::SectionKey;
use crate::list::state::ListState;
use crate::list::update::Touch;
use crate::query::Group;
use crate::sorts::arrange;
use hashbrown::{HashMap, HashSet};
use std::iter::{RepeatN, repeat_n};
use std::ops::Range;
use std::sync::Arc;

/// The sections while rows go out and in, one by one: counts alone.
pub(in crate::list) struct WorkingLayout(Layout);

impl WorkingLayout {
    pub(in crate::list) fn new(layout: Layout) -> Self {
        Self(layout)
    }

    /// A row went out that was at a position.
    pub(in crate::list) fn remove_row(&mut self, at: usize) {
        if let Some((before, placed)) = self.0.at_row(at) {
            let section = placed.section.with_count(placed.section.count - 1);
            self.0.replace(before.sections, Arc::new(section));
        }
    }

    /// A row is about to go in by an item: the rows of its section so far.
    pub(in crate::list) fn insert_row<T: Item>(
        &mut self,
        group: &Group<T>,
        item: &T,
    ) -> Range<usize> {
        let key = group.key(item);
        let found = find_section(group, &self.0, &key);
        let run = run_at(&self.0, found);
        match found {
            Ok(at) => {
                if let Some((_, placed)) = self.0.get(at) {
                    let section = placed.section.with_count(placed.section.count + 1);
                    self.0.replace(at, Arc::new(section));
                }
            }
            Err(at) => self.0.insert(at, Arc::new(Section::nameless(key, 1))),
        }
        run
    }
}

/// Each key once.
fn different(keys: &[SectionKey]) -> Vec<&SectionKey> {
    let different: HashSet<&SectionKey> = keys.iter().collect();
    different.into_iter().collect()
}

/// The place of each key among others.
fn places_among(keys: &[SectionKey], others: &[&SectionKey]) -> Vec<usize> {
    let places: HashMap<&SectionKey, usize> = others.iter().copied().zip(0..).collect();
    let place = |key: &SectionKey| places.get(key).copied().unwrap_or(0);
    keys.iter().map(place).collect()
}

/// The sections that rows arrive in.
#[derive(Default)]
pub(in crate::list) struct Runs {
    /// The rows that are there of each, in the order of the sections; none in a list without grouping.
    pub(in crate::list) runs: Vec<Range<usize>>,
    /// For each row that arrives the place of its section among these.
    pub(in crate::list) of_rows: Vec<usize>,
}

/// The rows of a section that was looked for, none where it would be.
pub(in crate::list) fn run_at(layout: &Layout, found: Result<usize, usize>) -> Range<usize> {
    let (Ok(at) | Err(at)) = found;
    match (layout.get(at), found) {
        (Some((before, placed)), Ok(_)) => before.rows..before.rows + placed.section.count,
        (Some((before, _)), Err(_)) => before.rows..before.rows,
        (None, _) => layout.sums().rows..layout.sums().rows,
    }
}

impl<T: Item> ListState<T> {
    /// For each row of some sections the rows that are there of its section.
    pub(in crate::list) fn runs_of(
        &self,
        sections: &[(SectionKey, usize)],
    ) -> Vec<RepeatN<Range<usize>>> {
        let Some((group, layout)) = self.query.grouping().zip(self.layout()) else {
            return Vec::new();
        };
        let runs = sections.iter().map(|(key, count)| {
            let found = find_section(group, layout, key);
            repeat_n(run_at(layout, found), *count)
        });
        runs.collect()
    }

    /// The sections that touched rows arrive in.
    pub(in crate::list) fn runs_in_order<'a>(
        &self,
        arriving: impl Iterator<Item = &'a Touch<'a, T>>,
    ) -> Runs {
        let Some((group, layout)) = self.query.grouping().zip(self.layout()) else {
            return Runs::default();
        };
        let key = |touch| {
            self.placed_by(touch)
                .map_or(SectionKey::WHOLE, |item| group.key(item))
        };
        let keys: Vec<SectionKey> = arriving.map(key).collect();
        let mut different = different(&keys);
        let order = group.order_of_sections(&different);
        arrange(&mut different, &order);
        let mut runs = Vec::with_capacity(different.len());
        for key in &different {
            runs.push(run_at(layout, find_section(group, layout, key)));
        }
        let of_rows = places_among(&keys, &different);
        Runs { runs, of_rows }
    }

    /// The rows of the section that the only row of an edit goes to, after it went out from a position.
    pub(in crate::list) fn run_entered(
        &self,
        deltas: Option<&Deltas>,
        out: Option<usize>,
    ) -> Option<Range<usize>> {
        let found = deltas?.entered();
        let run = run_at(self.layout()?, found.unwrap_or(Err(usize::MAX)));
        let shift = |end: usize| end - usize::from(out.is_some_and(|out| out < end));
        Some(shift(run.start)..shift(run.end))
    }
}
