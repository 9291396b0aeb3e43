//! Rows that a person drags in a list by what it shows: among rows that are hidden, held, new, waiting to be removed, in
//! sections that are collapsed, and in windows.

use super::cases;
use super::checks::{Sections, check_sections, check_set, sections_of};
use super::model::{Thing, thing};
use proptest::prelude::*;
use std::sync::Arc;
use usual_tide::removals::RemovalId;
use usual_tide::sections::SectionKey;
use usual_tide::{Draft, Feed, Group, ListId, Place, Query, Store};

#[derive(Clone, Debug)]
enum Op {
    Edit {
        which: u8,
        seed: u8,
    },
    Hold {
        which: u8,
    },
    Release {
        which: u8,
    },
    Propose {
        which: u8,
    },
    Cancel,
    NewRow {
        seed: u8,
        place: (u8, u8),
    },
    Discard,
    Collapse {
        which: u8,
    },
    Window {
        skip: usize,
        take: Option<usize>,
    },
    Drag {
        which: Vec<u8>,
        place: (u8, u8),
    },
    DragInto {
        which: Vec<u8>,
        section: u8,
        place: (u8, u8),
    },
    Step {
        which: u8,
        down: bool,
    },
}

fn op() -> impl Strategy<Value = Op> {
    let which = any::<u8>;
    let several = || prop::collection::vec(any::<u8>(), 1..4);
    let place = || (0..6u8, any::<u8>());
    prop_oneof![
        3 => (which(), any::<u8>()).prop_map(|(which, seed)| Op::Edit { which, seed }),
        2 => which().prop_map(|which| Op::Hold { which }),
        1 => which().prop_map(|which| Op::Release { which }),
        1 => which().prop_map(|which| Op::Propose { which }),
        1 => Just(Op::Cancel),
        1 => (any::<u8>(), place()).prop_map(|(seed, place)| Op::NewRow { seed, place }),
        1 => Just(Op::Discard),
        1 => which().prop_map(|which| Op::Collapse { which }),
        1 => (0..4usize, prop::option::of(2..8usize))
            .prop_map(|(skip, take)| Op::Window { skip, take }),
        4 => (several(), place()).prop_map(|(which, place)| Op::Drag { which, place }),
        4 => (several(), any::<u8>(), place())
            .prop_map(|(which, section, place)| Op::DragInto { which, section, place }),
        4 => (which(), any::<bool>()).prop_map(|(which, down)| Op::Step { which, down }),
    ]
}

/// A section with the rows that are shown of it.
type Shown = Vec<(SectionKey, Vec<u16>)>;

struct World {
    store: Store<Thing>,
    list: ListId,
    feed: Feed<Thing>,
    /// What a view shows that was told of all changes so far.
    view: (Vec<Arc<Thing>>, Sections),
    removals: Vec<RemovalId>,
    drafts: Vec<Draft<Thing>>,
}

fn pick<T: Copy>(which: u8, among: &[T]) -> Option<T> {
    among.get(usize::from(which) % among.len().max(1)).copied()
}

fn place_in((kind, value): (u8, u8), rows: &[u16]) -> Place<u16> {
    let key = || pick(value, rows).unwrap_or(999);
    match kind {
        0 => Place::Start,
        1 => Place::End,
        2 => Place::Before(key()),
        3 => Place::After(key()),
        4 => Place::Gap(usize::from(value) % (rows.len() + 2)),
        _ => Place::Row(usize::from(value) % (rows.len() + 2)),
    }
}

/// The gap, counted among the rows that stay, the plain way.
fn gap(place: Place<u16>, rows: &[u16], lifted: &[u16]) -> Option<usize> {
    let stay = |rows: &[u16]| rows.iter().filter(|row| !lifted.contains(row)).count();
    let at = |key: u16| rows.iter().position(|row| *row == key);
    let gap = match place {
        Place::Start => 0,
        Place::End => rows.len(),
        Place::Row(row) => return (row <= stay(rows)).then_some(row),
        Place::Gap(gap) => (gap <= rows.len()).then_some(gap)?,
        Place::Before(key) => at(key)?,
        Place::After(key) => at(key)? + 1,
    };
    Some(stay(&rows[..gap]))
}

