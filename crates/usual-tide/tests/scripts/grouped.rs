//! Sections that appear, vanish, move, and are collapsed and expanded, against a plain model.

use super::cases;
use super::checks::{Sections, check_sections, check_set, sections_of};
use super::model::{GIVEN, Grouped, Shape, Thing, grouped, shape};
use super::script::{Op, apply, edit, start};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use usual_tide::fields::Value;
use usual_tide::sections::{SectionError, SectionKey};
use usual_tide::{ChangeSet, Feed, ListId, Store};

#[derive(Clone, Debug)]
enum Operation {
    Edit(Op),
    Requery(Shape),
    Refilter(u8),
    Window(usize, Option<usize>),
    Collapse(u8),
    Expand(u8),
    CollapseAll,
    ExpandAll,
    /// Some of the sections that there are or were, and no others.
    CollapseOnly(u64),
    Read,
}

fn operation() -> impl Strategy<Value = Operation> {
    let take = prop_oneof![1 => Just(None), 1 => (0..12usize).prop_map(Some)];
    prop_oneof![
        12 => edit().prop_map(Operation::Edit),
        1 => grouped_shape().prop_map(Operation::Requery),
        2 => (0..5u8).prop_map(Operation::Refilter),
        1 => (0..6usize, take).prop_map(|(skip, take)| Operation::Window(skip, take)),
        4 => any::<u8>().prop_map(Operation::Collapse),
        3 => any::<u8>().prop_map(Operation::Expand),
        1 => Just(Operation::CollapseAll),
        1 => Just(Operation::ExpandAll),
        2 => any::<u64>().prop_map(Operation::CollapseOnly),
        3 => Just(Operation::Read),
    ]
}

fn grouped_shape() -> impl Strategy<Value = Shape> {
    (shape(), grouped()).prop_map(|(shape, grouped)| Shape { grouped, ..shape })
}

/// A grouped list beside the model of its sections.
struct World {
    store: Store<Thing>,
    model: Vec<Thing>,
    list: ListId,
    shape: Shape,
    collapsed: BTreeSet<String>,
    /// The sections that there are or were.
    seen: BTreeMap<String, SectionKey>,
    /// The sections that the list has ever had, where none goes.
    kept: BTreeSet<String>,
    late: Feed<Thing>,
    late_sections: Sections,
    composed: Option<ChangeSet<Thing>>,
    eager: Feed<Thing>,
    eager_sections: Sections,
}

/// A section as it should be: what it is called, its count, whether it is collapsed, and its rows.
type Expected = (String, usize, bool, Vec<Thing>);

impl World {
    fn new(start: Vec<Thing>, shape: Shape) -> Self {
        let mut store = Store::load(start.clone()).unwrap();
        let list = store.bind(shape.query());
        let sections = sections_of(&store.list(list).unwrap());
        let mut world = Self {
            late: store.feed(list).unwrap(),
            late_sections: sections.clone(),
            composed: None,
            eager: store.feed(list).unwrap(),
            eager_sections: sections,
            store,
            model: start,
            list,
            shape,
            collapsed: BTreeSet::new(),
            seen: BTreeMap::new(),
            kept: BTreeSet::new(),
        };
        world.regroup();
        world.check();
        world
    }

    fn regroup(&mut self) {
        self.collapsed.clear();
        self.seen.clear();
        self.kept.clear();
        if self.shape.grouped == Grouped::NameGiven {
            self.kept.extend(GIVEN.map(str::to_owned));
        }
    }

    /// All sections, whatever the window.
    fn expected(&mut self) -> Vec<Expected> {
        let mut sections: Vec<((i64, _, String), Expected)> = Vec::new();
        let rows = self.shape.matching(&self.model);
        for thing in rows {
            let place = self.shape.grouped.section(&thing);
            match sections.last_mut() {
                Some((last, (_, count, _, rows))) if *last == place => {
                    *count += 1;
                    rows.push(thing);
                }
                _ => {
                    let name = place.2.clone();
                    let collapsed = self.collapsed.contains(&name);
                    sections.push((place, (name, 1, collapsed, vec![thing])));
                }
            }
        }
        if self.shape.grouped == Grouped::NameGiven {
            self.kept
                .extend(sections.iter().map(|(_, section)| section.0.clone()));
            for name in &self.kept {
                if sections.iter().all(|(_, section)| section.0 != *name) {
                    let thing = Thing {
                        key: 0,
                        rank: None,
                        name: name.clone(),
                        on: false,
                    };
                    let collapsed = self.collapsed.contains(name);
                    let section = (name.clone(), 0, collapsed, Vec::new());
                    sections.push((self.shape.grouped.section(&thing), section));
                }
            }
            sections.sort_by(|one, two| one.0.cmp(&two.0));
        }
        for (_, (_, _, collapsed, rows)) in &mut sections {
            if *collapsed {
                rows.clear();
            }
        }
        sections.into_iter().map(|(_, section)| section).collect()
    }

