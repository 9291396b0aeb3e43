//! The sections of a grouped list, kept as rows come and go.

use super::log::Entry;
use super::state::{Context, ListState};
use super::undo::Undo;
use super::update::{Fate, Fated, Touch};
use crate::change::{
    Alignment, Layout, Section, SectionKey, SectionName, Segment, TouchedRow, align_touched,
};
use crate::item::Item;
use crate::query::{Group, Tallied, Tally};
use hashbrown::{HashMap, HashSet};
use std::iter::{RepeatN, repeat_n};
use std::ops::Range;
use std::sync::Arc;

/// What a grouped list keeps beside its rows.
#[derive(Clone)]
pub(super) struct Grouping {
    pub(super) layout: Layout,
    /// What the totals of each section are made of; empty where none are asked for.
    tallies: HashMap<SectionKey, Tally>,
    /// Sections to be collapsed, also those that are not there now.
    pub(super) collapsed: HashSet<SectionKey>,
}

/// What an edit does to one section.
struct Delta {
    name: Arc<SectionName>,
    /// Where the section is before the edit, or would be.
    at: Result<usize, usize>,
    taken_out: usize,
    put_in: usize,
    /// What rows add to the totals, and whether they come.
    tallied: Vec<(Tallied, bool)>,
}

/// What an edit does to the sections, found out before anything changes.
#[derive(Default)]
pub(super) struct Deltas {
    deltas: Vec<Delta>,
    /// Their places, once there are many.
    index: HashMap<SectionKey, usize>,
}

/// Sections among which a walk is as fast as a table.
const FEW: usize = 4;