/// The rows that stay above and below a place.
fn around(place: Place<u16>, rows: &[u16], lifted: &[u16]) -> Option<(Option<u16>, Option<u16>)> {
    let gap = gap(place, rows, lifted)?;
    let stay = rows.iter().copied().filter(|row| !lifted.contains(row));
    let stay: Vec<u16> = stay.collect();
    Some((
        gap.checked_sub(1).map(|at| stay[at]),
        stay.get(gap).copied(),
    ))
}

impl World {
    fn shown(&self) -> Shown {
        let rows = self.store.list(self.list).unwrap();
        let sections = rows.sections().zip(0..);
        let keys = |at| rows.items_in(rows.rows_in(at)).map(|item| item.key);
        sections
            .map(|(section, at)| (section.key().clone(), keys(at).collect()))
            .collect()
    }

    fn rows(&self) -> Vec<u16> {
        let rows = self.store.list(self.list).unwrap();
        rows.items().map(|item| item.key).collect()
    }

    fn several(&self, which: &[u8]) -> Vec<u16> {
        let rows = self.rows();
        let mut keys: Vec<u16> = which
            .iter()
            .filter_map(|which| pick(*which, &rows))
            .collect();
        keys.sort_unstable();
        keys.dedup();
        keys
    }

    fn in_source_order(&self, mut keys: Vec<u16>) -> Vec<u16> {
        keys.sort_by_key(|key| self.store.position(key));
        keys
    }

    fn is_grouped(&self) -> bool {
        let rows = self.store.list(self.list).unwrap();
        rows.query().grouping().is_some()
    }

    fn is_windowed(&self) -> bool {
        let rows = self.store.list(self.list).unwrap();
        rows.query().taken().is_some() || rows.query().skipped() > 0
    }

    /// What is shown once rows stand in a section right after one row, or before another.
    fn expected(
        &self,
        keys: Vec<u16>,
        section: &SectionKey,
        above: Option<u16>,
        below: Option<u16>,
    ) -> Shown {
        let mut shown = self.shown();
        for (_, rows) in &mut shown {
            rows.retain(|row| !keys.contains(row));
        }
        let (_, rows) = shown.iter_mut().find(|(key, _)| key == section).unwrap();
        let place = |key: Option<u16>| rows.iter().position(|row| Some(*row) == key);
        let at = place(above).map(|at| at + 1).or_else(|| place(below));
        match at {
            Some(at) => drop(rows.splice(at..at, self.in_source_order(keys))),
            None => {
                assert!(rows.is_empty());
                *rows = self.in_source_order(keys);
            }
        }
        shown
    }

    /// What is shown after a drag to a place among all rows, if it can be done.
    fn after_drag(&self, keys: &[u16], place: Place<u16>) -> Option<Shown> {
        let shown = self.shown();
        let of = |key: &u16| {
            let (section, _) = shown.iter().find(|(_, rows)| rows.contains(key)).unwrap();
            section.clone()
        };
        self.after(keys, keys.iter().map(of).collect(), place)
    }

    /// The same for a row that is new.
    fn after_arrival(&self, thing: &Thing, place: Place<u16>) -> Option<Shown> {
        let own = match self.is_grouped() {
            true => SectionKey::from(thing.on),
            false => SectionKey::WHOLE,
        };
        self.after(&[thing.key], vec![own], place)
    }