    /// The part of them that the window shows.
    fn windowed(&self, sections: Vec<Expected>) -> Vec<Expected> {
        let total: usize = sections.iter().map(|section| section.3.len()).sum();
        let start = self.shape.skip.min(total);
        let end = total.min(start + self.shape.take.unwrap_or(total));
        let mut at = 0;
        let mut inside = Vec::new();
        for (name, count, collapsed, rows) in sections {
            let range = at..at + rows.len();
            at = range.end;
            let without_rows = range.is_empty();
            let shown: Vec<Thing> = range
                .clone()
                .zip(rows)
                .filter(|(at, _)| (start..end).contains(at))
                .map(|(_, row)| row)
                .collect();
            let lies_inside = start <= range.start && (range.start < end || end == total);
            if !shown.is_empty() || without_rows && lies_inside {
                inside.push((name, count, collapsed, shown));
            }
        }
        inside
    }

    fn run(&mut self, operation: &Operation) {
        let keys: Vec<SectionKey> = {
            let rows = self.store.list(self.list).unwrap();
            rows.sections()
                .map(|section| section.key().clone())
                .collect()
        };
        let pick = |which: u8| keys.get(usize::from(which) % keys.len().max(1));
        match operation {
            Operation::Edit(op) => drop(apply(op, &mut self.store, &mut self.model)),
            Operation::Requery(shape) => {
                // A grouping that is set again is the same one, unless it is a closure.
                let same =
                    shape.grouped == self.shape.grouped && shape.grouped != Grouped::KeyByClosure;
                self.shape = Shape {
                    numbered: shape.numbered || self.shape.numbered,
                    ..*shape
                };
                let change = |query| shape.change(query);
                self.store.list_mut(self.list).unwrap().change_query(change);
                if !same {
                    self.regroup();
                }
            }
            Operation::Refilter(filter) => {
                self.shape.filter = *filter;
                let shape = self.shape;
                let change = |query: usual_tide::Query<Thing>| match shape.filter {
                    0 => query.unfiltered(),
                    _ => query.filter(move |thing: &Thing| shape.shows(thing)),
                };
                self.store.list_mut(self.list).unwrap().change_query(change);
            }
            Operation::Window(skip, take) => {
                (self.shape.skip, self.shape.take) = (*skip, *take);
                let change = |query: usual_tide::Query<Thing>| match take {
                    None => query.skip(*skip).take_all(),
                    Some(take) => query.skip(*skip).take(*take),
                };
                self.store.list_mut(self.list).unwrap().change_query(change);
            }
            Operation::Collapse(which) => {
                if let Some(key) = pick(*which) {
                    let changed = self
                        .store
                        .list_mut(self.list)
                        .unwrap()
                        .collapse(key)
                        .unwrap();
                    assert_eq!(changed, self.collapsed.insert(key.to_string()));
                }
            }
            Operation::Expand(which) => {
                if let Some(key) = pick(*which) {
                    let changed = self.store.list_mut(self.list).unwrap().expand(key).unwrap();
                    assert_eq!(changed, self.collapsed.remove(&key.to_string()));
                }
                let unknown = SectionKey::from("no section at all");
                let refused = self.store.list_mut(self.list).unwrap().expand(&unknown);
                assert_eq!(refused, Err(SectionError::UnknownSection(unknown)));
            }
            Operation::CollapseAll => {
                let names = self.expected().into_iter().map(|section| section.0);
                self.collapsed.extend(names);
                self.store.list_mut(self.list).unwrap().collapse_all();
            }
            Operation::ExpandAll => {
                for section in self.expected() {
                    self.collapsed.remove(&section.0);
                }
                self.store.list_mut(self.list).unwrap().expand_all();
            }
            Operation::CollapseOnly(which) => {
                let all = self.seen.iter().enumerate();
                let wanted = all.filter(|(at, _)| which >> (at % 64) & 1 == 1);
                let (names, keys): (BTreeSet<String>, Vec<SectionKey>) = wanted
                    .map(|(_, (name, key))| (name.clone(), key.clone()))
                    .unzip();
                let expected = self.expected().into_iter();
                let differs = |section: &Expected| names.contains(&section.0) != section.2;
                let differs = expected.filter(differs).count() > 0;
                let mut list = self.store.list_mut(self.list).unwrap();
                assert_eq!(list.collapse_only(keys), differs);
                self.collapsed = names;
            }
            Operation::Read => self.read_late(),
        }
        self.store.check().unwrap();
        self.check();
    }

