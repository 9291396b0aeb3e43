//! Sections that hide their rows.

use super::{SectionChange, Sectioned, find_section};
use crate::change::{Layout, Section, TouchedRow, align_touched};
use crate::item::Item;
use crate::item::SectionKey;
use crate::list::log::Entry;
use crate::list::rollback_step::RollbackStep;
use crate::list::state::ListState;
use hashbrown::HashSet;
use std::ops::Range;
use std::sync::Arc;

/// Where a section is, and its states before and after.
type ChangedSection = (usize, Arc<Section>, Arc<Section>);

/// Which of some sections are to be collapsed and are not, or the other way round.
fn changed(
    layout: &Layout,
    indexes: Range<usize>,
    is_collapsed: &dyn Fn(&SectionKey) -> bool,
) -> Vec<ChangedSection> {
    let mut changed = Vec::new();
    for (at, (_, placed)) in indexes.filter_map(|at| Some((at, layout.get(at)?))) {
        let collapsed = is_collapsed(placed.section.key());
        if placed.section.collapsed != collapsed {
            let old = Arc::clone(&placed.section);
            let new = Section {
                collapsed,
                ..(*old).clone()
            };
            changed.push((at, old, Arc::new(new)));
        }
    }
    changed
}

impl<T: Item> ListState<T> {
    /// Collapses or expands a section, or all that are there. `None` when there is no such section, else
    /// whether anything changed.
    pub(crate) fn set_collapsed(
        &mut self,
        key: Option<&SectionKey>,
        collapsed: bool,
    ) -> Option<bool> {
        let group = self.query.grouping()?;
        let grouping = self.grouping.as_ref()?;
        let indexes = match key {
            Some(key) => {
                let at = find_section(group, &grouping.layout, key).ok()?;
                at..at + 1
            }
            None => 0..grouping.layout.len(),
        };
        let touched = changed(&grouping.layout, indexes, &|_| collapsed);
        let keys = touched.iter().map(|(_, _, new)| new.key().clone());
        let toggled = keys.collect();
        Some(self.toggle(&touched, toggled))
    }

    /// Has these sections collapsed and no others, also those that are not there yet. Tells whether one that is there changed;
    /// nothing does in a list without grouping. O(s log s).
    pub(crate) fn collapse_only(&mut self, keys: HashSet<SectionKey>) -> bool {
        let Some(grouping) = &self.grouping else {
            return false;
        };
        let all = 0..grouping.layout.len();
        let touched = changed(&grouping.layout, all, &|key| keys.contains(key));
        let toggled = grouping.collapsed.symmetric_difference(&keys);
        let toggled = toggled.cloned().collect();
        self.toggle(&touched, toggled)
    }

    /// Puts other states of some sections in their places, and toggles these keys. Tells whether there were such sections.
    fn toggle(&mut self, touched: &[ChangedSection], toggled: Vec<SectionKey>) -> bool {
        let Some(grouping) = self.grouping.as_mut() else {
            return false;
        };
        if toggled.is_empty() {
            return false;
        }
        let before = grouping.layout.clone();
        for (at, _, new) in touched {
            grouping.layout.replace(*at, Arc::clone(new));
        }
        for key in &toggled {
            grouping.toggle(key.clone());
        }
        self.rollback.push(RollbackStep::Collapsed {
            layout: before.clone(),
            toggled,
        });
        if touched.is_empty() {
            return false;
        }
        let sections = before.len();
        let rows = touched.iter().map(|(at, old, new)| TouchedRow {
            before: Some((*at, old)),
            after: Some((*at, new)),
        });
        let change = SectionChange::Touched(align_touched(sections, sections, rows.collect()));
        let hidden = (!before.is_open()).then_some(before);
        let (rows, before) = (self.rows.len(), self.window());
        let sectioned = Sectioned::noted(change, hidden);
        self.note(Entry::Shown { rows, before }, sectioned);
        true
    }
}