    fn after(&self, keys: &[u16], sections: Vec<SectionKey>, place: Place<u16>) -> Option<Shown> {
        let (shown, rows) = (self.shown(), self.rows());
        let (above, below) = around(place, &rows, keys)?;
        let of = |key: u16| {
            let (section, _) = shown.iter().find(|(_, rows)| rows.contains(&key)).unwrap();
            section.clone()
        };
        let own = |section: &SectionKey| sections.iter().all(|own| own == section);
        let named = match place {
            Place::Before(key) | Place::After(key) => Some(of(key)),
            _ => None,
        };
        let section = named
            .or_else(|| above.map(of).filter(own))
            .or_else(|| below.map(of).filter(own))
            .or_else(|| above.map(of))
            .or_else(|| below.map(of));
        let Some(section) = section else {
            let new = keys.iter().filter(|key| !rows.contains(key));
            return Some(
                new.map(|key| (sections[0].clone(), vec![*key]))
                    .chain(shown)
                    .collect(),
            );
        };
        let within = |row: &u16| of(*row) == section;
        Some(self.expected(
            keys.to_vec(),
            &section,
            above.filter(within),
            below.filter(within),
        ))
    }

    fn after_drag_into(
        &self,
        keys: &[u16],
        section: &SectionKey,
        place: Place<u16>,
    ) -> Option<Shown> {
        let shown = self.shown();
        let (_, rows) = shown.iter().find(|(key, _)| key == section).unwrap();
        let (above, below) = around(place, rows, keys)?;
        Some(self.expected(keys.to_vec(), section, above, below))
    }

    fn run(&mut self, op: &Op) {
        let rows = self.rows();
        let store = &mut self.store;
        match op {
            Op::Edit { which, seed } => {
                if let Some(key) = pick(*which, &rows) {
                    store.edit(&key, |item| *item = thing(key, *seed)).unwrap();
                }
            }
            Op::Hold { which } => {
                if let Some(key) = pick(*which, &rows) {
                    store.hold(&key).unwrap();
                }
            }
            Op::Release { which } => {
                if let Some(key) = pick(*which, &rows) {
                    store.release(&key).unwrap();
                }
            }
            Op::Propose { which } => {
                if let Some(key) = pick(*which, &rows) {
                    self.removals
                        .extend(store.removals_mut().begin(&[key]).ok());
                }
            }
            Op::Cancel => {
                if let Some(removal) = self.removals.pop() {
                    store.removals_mut().cancel(removal).unwrap();
                }
            }
            Op::NewRow { seed, place } => {
                let key = 100 + self.drafts.len() as u16;
                let place = place_in(*place, &rows);
                let expected = self.after_arrival(&thing(key, *seed), place);
                let mut list = self.store.list_mut(self.list).unwrap();
                let draft = list.begin_new_draft(thing(key, *seed), place);
                assert_eq!(draft.is_ok(), expected.is_some(), "{draft:?}");
                self.check(draft.is_ok(), expected, &rows);
                self.drafts.extend(draft);
            }
            Op::Discard => {
                if let Some(draft) = self.drafts.pop() {
                    store.drafts_mut().discard(draft).unwrap();
                }
            }
            Op::Collapse { which } => {
                let keys: Vec<SectionKey> = self.shown().into_iter().map(|(key, _)| key).collect();
                let Some(key) = keys.get(usize::from(*which) % keys.len().max(1)) else {
                    return;
                };
                if *key == SectionKey::WHOLE {
                    return;
                }
                let mut list = self.store.list_mut(self.list).unwrap();
                if !list.collapse(key).unwrap() {
                    list.expand(key).unwrap();
                }
            }
            Op::Window { skip, take } => {
                let mut list = store.list_mut(self.list).unwrap();
                list.change_query(|query| {
                    let query = query.skip(*skip);
                    match take {
                        Some(take) => query.take(*take),
                        None => query.take_all(),
                    }
                });
            }
            Op::Drag { which, place } => {
                let keys = self.several(which);
                let place = place_in(*place, &rows);
                let expected = self.after_drag(&keys, place);
                let mut list = self.store.list_mut(self.list).unwrap();
                let done = list.move_to(&keys, place);
                assert_eq!(done.is_ok(), expected.is_some(), "{done:?}");
                self.check(done.is_ok(), expected, &rows);
            }
            Op::DragInto {
                which,
                section,
                place,
            } => {
                let keys = self.several(which);
                let shown = self.shown();
                let Some((section, rows_there)) =
                    shown.get(usize::from(*section) % shown.len().max(1))
                else {
                    return;
                };
                if *section == SectionKey::WHOLE {
                    return;
                }
                let place = place_in(*place, rows_there);
                let expected = self.after_drag_into(&keys, section, place);
                let mut list = self.store.list_mut(self.list).unwrap();
                let done = list.move_to_section(&keys, section, place);
                assert_eq!(done.is_ok(), expected.is_some(), "{done:?}");
                self.check(done.is_ok(), expected, &rows);
            }
            Op::Step { which, down } => {
                let Some(key) = pick(*which, &rows) else {
                    return;
                };
                let mut expected = self.shown();
                let section = expected
                    .iter()
                    .position(|(_, rows)| rows.contains(&key))
                    .unwrap();
                let row = expected[section]
                    .1
                    .iter()
                    .position(|row| *row == key)
                    .unwrap();
                let len = expected[section].1.len();
                if *down && row + 1 < len {
                    expected[section].1.swap(row, row + 1);
                } else if !*down && row > 0 {
                    expected[section].1.swap(row, row - 1);
                } else if *down && section + 1 < expected.len() {
                    expected[section].1.remove(row);
                    expected[section + 1].1.insert(0, key);
                } else if !*down && section > 0 {
                    expected[section].1.remove(row);
                    expected[section - 1].1.push(key);
                }
                let mut list = self.store.list_mut(self.list).unwrap();
                let done = match down {
                    true => list.move_down(&key),
                    false => list.move_up(&key),
                };
                self.check(done.is_ok(), Some(expected), &rows);
                done.unwrap();
            }
        }
        self.store.check().unwrap();
        let list = self.store.list(self.list).unwrap();
        let now = (list.items().cloned().collect(), sections_of(&list));
        match self.feed.read(&self.store).unwrap() {
            Some(set) => {
                check_set(&set, &self.view.0, &now.0);
                check_sections(&set, &self.view.1, &now.1);
            }
            None => assert_eq!(self.view, now),
        }
        self.view = now;
    }

