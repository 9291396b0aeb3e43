//! What an edit does to the sections.

use super::{SectionChange, Sectioned, find_section};
use crate::change::{Alignment, Layout, Rows, Segment};
use crate::item::Item;
use crate::item::{SectionKey, SectionName};
use crate::list::rollback_step::RollbackStep;
use crate::list::state::ListState;
use crate::list::update::{AffectedRow, Effect};
use crate::query::{Group, Tallied};
use hashbrown::HashMap;
use std::sync::Arc;

/// What an edit does to one section.
pub(super) struct Delta {
    pub(super) name: Arc<SectionName>,
    /// Where the section is before the edit, or would be.
    pub(super) at: Result<usize, usize>,
    pub(super) removed: usize,
    pub(super) inserted: usize,
    /// What rows add to the totals, and whether they come.
    pub(super) tallied: Vec<(Tallied, bool)>,
}

/// What an edit does to the sections, found out before anything changes.
#[derive(Default)]
pub(in crate::list) struct Deltas {
    pub(super) deltas: Vec<Delta>,
    /// Their places, once there are many.
    index: HashMap<SectionKey, usize>,
}

/// Sections among which a walk is as fast as a table.
const FEW: usize = 4;

impl Deltas {
    /// That of the section with a key.
    fn of<T: Item>(&mut self, key: SectionKey, group: &Group<T>, layout: &Layout) -> &mut Delta {
        self.known_or(&key, || {
            let at = find_section(group, layout, &key);
            let known = at.ok().and_then(|at| layout.get(at));
            let name = match known {
                Some((_, placed)) => Arc::clone(&placed.section.name),
                None => group.name(key.clone()),
            };
            (name, at)
        })
    }

    /// That of the section that holds a row: found without a comparison of keys.
    fn of_row(&mut self, position: usize, layout: &Layout) -> Option<&mut Delta> {
        let (before, placed) = layout.at_row(position)?;
        let name = &placed.section.name;
        Some(self.known_or(&name.key, || (Arc::clone(name), Ok(before.sections))))
    }

    /// That of a section which another row has met, or else one that is found.
    fn known_or(
        &mut self,
        key: &SectionKey,
        find: impl FnOnce() -> (Arc<SectionName>, Result<usize, usize>),
    ) -> &mut Delta {
        let at = if self.index.is_empty() {
            self.deltas.iter().position(|delta| delta.name.key == *key)
        } else {
            self.index.get(key).copied()
        };
        let at = at.unwrap_or_else(|| {
            let (name, at) = find();
            self.deltas.push(Delta {
                name,
                at,
                removed: 0,
                inserted: 0,
                tallied: Vec::new(),
            });
            let last = self.deltas.len() - 1;
            if last == FEW {
                let keys = self.deltas.iter().map(|delta| delta.name.key.clone());
                self.index = keys.zip(0..).collect();
            } else if last > FEW {
                self.index.insert(self.deltas[last].name.key.clone(), last);
            }
            last
        });
        &mut self.deltas[at]
    }

    /// Where the section is that the only row of an edit goes to.
    pub(in crate::list) fn entered(&self) -> Option<Result<usize, usize>> {
        let entered = self.deltas.iter().find(|delta| delta.inserted > 0);
        entered.map(|delta| delta.at)
    }
}

/// Something that was put into a section's totals, or taken out.
pub(in crate::list) struct TallyChange {
    pub(super) key: SectionKey,
    pub(super) values: Tallied,
    pub(super) inserted: bool,
}