    fn check(&mut self) {
        let all = self.expected();
        let expected = self.windowed(all);
        let found = sections_of(&self.store.list(self.list).unwrap());
        let plain: Vec<Expected> = found
            .iter()
            .map(|(section, rows)| {
                let rows = rows.iter().map(|row| Thing::clone(row)).collect();
                let name = section.key().to_string();
                (name, section.count(), section.is_collapsed(), rows)
            })
            .collect();
        assert_eq!(plain, expected);
        let list = self.store.list(self.list).unwrap();
        let collapsed = list.collapsed_sections().map(SectionKey::to_string);
        assert_eq!(collapsed.collect::<BTreeSet<_>>(), self.collapsed);
        for (section, _) in &found {
            let key = section.key();
            self.seen.insert(key.to_string(), key.clone());
        }
        self.check_totals(&found);
        if let Some(set) = self.eager.read(&self.store).unwrap() {
            check_set(&set, &rows(&self.eager_sections), &rows(&found));
            check_sections(&set, &self.eager_sections, &found);
            self.composed = Some(match self.composed.take() {
                Some(before) => before.then(&set).unwrap(),
                None => set,
            });
        } else {
            assert_eq!(self.eager_sections, found);
        }
        self.eager_sections = found;
    }

    fn check_totals(&self, sections: &Sections) {
        if self.shape.grouped != Grouped::OnWithTotals {
            return;
        }
        for (section, _) in sections {
            let all = self.model.iter().filter(|thing| self.shape.shows(thing));
            let on = section.key().value() == Some(&Value::Bool(true));
            let rows: Vec<&Thing> = all.filter(|thing| thing.on == on).collect();
            let ranks: Vec<i128> = rows
                .iter()
                .filter_map(|thing| thing.rank.map(i128::from))
                .collect();
            let totals = section.totals();
            let sum: i128 = rows.iter().map(|thing| i128::from(thing.key)).sum();
            assert_eq!(totals[0], Value::Integer(sum));
            let mean = ranks.iter().sum::<i128>() as f64 / ranks.len() as f64;
            match &totals[1] {
                Value::Missing => assert!(ranks.is_empty()),
                found => assert!((found.to_string().parse::<f64>().unwrap() - mean).abs() < 1e-9),
            }
            let least = ranks
                .iter()
                .min()
                .map_or(Value::Missing, |rank| Value::Integer(*rank));
            assert_eq!(totals[2], least);
            let greatest = rows.iter().map(|thing| thing.name.as_str()).max();
            assert_eq!(totals[3], Value::from(greatest.unwrap()));
        }
    }

    fn read_late(&mut self) {
        let found = sections_of(&self.store.list(self.list).unwrap());
        let set = self.late.read(&self.store).unwrap();
        match &set {
            Some(set) => {
                check_set(set, &rows(&self.late_sections), &rows(&found));
                check_sections(set, &self.late_sections, &found);
            }
            None => assert_eq!(self.late_sections, found),
        }
        let composed = self.composed.take().filter(|set| !set.is_empty());
        if let Some(composed) = &composed {
            check_sections(composed, &self.late_sections, &found);
        }
        if self.shape.numbered {
            assert_eq!(composed, set, "composed step by step it is another set");
        }
        self.late_sections = found;
    }
}

fn rows(sections: &Sections) -> Vec<Arc<Thing>> {
    sections
        .iter()
        .flat_map(|(_, rows)| rows)
        .cloned()
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(300)) })]

    #[test]
    fn a_two_level_copy_follows_sections_through_everything(
        start in start(),
        shape in grouped_shape(),
        operations in prop::collection::vec(operation(), 1..40),
    ) {
        let mut world = World::new(start, Shape { numbered: true, ..shape });
        for operation in &operations {
            world.run(operation);
        }
        world.read_late();
    }
}
