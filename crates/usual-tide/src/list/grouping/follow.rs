//! The sections after an edit.

use super::deltas::{Delta, Deltas, TallyChange};
use super::{Grouping, SectionChange, find_section};
use crate::change::{Layout, Recounted, Section, TouchedRow, align_touched};
use crate::item::Item;
use crate::query::Group;
use crate::sorts::by_comparison;
use std::cmp::Ordering;
use std::sync::Arc;

/// All sections are laid anew when an edit touches more than one in so many of them.
const REBUILD_SHARE: usize = 8;

/// They are not when it touches at most this many.
const FEW: usize = if cfg!(any(test, fuzzing)) { 2 } else { 16 };

/// What becomes of a section.
enum Outcome {
    Same,
    Gone,
    /// It is new, or another than before, or its rows are others.
    Changed(Arc<Section>),
}

impl Grouping {
    /// The sections after an edit, beside the sections before. O(log s) for each that it touches, and O(s) at most.
    pub(super) fn follow<T: Item>(&mut self, group: &Group<T>, deltas: &Deltas) -> SectionChange {
        if deltas.deltas.len() > FEW.max(self.layout.len() / REBUILD_SHARE) {
            return self.rebuild(group, &deltas.deltas);
        }
        let before = self.layout.len();
        let mut touched = Vec::with_capacity(deltas.deltas.len());
        // Positions are those of before as long as no section came or went.
        let mut shifted = false;
        for delta in &deltas.deltas {
            let at = match shifted {
                false => delta.at,
                true => find_section(group, &self.layout, &delta.name.key),
            };
            let old = at.ok().and_then(|at| self.layout.get(at));
            let old = old.map(|(_, placed)| Arc::clone(&placed.section));
            let outcome = self.outcome(group, delta, old.as_deref());
            let new = match (at, outcome) {
                (_, Outcome::Same) | (Err(_), Outcome::Gone) => continue,
                (Ok(at), Outcome::Changed(new)) => {
                    self.layout.replace(at, Arc::clone(&new));
                    Some(new)
                }
                (Err(at), Outcome::Changed(new)) => {
                    self.layout.insert(at, Arc::clone(&new));
                    Some(new)
                }
                (Ok(at), Outcome::Gone) => {
                    self.layout.remove(at);
                    None
                }
            };
            shifted |= old.is_none() || new.is_none();
            touched.push((delta, (old, new)));
        }
        if !shifted && touched.len() <= 2 {
            let mut kept = touched
                .iter_mut()
                .filter_map(|(delta, (old, new))| Some((delta.at.ok()?, old.take()?, new.take()?)));
            if let Some(one) = kept.next() {
                return SectionChange::Recounted(Recounted::new(before, one, kept.next()));
            }
        }
        let rows = touched.into_iter().map(|(delta, (old, new))| {
            let now = match shifted {
                false => delta.at,
                true => find_section(group, &self.layout, &delta.name.key),
            };
            TouchedRow {
                before: delta.at.ok().zip(old),
                after: now.ok().zip(new),
            }
        });
        self.touched(before, &rows.collect::<Vec<_>>())
    }

    /// The same where many come and go: all sections are laid in one walk. O(s), and the sorting of those that come.
    fn rebuild<T: Item>(&mut self, group: &Group<T>, deltas: &[Delta]) -> SectionChange {
        let mut deltas: Vec<&Delta> = deltas.iter().collect();
        by_comparison(&mut deltas, |one, two| match (one.at, two.at) {
            (Ok(one), Ok(two)) => one.cmp(&two),
            // A section that comes goes before the one that has its place.
            (Ok(one), Err(two)) => one.cmp(&two).then(Ordering::Greater),
            (Err(one), Ok(two)) => one.cmp(&two).then(Ordering::Less),
            (Err(first), Err(second)) => {
                let keys = || group.compare(&one.name.key, &two.name.key);
                first.cmp(&second).then_with(keys)
            }
        });
        let mut deltas = deltas.into_iter().peekable();
        let before = self.layout.clone();
        let mut sections = Vec::with_capacity(before.len());
        let mut touched = Vec::with_capacity(deltas.len());
        for (at, placed) in before
            .sections()
            .into_iter()
            .map(Some)
            .chain([None])
            .enumerate()
        {
            while let Some(delta) = deltas.next_if(|delta| delta.at == Err(at)) {
                if let Outcome::Changed(new) = self.outcome(group, delta, None) {
                    touched.push(TouchedRow {
                        before: None,
                        after: Some((sections.len(), Arc::clone(&new))),
                    });
                    sections.push(new);
                }
            }
            let Some(old) = placed.map(|placed| &placed.section) else {
                break;
            };
            let outcome = match deltas.next_if(|delta| delta.at == Ok(at)) {
                Some(delta) => self.outcome(group, delta, Some(old)),
                None => Outcome::Same,
            };
            let new = match outcome {
                Outcome::Same => {
                    sections.push(Arc::clone(old));
                    continue;
                }
                Outcome::Gone => None,
                Outcome::Changed(new) => Some(new),
            };
            touched.push(TouchedRow {
                before: Some((at, Arc::clone(old))),
                after: new.clone().map(|new| (sections.len(), new)),
            });
            sections.extend(new);
        }
        self.layout = Layout::build(sections);
        self.touched(before.len(), &touched)
    }

    fn touched(&self, before: usize, rows: &[TouchedRow<Arc<Section>>]) -> SectionChange {
        if rows.is_empty() {
            return SectionChange::None;
        }
        let lent = rows.iter().map(TouchedRow::lend).collect();
        SectionChange::Touched(align_touched(before, self.layout.len(), lent))
    }

    /// What becomes of a section that is touched. Totals are brought in step.
    fn outcome<T: Item>(
        &mut self,
        group: &Group<T>,
        delta: &Delta,
        old: Option<&Section>,
    ) -> Outcome {
        let new = self.after(group, delta, old);
        let crossed = delta.inserted + delta.removed > 0;
        let stays = new.count > 0 || old.is_some() && group.keeps_empty();
        if !stays {
            if old.is_some() {
                self.tallies.remove(&delta.name.key);
            }
            return Outcome::Gone;
        }
        // Also where only its rows are others: feeds must know where rows crossed.
        match !crossed && old == Some(&new) {
            true => Outcome::Same,
            false => Outcome::Changed(Arc::new(new)),
        }
    }

    /// A section after an edit.
    fn after<T: Item>(
        &mut self,
        group: &Group<T>,
        delta: &Delta,
        old: Option<&Section>,
    ) -> Section {
        let key = &delta.name.key;
        let count = old.map_or(0, |old| old.count);
        let totals = if group.has_totals() {
            let tally = self.tallies.entry(key.clone());
            let tally = tally.or_insert_with(|| group.tally());
            for (values, inserted) in &delta.tallied {
                tally.change(values, *inserted);
            }
            tally.totals()
        } else {
            Arc::default()
        };
        Section {
            name: Arc::clone(&delta.name),
            count: (count + delta.inserted).saturating_sub(delta.removed),
            totals,
            collapsed: !self.collapsed.is_empty() && self.collapsed.contains(key),
        }
    }

    /// Takes back what was done to totals.
    pub(in crate::list) fn roll_back<T: Item>(
        &mut self,
        group: &Group<T>,
        tallied: Vec<TallyChange>,
    ) {
        for TallyChange {
            key,
            values,
            inserted,
        } in tallied
        {
            let tally = self.tallies.entry(key).or_insert_with(|| group.tally());
            tally.change(&values, !inserted);
        }
    }
}