impl<T: Item> ListState<T> {
    /// What an edit will do to the sections; `None` in a list without grouping.
    pub(in crate::list) fn deltas(&self, affected: &[AffectedRow<'_, T>]) -> Option<Deltas> {
        let (group, layout) = (self.query.grouping()?, self.layout()?);
        let mut deltas = Deltas::default();
        deltas.deltas.reserve(2);
        for AffectedRow { touch, effect } in affected {
            let tallied = |item: Option<&Arc<T>>| item.map(|item| group.tallied(item));
            let position = || self.rows.position(touch.slot);
            if let (Effect::Stays, Some(before), Some(after)) = (*effect, touch.before, touch.after)
            {
                if group.has_totals() && !group.same_totals(before, after) {
                    let values = [(group.tallied(before), false), (group.tallied(after), true)];
                    let delta = position().and_then(|at| deltas.of_row(at, layout));
                    if let Some(delta) = delta {
                        delta.tallied.extend(values);
                    }
                }
                continue;
            }
            if *effect != Effect::Arrives
                && let Some(delta) = position().and_then(|at| deltas.of_row(at, layout))
            {
                delta.removed += 1;
                if group.has_totals() {
                    delta
                        .tallied
                        .extend(tallied(touch.before).map(|values| (values, false)));
                }
            }
            if *effect != Effect::Leaves
                && let Some(placed) = self.placed_by(touch)
            {
                let delta = deltas.of(group.key(placed), group, layout);
                delta.inserted += 1;
                if group.has_totals() {
                    delta
                        .tallied
                        .extend(tallied(touch.after).map(|values| (values, true)));
                }
            }
        }
        Some(deltas)
    }

    /// What another filter will do to the sections, with so many rows arriving in each of some, in the order of the list.
    pub(in crate::list) fn deltas_of(
        &self,
        change: &Alignment<T>,
        arriving: &[(SectionKey, usize)],
    ) -> Option<Deltas> {
        let group = self.query.grouping()?;
        let layout = self.layout()?;
        let mut deltas = Deltas::default();
        let mut removed = change.removed.iter().peekable();
        let mut from = 0;
        while let Some(run) = removed.peek()
            && let Some((before, placed)) = layout.at_row(run.at.max(from))
        {
            let end = before.rows + placed.section.count;
            let delta = deltas.of(placed.section.key().clone(), group, layout);
            while let Some(run) = removed.peek()
                && run.at < end
            {
                let rows = run.at.max(from)..run.range().end.min(end);
                delta.removed += rows.len();
                if group.has_totals() {
                    let gone = rows.filter_map(|at| run.rows.at(at - run.at));
                    let gone = gone.map(|item| (group.tallied(item), false));
                    delta.tallied.extend(gone);
                }
                if run.range().end > end {
                    break;
                }
                removed.next();
            }
            from = end;
        }
        let new = change.segments.iter().filter_map(|segment| match segment {
            Segment::New(rows) => Some(rows),
            _ => None,
        });
        let mut items = new.flat_map(Rows::iter);
        for (key, rows) in arriving {
            let delta = deltas.of(key.clone(), group, layout);
            delta.inserted += rows;
            if group.has_totals() {
                let come = items.by_ref().take(*rows);
                let come = come.map(|item| (group.tallied(item), true));
                delta.tallied.extend(come);
            }
        }
        Some(deltas)
    }

    /// Brings the sections in step with the rows, and gives what there is to note of it.
    pub(in crate::list) fn update_sections(
        &mut self,
        deltas: Option<Deltas>,
    ) -> Option<Arc<Sectioned>> {
        let hidden = self.hidden();
        let change = deltas.and_then(|deltas| self.apply_deltas(deltas));
        Sectioned::noted(change.unwrap_or(SectionChange::None), hidden)
    }

    fn apply_deltas(&mut self, deltas: Deltas) -> Option<SectionChange> {
        let group = self.query.grouping()?;
        let grouping = self.grouping.as_mut()?;
        if deltas.deltas.is_empty() {
            return None;
        }
        let before = grouping.layout.clone();
        let change = grouping.follow(group, &deltas);
        let tallied = deltas.deltas.into_iter().flat_map(|delta| {
            let key = delta.name.key.clone();
            let values = delta.tallied.into_iter();
            values.map(move |(values, inserted)| TallyChange {
                key: key.clone(),
                values,
                inserted,
            })
        });
        let tallied = tallied.collect();
        self.rollback
            .push(RollbackStep::Sections { before, tallied });
        Some(change)
    }
}