    fn check(&self, done: bool, expected: Option<Shown>, before: &[u16]) {
        match expected {
            Some(expected) if done => {
                if !self.is_windowed() {
                    let collapsed: Vec<SectionKey> = self.collapsed();
                    let told = |shown: Shown| -> Shown {
                        shown
                            .into_iter()
                            .filter(|(key, rows)| !collapsed.contains(key) && !rows.is_empty())
                            .collect()
                    };
                    assert_eq!(told(self.shown()), told(expected));
                }
            }
            _ => assert_eq!(self.rows(), before),
        }
    }

    fn collapsed(&self) -> Vec<SectionKey> {
        let rows = self.store.list(self.list).unwrap();
        let collapsed = rows.sections().filter(|section| section.is_collapsed());
        collapsed.map(|section| section.key().clone()).collect()
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(150)) })]

    #[test]
    fn a_dragged_row_stands_where_it_was_dropped(
        seeds in prop::collection::vec(any::<u8>(), 0..16),
        grouped in any::<bool>(),
        keep_empty in any::<bool>(),
        ops in prop::collection::vec(op(), 1..24),
    ) {
        let things = seeds.iter().zip(0..).map(|(seed, key)| thing(key, *seed));
        let mut store = Store::load(things).unwrap();
        let query = Query::new().filter(|thing: &Thing| thing.rank != Some(7));
        let group = Group::by(Thing::ON).regroup();
        let query = match (grouped, keep_empty) {
            (true, true) => query.group(group.in_order([true, false]).keep_empty()),
            (true, false) => query.group(group),
            (false, _) => query,
        };
        let list = store.bind(query);
        let feed = store.feed(list).unwrap();
        let rows = store.list(list).unwrap();
        let view = (rows.items().cloned().collect(), sections_of(&rows));
        let (removals, drafts) = (Vec::new(), Vec::new());
        let mut world = World { store, list, feed, view, removals, drafts };
        for op in &ops {
            world.run(op);
        }
    }
}