impl Deltas {
    fn of<T: Item>(&mut self, key: SectionKey, group: &Group<T>, layout: &Layout) -> &mut Delta {
        let at = if self.index.is_empty() {
            self.deltas.iter().position(|delta| delta.name.key == key)
        } else {
            self.index.get(&key).copied()
        };
        let at = at.unwrap_or_else(|| {
            let at = find_section(group, layout, &key);
            let known = at.ok().and_then(|at| layout.get(at));
            self.deltas.push(Delta {
                name: match known {
                    Some((_, placed)) => Arc::clone(&placed.section.name),
                    None => group.name(key),
                },
                at,
                taken_out: 0,
                put_in: 0,
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
    fn entered(&self) -> Option<Result<usize, usize>> {
        let entered = self.deltas.iter().find(|delta| delta.put_in > 0);
        entered.map(|delta| delta.at)
    }
}

/// Where a section is, or would be. O(log s) comparisons.
pub(super) fn find_section<T: Item>(
    group: &Group<T>,
    layout: &Layout,
    key: &SectionKey,
) -> Result<usize, usize> {
    let index = layout.lower_bound(|section| group.compare(section.key(), key).is_lt());
    match layout.get(index) {
        Some((_, placed)) if placed.section.key() == key => Ok(index),
        _ => Err(index),
    }
}

impl Grouping {
    /// The sections of rows in order, given as runs of one section each.
    pub(super) fn of_runs<'a, T: Item>(
        group: &Group<T>,
        runs: Vec<(SectionKey, usize)>,
        items: impl Iterator<Item = &'a Arc<T>>,
        earlier: Option<&Self>,
    ) -> Self {
        let collapsed = earlier.map(|earlier| earlier.collapsed.clone());
        let collapsed = collapsed.unwrap_or_default();
        let mut tallies = HashMap::new();
        let mut items = items;
        let mut sections = Vec::with_capacity(runs.len());
        for (key, count) in runs {
            let totals = if group.has_totals() {
                let mut tally = group.tally();
                for item in items.by_ref().take(count) {
                    tally.change(&group.tallied(item), true);
                }
                let totals = tally.totals();
                tallies.insert(key.clone(), tally);
                totals
            } else {
                Arc::default()
            };
            sections.push(Arc::new(Section {
                collapsed: collapsed.contains(&key),
                name: group.name(key),
                count,
                totals,
            }));
        }
        let mut grouping = Self {
            layout: Layout::build(sections),
            tallies,
            collapsed,
        };
        if group.keeps_empty() {
            let had = earlier.map(|earlier| earlier.layout.sections());
            let had = had
                .into_iter()
                .flatten()
                .map(|placed| placed.section.key().clone());
            for key in group.given().into_iter().chain(had) {
                grouping.keep(group, key);
            }
        }
        grouping
    }

    /// Has a section, be it without rows.
    fn keep<T: Item>(&mut self, group: &Group<T>, key: SectionKey) {
        if let Err(index) = find_section(group, &self.layout, &key) {
            let section = self.without_rows(group, key);
            self.layout.insert(index, Arc::new(section));
        }
    }

    fn without_rows<T: Item>(&self, group: &Group<T>, key: SectionKey) -> Section {
        Section {
            collapsed: self.collapsed.contains(&key),
            name: group.name(key),
            count: 0,
            totals: if group.has_totals() {
                group.tally().totals()
            } else {
                Arc::default()
            },
        }
    }

    /// The sections after an edit, beside the sections before; `None` when they are the same.
    fn follow<T: Item>(&mut self, group: &Group<T>, deltas: &Deltas) -> Option<Alignment<Section>> {
        let before = self.layout.clone();
        let mut touched = Vec::with_capacity(deltas.deltas.len());
        // Positions are those of before as long as no section came or went.
        let mut shifted = false;
        for delta in &deltas.deltas {
            let key = &delta.name.key;
            let at = match shifted {
                false => delta.at,
                true => find_section(group, &self.layout, key),
            };
            let old = at.ok().and_then(|at| self.layout.get(at));
            let old = old.map(|(_, placed)| Arc::clone(&placed.section));
            let new = self.after(group, delta, old.as_deref());
            let stays = new.count > 0 || group.keeps_empty();
            let crossed = delta.put_in + delta.taken_out > 0;
            let row = match (at, old) {
                (Ok(at), Some(old)) if stays => {
                    if !crossed && *old == new {
                        continue;
                    }
                    // Also where only its rows are others: feeds must know where rows crossed.
                    let new = Arc::new(new);
                    self.layout.replace(at, Arc::clone(&new));
                    (Some(old), Some(new))
                }
                (Ok(at), Some(old)) => {
                    self.layout.remove(at);
                    self.tallies.remove(key);
                    (Some(old), None)
                }
                (Err(at) | Ok(at), _) if new.count > 0 => {
                    let new = Arc::new(new);
                    self.layout.insert(at, Arc::clone(&new));
                    (None, Some(new))
                }
                _ => continue,
            };
            shifted |= row.0.is_none() || row.1.is_none();
            touched.push((delta, row));
        }
        if touched.is_empty() {
            return None;
        }
        let rows: Vec<TouchedRow<Arc<Section>>> = touched
            .into_iter()
            .map(|(delta, (old, new))| {
                let now = match shifted {
                    false => delta.at,
                    true => find_section(group, &self.layout, &delta.name.key),
                };
                TouchedRow {
                    before: delta.at.ok().zip(old),
                    after: now.ok().zip(new),
                }
            })
            .collect();
        let lent = rows.iter().map(TouchedRow::lend).collect();
        Some(align_touched(before.len(), self.layout.len(), lent))
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
            for (values, put_in) in &delta.tallied {
                tally.change(values, *put_in);
            }
            tally.totals()
        } else {
            Arc::default()
        };
        Section {
            name: Arc::clone(&delta.name),
            count: (count + delta.put_in).saturating_sub(delta.taken_out),
            totals,
            collapsed: !self.collapsed.is_empty() && self.collapsed.contains(key),
        }
    }

    /// Takes back what was done to totals.
    pub(super) fn take_back<T: Item>(&mut self, group: &Group<T>, tallied: Vec<Retally>) {
        for Retally {
            key,
            values,
            put_in,
        } in tallied
        {
            let tally = self.tallies.entry(key).or_insert_with(|| group.tally());
            tally.change(&values, !put_in);
        }
    }
}

/// Something that was put into a section's totals, or taken out.
pub(super) struct Retally {
    key: SectionKey,
    values: Tallied,
    put_in: bool,
}

/// The sections while rows go out and in, one by one: counts alone.
pub(super) struct Working(Layout);

impl Working {
    pub(super) fn new(layout: Layout) -> Self {
        Self(layout)
    }

    /// A row went out that stood at a position.
    pub(super) fn take_out(&mut self, at: usize) {
        if let Some((before, placed)) = self.0.at_row(at) {
            let section = placed.section.with_count(placed.section.count - 1);
            self.0.replace(before.sections, Arc::new(section));
        }
    }

    /// A row is about to go in by an item: the rows of its section so far.
    pub(super) fn put_in<T: Item>(&mut self, group: &Group<T>, item: &T) -> Range<usize> {
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

/// The sections that rows arrive in.
#[derive(Default)]
pub(super) struct Runs {
    /// The rows that are there of each, in the order of the sections; none in a list without grouping.
    pub(super) runs: Vec<Range<usize>>,
    /// For each row that arrives the place of its section among these.
    pub(super) of_rows: Vec<usize>,
}

/// The rows of a section that was looked for, none where it would be.
pub(super) fn run_at(layout: &Layout, found: Result<usize, usize>) -> Range<usize> {
    let (Ok(at) | Err(at)) = found;
    match (layout.get(at), found) {
        (Some((before, placed)), Ok(_)) => before.rows..before.rows + placed.section.count,
        (Some((before, _)), Err(_)) => before.rows..before.rows,
        (None, _) => layout.sums().rows..layout.sums().rows,
    }
}

impl<T: Item> ListState<T> {
    /// For each row of some sections the rows that are there of its section.
    pub(super) fn runs_of(&self, sections: &[(SectionKey, usize)]) -> Vec<RepeatN<Range<usize>>> {
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
    pub(super) fn runs_in_order<'a>(
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
        let different: HashSet<&SectionKey> = keys.iter().collect();
        let mut different: Vec<&SectionKey> = different.into_iter().collect();
        different.sort_by(|one, two| group.compare(one, two));
        let run = |key: &&SectionKey| run_at(layout, find_section(group, layout, key));
        let places: HashMap<&SectionKey, usize> = different.iter().copied().zip(0..).collect();
        Runs {
            runs: different.iter().map(run).collect(),
            of_rows: keys
                .iter()
                .map(|key| places.get(key).copied().unwrap_or(0))
                .collect(),
        }
    }

    /// The rows of the section that the only row of an edit goes to, after it went out from a position.
    pub(super) fn run_entered(
        &self,
        deltas: Option<&Deltas>,
        out: Option<usize>,
    ) -> Option<Range<usize>> {
        let found = deltas?.entered();
        let run = run_at(self.layout()?, found.unwrap_or(Err(usize::MAX)));
        let shift = |end: usize| end - usize::from(out.is_some_and(|out| out < end));
        Some(shift(run.start)..shift(run.end))
    }

    /// The sections as they are; none in a list without grouping.
    pub(super) fn layout(&self) -> Option<&Layout> {
        self.grouping.as_ref().map(|grouping| &grouping.layout)
    }

    /// What an edit will do to the sections; `None` in a list without grouping. `placed_before` is the item
    /// by which a single row got its place, where that is not the one that it is held by.
    pub(super) fn deltas(
        &self,
        fates: &[Fated<'_, T>],
        placed_before: Option<&T>,
    ) -> Option<Deltas> {
        let (group, layout) = (self.query.grouping()?, self.layout()?);
        let mut deltas = Deltas::default();
        deltas.deltas.reserve(2);
        for Fated { touch, fate } in fates {
            let held = self.held.get(&touch.slot);
            let tallied = |item: Option<&Arc<T>>| item.map(|item| group.tallied(item));
            let placed = placed_before.or(held.or(touch.before).map(|item| &**item));
            if let (Fate::Stays, Some(before), Some(after)) = (*fate, touch.before, touch.after) {
                if let (true, Some(placed)) = (group.has_totals(), placed)
                    && !group.same_totals(before, after)
                {
                    let values = [(group.tallied(before), false), (group.tallied(after), true)];
                    let delta = deltas.of(group.key(placed), group, layout);
                    delta.tallied.extend(values);
                }
                continue;
            }
            if *fate != Fate::Arrives
                && let Some(placed) = placed
            {
                let delta = deltas.of(group.key(placed), group, layout);
                delta.taken_out += 1;
                if group.has_totals() {
                    delta
                        .tallied
                        .extend(tallied(touch.before).map(|values| (values, false)));
                }
            }
            if *fate != Fate::Leaves
                && let Some(placed) = self.placed_by(touch)
            {
                let delta = deltas.of(group.key(placed), group, layout);
                delta.put_in += 1;
                if group.has_totals() {
                    delta
                        .tallied
                        .extend(tallied(touch.after).map(|values| (values, true)));
                }
            }
        }
        Some(deltas)
    }

    /// What another filter will do to the sections.
    pub(super) fn deltas_of(&self, change: &Alignment<T>) -> Option<Deltas> {
        let group = self.query.grouping()?;
        let layout = self.layout()?;
        let mut deltas = Deltas::default();
        for run in &change.removed {
            let mut at = run.at;
            while at < run.range().end
                && let Some((before, placed)) = layout.at_row(at)
            {
                let end = (before.rows + placed.section.count).min(run.range().end);
                let name = &placed.section.name;
                let delta = deltas.of(name.key.clone(), group, layout);
                delta.taken_out += end - at;
                if group.has_totals() {
                    let gone = (at..end).filter_map(|at| run.rows.get(at - run.at));
                    delta
                        .tallied
                        .extend(gone.map(|item| (group.tallied(item), false)));
                }
                at = end;
            }
        }
        for segment in &change.segments {
            let Segment::New(rows) = segment else {
                continue;
            };
            for item in rows.iter() {
                let delta = deltas.of(group.key(item), group, layout);
                delta.put_in += 1;
                if group.has_totals() {
                    delta.tallied.push((group.tallied(item), true));
                }
            }
        }
        Some(deltas)
    }

    /// Brings the sections in step with the rows, and gives what there is to note of it.
    pub(super) fn follow_sections(&mut self, deltas: Option<Deltas>) -> Option<Box<Sectioned>> {
        let hidden = self.hidden();
        let change = deltas.and_then(|deltas| self.carry_out_deltas(deltas));
        Sectioned::noted(
            change.map_or(SectionChange::None, SectionChange::Touched),
            hidden,
        )
    }

    fn carry_out_deltas(&mut self, deltas: Deltas) -> Option<Alignment<Section>> {
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
            values.map(move |(values, put_in)| Retally {
                key: key.clone(),
                values,
                put_in,
            })
        });
        let tallied = tallied.collect();
        self.undo.push(Undo::Sections { before, tallied });
        change
    }

    /// The layout, when it hides rows.
    pub(super) fn hidden(&self) -> Option<Layout> {
        self.layout().filter(|layout| !layout.is_open()).cloned()
    }

    /// Checks the sections against the rows; the error names the first thing that does not hold.
    pub(super) fn check_sections(&self, context: Context<'_, T>) -> Result<(), String> {
        let Some((group, grouping)) = self.query.grouping().zip(self.grouping.as_ref()) else {
            let same = self.query.grouping().is_none() && self.grouping.is_none();
            return same
                .then_some(())
                .ok_or("sections without a grouping".to_owned());
        };
        let mut runs: Vec<(SectionKey, usize)> = Vec::new();
        for slot in self.rows.rows() {
            let placed_by = self.placing_item(slot, context);
            let key = placed_by.map_or(SectionKey::WHOLE, |item| group.key(item));
            match runs.last_mut() {
                Some((last, count)) if *last == key => *count += 1,
                _ => runs.push((key, 1)),
            }
        }
        let items = self.rows.rows().filter_map(|slot| context.items.get(slot));
        let expected = Grouping::of_runs(group, runs, items, Some(grouping));
        let (expected, found) = (&expected.layout, &grouping.layout);
        if !expected.is_same(found) {
            return Err(format!(
                "the sections are {:?}, and should be {:?}",
                found.sections(),
                expected.sections()
            ));
        }
        Ok(())
    }

    /// Collapses or expands a section, or all that are there. `None` when there is no such section, else
    /// whether anything changed.
    pub(crate) fn set_collapsed(
        &mut self,
        key: Option<&SectionKey>,
        collapsed: bool,
    ) -> Option<bool> {
        let group = self.query.grouping()?;
        let grouping = self.grouping.as_mut()?;
        let indexes = match key {
            Some(key) => {
                let at = find_section(group, &grouping.layout, key).ok()?;
                at..at + 1
            }
            None => 0..grouping.layout.len(),
        };
        let mut touched = Vec::new();
        for at in indexes {
            let (_, placed) = grouping.layout.get(at)?;
            if placed.section.collapsed != collapsed {
                let old = Arc::clone(&placed.section);
                let new = Section {
                    collapsed,
                    ..(*old).clone()
                };
                touched.push((at, old, Arc::new(new)));
            }
        }
        if touched.is_empty() {
            return Some(false);
        }
        let before = grouping.layout.clone();
        self.undo.push(Undo::Collapsed {
            layout: before.clone(),
            collapsed: grouping.collapsed.clone(),
        });
        for (at, _, new) in &touched {
            grouping.layout.replace(*at, Arc::clone(new));
            if collapsed {
                grouping.collapsed.insert(new.key().clone());
            } else {
                grouping.collapsed.remove(new.key());
            }
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
        Some(true)
    }
}

/// What an edit did to the sections of a list.
pub(super) enum SectionChange {
    None,
    Touched(Alignment<Section>),
    /// The rows were grouped anew.
    Anew,
}

/// What is noted of the sections with a change of the rows.
pub(super) struct Sectioned {
    pub(super) change: SectionChange,
    /// The sections before the change, when they hid rows.
    pub(super) hidden_before: Option<Layout>,
}

impl Sectioned {
    pub(super) fn noted(change: SectionChange, hidden_before: Option<Layout>) -> Option<Box<Self>> {
        let worth = hidden_before.is_some() || !matches!(change, SectionChange::None);
        worth.then(|| {
            Box::new(Self {
                change,
                hidden_before,
            })
        })
    }
}
