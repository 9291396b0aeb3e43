//! Scripts that mix every edit over several lists, with feeds that are read at random moments.

use super::cases;
use super::checks::{Sections, check_numbers, check_sections, check_set, sections_of};
use super::model::{Shape, Thing, shape, thing};
use proptest::prelude::*;
use std::sync::Arc;
use usual_tide::edits::OnDuplicate;
use usual_tide::lists::{PositionError, Version};
use usual_tide::{ChangeSet, EditError, Feed, ListId, Place, Store};

#[derive(Clone, Debug)]
#[cfg_attr(fuzzing, derive(arbitrary::Arbitrary))]
pub(super) enum Op {
    Add {
        key: u16,
        seed: u8,
        place: u8,
    },
    AddMany {
        keys: Vec<u16>,
        seed: u8,
        place: u8,
        policy: u8,
    },
    Edit {
        at: u8,
        seed: u8,
    },
    ChangeKey {
        at: u8,
    },
    EditMany {
        at: Vec<u8>,
        seed: u8,
    },
    Replace {
        key: u16,
        seed: u8,
    },
    Remove {
        at: u8,
    },
    RemoveMany {
        at: Vec<u8>,
    },
    Move {
        at: u8,
        place: u8,
    },
    MoveMany {
        at: Vec<u8>,
        place: u8,
    },
    Reload {
        seed: u64,
        policy: u8,
    },
    Batch {
        ops: Vec<Op>,
        fails: bool,
    },
    Requery {
        list: u8,
        shape: Shape,
    },
    Refilter {
        list: u8,
        filter: u8,
    },
    LoadMore {
        list: u8,
        rows: u8,
    },
    Read {
        list: u8,
    },
}

pub(super) fn edit() -> impl Strategy<Value = Op> {
    let at = || any::<u8>();
    let many = || prop::collection::vec(any::<u8>(), 0..6);
    prop_oneof![
        6 => (0..60u16, at(), at()).prop_map(|(key, seed, place)| Op::Add { key, seed, place }),
        1 => (prop::collection::vec(0..60u16, 0..6), at(), at(), 0..3u8)
            .prop_map(|(keys, seed, place, policy)| Op::AddMany { keys, seed, place, policy }),
        6 => (at(), at()).prop_map(|(at, seed)| Op::Edit { at, seed }),
        1 => at().prop_map(|at| Op::ChangeKey { at }),
        2 => (prop::collection::vec(any::<u8>(), 0..20), at())
            .prop_map(|(at, seed)| Op::EditMany { at, seed }),
        1 => (0..60u16, at()).prop_map(|(key, seed)| Op::Replace { key, seed }),
        3 => at().prop_map(|at| Op::Remove { at }),
        1 => many().prop_map(|at| Op::RemoveMany { at }),
        4 => (at(), at()).prop_map(|(at, place)| Op::Move { at, place }),
        2 => (many(), at()).prop_map(|(at, place)| Op::MoveMany { at, place }),
        1 => (any::<u64>(), 0..3u8).prop_map(|(seed, policy)| Op::Reload { seed, policy }),
    ]
}

fn op() -> impl Strategy<Value = Op> {
    let inner = prop::collection::vec(edit(), 0..6);
    let nested = (inner, any::<bool>()).prop_map(|(ops, fails)| Op::Batch { ops, fails });
    let batch_ops = prop::collection::vec(prop_oneof![4 => edit(), 1 => nested], 0..6);
    prop_oneof![
        12 => edit(),
        2 => (batch_ops, any::<bool>()).prop_map(|(ops, fails)| Op::Batch { ops, fails }),
        1 => (any::<u8>(), shape()).prop_map(|(list, shape)| Op::Requery { list, shape }),
        2 => (any::<u8>(), 0..5u8).prop_map(|(list, filter)| Op::Refilter { list, filter }),
        1 => (any::<u8>(), 0..4u8).prop_map(|(list, rows)| Op::LoadMore { list, rows }),
        4 => any::<u8>().prop_map(|list| Op::Read { list }),
    ]
}

/// A list under test with the consumers that watch it.
struct Watched {
    list: ListId,
    shape: Shape,
    /// Read at random moments.
    late: Feed<Thing>,
    late_rows: Vec<Arc<Thing>>,
    late_sections: Sections,
    late_shape: Shape,
    /// Whether the list numbered its rows at every moment since.
    late_numbered: bool,
    /// Read after each step, and composed.
    eager: Feed<Thing>,
    eager_rows: Vec<Arc<Thing>>,
    eager_sections: Sections,
    composed: Option<ChangeSet<Thing>>,
    /// What was shown at earlier versions.
    seen: Vec<(Version, Vec<u16>)>,
}

struct World {
    store: Store<Thing>,
    model: Vec<Thing>,
    lists: Vec<Watched>,
}

fn place(choice: u8, model: &[Thing]) -> Place<u16> {
    let (kind, value) = (choice % 6, usize::from(choice / 6));
    let key = || {
        model
            .get(value % model.len().max(1))
            .map_or(999, |thing| thing.key)
    };
    match kind {
        0 => Place::Start,
        1 => Place::End,
        2 => Place::Before(key()),
        3 => Place::After(key()),
        4 => Place::Gap(value % (model.len() + 2)),
        _ => Place::Row(value % (model.len() + 2)),
    }
}

/// Where rows land, the plain way: mark the gap, take the rows out, find the mark again.
fn landing(place: &Place<u16>, model: &[Thing], lifted: &[u16]) -> Option<usize> {
    let rest = model.len() - lifted.len();
    let gap = match place {
        Place::Start => 0,
        Place::End => model.len(),
        Place::Row(row) => return (*row <= rest).then_some(*row),
        Place::Gap(gap) => (*gap <= model.len()).then_some(*gap)?,
        Place::Before(key) => model.iter().position(|thing| thing.key == *key)?,
        Place::After(key) => model.iter().position(|thing| thing.key == *key)? + 1,
    };
    Some(
        model[..gap]
            .iter()
            .filter(|thing| !lifted.contains(&thing.key))
            .count(),
    )
}

fn keys_at(at: &[u8], model: &[Thing]) -> Vec<u16> {
    let key = |at: &u8| {
        model
            .get(usize::from(*at) % model.len().max(1))
            .map(|thing| thing.key)
    };
    at.iter().filter_map(key).collect()
}

pub(super) fn policy(choice: u8) -> OnDuplicate {
    [
        OnDuplicate::Refuse,
        OnDuplicate::KeepFirst,
        OnDuplicate::KeepLast,
    ][usize::from(choice)]
}

/// Does an edit to the store and to the model, and checks that both agree on whether it can be done.
pub(super) fn apply(
    op: &Op,
    store: &mut Store<Thing>,
    model: &mut Vec<Thing>,
) -> Result<(), EditError<u16>> {
    let unchanged = model.clone();
    let done = attempt(op, store, model);
    if done.is_err() {
        *model = unchanged;
    }
    assert!(store.items().map(|item| &**item).eq(&*model));
    done
}

fn attempt(
    op: &Op,
    store: &mut Store<Thing>,
    model: &mut Vec<Thing>,
) -> Result<(), EditError<u16>> {
    let taken = |model: &[Thing], key: u16| model.iter().any(|thing| thing.key == key);
    match op {
        Op::Add {
            key,
            seed,
            place: at,
        } => {
            let at = place(*at, model);
            let landing = landing(&at, model, &[]).filter(|_| !taken(model, *key));
            let done = store.add(thing(*key, *seed), at);
            assert_eq!(done.is_ok(), landing.is_some());
            done?;
            model.insert(landing.unwrap(), thing(*key, *seed));
        }
        Op::AddMany {
            keys,
            seed,
            place: at,
            policy: choice,
        } => {
            let at = place(*at, model);
            let landing = landing(&at, model, &[]);
            let seeds = (0..).map(|more| seed.wrapping_add(more));
            let things = keys.iter().zip(seeds).map(|(key, seed)| thing(*key, seed));
            store.add_many_with(things.clone(), at, policy(*choice))?;
            let mut next = landing.unwrap();
            let kept = keep_one(things.collect(), policy(*choice));
            for thing in kept {
                match model.iter().position(|other| other.key == thing.key) {
                    Some(place) if policy(*choice) == OnDuplicate::KeepLast => model[place] = thing,
                    Some(_) => assert_eq!(policy(*choice), OnDuplicate::KeepFirst),
                    None => {
                        model.insert(next, thing);
                        next += 1;
                    }
                }
            }
        }
        Op::Edit { at, seed } => {
            let Some(key) = keys_at(&[*at], model).first().copied() else {
                return Ok(());
            };
            let row = model.iter_mut().find(|thing| thing.key == key).unwrap();
            let differs = *row != thing(key, *seed);
            *row = thing(key, *seed);
            // The source's version makes a blank row an item, which is a change though both are equal.
            let was_blank = store.drafts().is_blank(&key);
            let told = store.edit(&key, |item| *item = thing(key, *seed))?;
            let is_new = was_blank && !store.drafts().is_blank(&key);
            assert_eq!(told, differs || is_new);
        }
        Op::ChangeKey { at } => {
            if let Some(key) = keys_at(&[*at], model).first() {
                let refused = store.edit(key, |item| item.key += 100);
                assert_eq!(
                    refused,
                    Err(EditError::KeyChanged {
                        from: *key,
                        to: key + 100
                    })
                );
            }
        }
        Op::EditMany { at, seed } => {
            let keys = keys_at(at, model);
            let edited = |key: u16| thing(key, seed.wrapping_add(key as u8));
            let rows = model.iter_mut().filter(|row| keys.contains(&row.key));
            let differ = rows.filter_map(|row| {
                let before = std::mem::replace(row, edited(row.key));
                (before != *row).then_some(row.key)
            });
            let mut differ: Vec<u16> = differ.collect();
            let blank = blank_among(store, &keys);
            let edit = |item: &mut Thing| *item = edited(item.key);
            let told = store.edit_many(&keys, edit)?;
            let came = blank.iter().filter(|key| !store.drafts().is_blank(key));
            differ.extend(came);
            differ.sort_unstable();
            differ.dedup();
            assert_eq!(told, differ.len());
            let unknown = [keys, vec![999]].concat();
            let refused = store.edit_many(&unknown, |item| item.name.push('!'));
            assert_eq!(refused, Err(EditError::UnknownKey(999)));
        }
        Op::Replace { key, seed } => {
            let row = model.iter_mut().find(|thing| thing.key == *key);
            let done = store.replace(thing(*key, *seed));
            assert_eq!(done.is_ok(), row.is_some());
            done?;
            *row.unwrap() = thing(*key, *seed);
        }
        Op::Remove { at } => {
            if let Some(key) = keys_at(&[*at], model).first() {
                let gone = store.remove(key)?;
                model.retain(|thing| thing.key != *key);
                assert_eq!(gone.key, *key);
                assert_eq!(store.remove(key), Err(EditError::UnknownKey(*key)));
            }
        }
        Op::RemoveMany { at } => {
            let keys = keys_at(at, model);
            let gone = store.remove_many(&keys)?;
            let expected = model.iter().filter(|thing| keys.contains(&thing.key));
            assert!(gone.iter().map(|item| &**item).eq(expected));
            model.retain(|thing| !keys.contains(&thing.key));
        }
        Op::Move { at, place: to } => {
            let Some(key) = keys_at(&[*at], model).first().copied() else {
                return Ok(());
            };
            let to = place(*to, model);
            let blank = blank_among(store, &[key]);
            move_model(&[key], &blank, &to, model, |_| store.move_to(&key, to))?;
        }
        Op::MoveMany { at, place: to } => {
            let keys = keys_at(at, model);
            let to = place(*to, model);
            let blank = blank_among(store, &keys);
            move_model(&keys, &blank, &to, model, |keys| store.move_many(keys, to))?;
        }
        Op::Reload {
            seed,
            policy: choice,
        } => {
            let things = shuffled(model, *seed);
            store.reload_with(things.clone(), policy(*choice))?;
            *model = keep_one(things, policy(*choice));
        }
        Op::Batch { ops, fails } => {
            store.batch(|store| {
                for op in ops {
                    apply(op, store, model)?;
                }
                if *fails {
                    Err(EditError::UnknownKey(9999))
                } else {
                    Ok(())
                }
            })?;
        }
        _ => {}
    }
    Ok(())
}

/// The keys whose rows are blank ones of drafts.
fn blank_among(store: &Store<Thing>, keys: &[u16]) -> Vec<u16> {
    let blank = keys.iter().filter(|key| store.drafts().is_blank(key));
    blank.copied().collect()
}

fn move_model(
    keys: &[u16],
    blank: &[u16],
    to: &Place<u16>,
    model: &mut Vec<Thing>,
    move_in_store: impl FnOnce(&[u16]) -> Result<bool, EditError<u16>>,
) -> Result<(), EditError<u16>> {
    let lifted: Vec<Thing> = model
        .iter()
        .filter(|thing| keys.contains(&thing.key))
        .cloned()
        .collect();
    let lifted_keys: Vec<u16> = lifted.iter().map(|thing| thing.key).collect();
    let landing = landing(to, model, &lifted_keys);
    let done = move_in_store(keys);
    if let Err(EditError::UnknownKey(key)) = &done
        && blank.contains(key)
    {
        // To the source a blank row is unknown.
        return done.map(drop);
    }
    assert_eq!(done.is_ok(), landing.is_some());
    let moved = done?;
    let before = model.clone();
    model.retain(|thing| !lifted_keys.contains(&thing.key));
    let at = landing.unwrap();
    model.splice(at..at, lifted);
    assert_eq!(moved, *model != before);
    Ok(())
}

pub(super) fn keep_one(things: Vec<Thing>, policy: OnDuplicate) -> Vec<Thing> {
    let mut kept: Vec<Thing> = Vec::new();
    for thing in things {
        match kept.iter_mut().find(|other| other.key == thing.key) {
            Some(other) if policy == OnDuplicate::KeepLast => *other = thing,
            Some(_) => {}
            None => kept.push(thing),
        }
    }
    kept
}

/// The same things with some gone, added, edited, moved and, now and then, twice.
pub(super) fn shuffled(model: &[Thing], seed: u64) -> Vec<Thing> {
    let mut state = seed | 1;
    let mut random = move |below: usize| {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        (state % below.max(1) as u64) as usize
    };
    let mut things = model.to_vec();
    for _ in 0..random(8) {
        let at = random(things.len() + 1).min(things.len());
        match random(4) {
            0 if at < things.len() => drop(things.remove(at)),
            1 => things.insert(at, thing(random(60) as u16, random(256) as u8)),
            2 if at < things.len() => things[at] = thing(things[at].key, random(256) as u8),
            _ if at < things.len() => {
                let lifted = things.remove(at);
                things.insert(random(things.len() + 1), lifted);
            }
            _ => {}
        }
    }
    things
}

impl World {
    fn new(start: Vec<Thing>, shapes: &[Shape]) -> Self {
        let mut store = Store::load(start.clone()).unwrap();
        let lists = shapes
            .iter()
            .map(|shape| {
                let list = store.bind(shape.query());
                let rows: Vec<_> = store.list(list).unwrap().items().cloned().collect();
                let sections = sections_of(&store.list(list).unwrap());
                Watched {
                    list,
                    shape: *shape,
                    late: store.feed(list).unwrap(),
                    late_rows: rows.clone(),
                    late_sections: sections.clone(),
                    late_shape: *shape,
                    late_numbered: shape.numbered,
                    eager: store.feed(list).unwrap(),
                    eager_rows: rows,
                    eager_sections: sections,
                    composed: None,
                    seen: Vec::new(),
                }
            })
            .collect();
        Self {
            store,
            model: start,
            lists,
        }
    }

    fn run(&mut self, op: &Op) {
        let lists = self.lists.len();
        match op {
            Op::Requery { list, shape } => self.requery(usize::from(*list) % lists, *shape, true),
            Op::Refilter { list, filter } => {
                let list = usize::from(*list) % lists;
                let shape = Shape {
                    filter: *filter,
                    ..self.lists[list].shape
                };
                self.requery(list, shape, false);
            }
            Op::LoadMore { list, rows } => {
                let watched = &mut self.lists[usize::from(*list) % lists];
                let rows = usize::from(*rows);
                watched.shape.take = watched.shape.take.map(|take| take + rows);
                self.store.list_mut(watched.list).unwrap().load_more(rows);
            }
            Op::Read { list } => self.lists[usize::from(*list) % lists].read_late(&self.store),
            edit => drop(apply(edit, &mut self.store, &mut self.model)),
        }
        self.store.check().unwrap();
        for watched in &mut self.lists {
            watched.follow(&self.store, &self.model);
        }
    }

    fn requery(&mut self, list: usize, shape: Shape, whole: bool) {
        let watched = &mut self.lists[list];
        // A query that numbers its rows goes on to do so.
        let shape = Shape {
            numbered: shape.numbered || watched.shape.numbered,
            ..shape
        };
        watched.shape = shape;
        let change = |query: usual_tide::Query<Thing>| match (whole, shape.filter) {
            (true, _) => shape.change(query),
            (false, 0) => query.unfiltered(),
            (false, _) => query.filter(move |thing: &Thing| shape.shows(thing)),
        };
        self.store
            .list_mut(watched.list)
            .unwrap()
            .change_query(change);
    }
}

impl Watched {
    fn rows(&self, store: &Store<Thing>) -> Vec<Arc<Thing>> {
        store.list(self.list).unwrap().items().cloned().collect()
    }

    fn read_late(&mut self, store: &Store<Thing>) {
        let rows = self.rows(store);
        let sections = sections_of(&store.list(self.list).unwrap());
        let set = self.late.read(store).unwrap();
        match &set {
            Some(set) => {
                if self.late_rows != rows {
                    check_set(set, &self.late_rows, &rows);
                    check_sections(set, &self.late_sections, &sections);
                }
                if self.shape.numbered {
                    let skips = (self.late_shape.skip, self.shape.skip);
                    check_numbers(set, &self.late_rows, &rows, skips);
                }
            }
            None => assert_eq!((&self.late_rows, &self.late_sections), (&rows, &sections)),
        }
        let composed = self.composed.take().filter(|set| !set.is_empty());
        if self.late_numbered {
            assert_eq!(composed, set, "composed step by step it is another set");
        }
        self.late_rows = rows;
        self.late_sections = sections;
        self.late_shape = self.shape;
        self.late_numbered = self.shape.numbered;
        assert_eq!(self.late.read(store).unwrap(), None);
    }

    fn follow(&mut self, store: &Store<Thing>, model: &[Thing]) {
        let rows = self.rows(store);
        assert!(rows.iter().map(|row| &**row).eq(&self.shape.rows(model)));
        let list = store.list(self.list).unwrap();
        for (at, row) in rows.iter().enumerate() {
            assert_eq!(list.position(&row.key), Some(at));
            assert_eq!(list.at(at), Some(row));
        }
        assert_eq!(list.at(rows.len()), None);

        let sections = sections_of(&list);
        if let Some(set) = self.eager.read(store).unwrap() {
            if self.eager_rows != rows {
                check_set(&set, &self.eager_rows, &rows);
                check_sections(&set, &self.eager_sections, &sections);
            }
            self.composed = Some(match self.composed.take() {
                Some(before) => before.then(&set).unwrap(),
                None => set,
            });
        } else {
            assert_eq!((&self.eager_rows, &self.eager_sections), (&rows, &sections));
        }
        let keys = rows.iter().map(|row| row.key).collect();
        self.eager_rows = rows;
        self.eager_sections = sections;
        self.look_back(store);
        self.seen.push((list.version(), keys));
    }

    /// Positions read at earlier versions still name the rows that were there.
    fn look_back(&self, store: &Store<Thing>) {
        let list = store.list(self.list).unwrap();
        for (version, keys) in self.seen.iter().rev().take(6) {
            for (at, key) in keys.iter().enumerate() {
                match list.key_shown(at, *version) {
                    Ok(shown) => assert_eq!(shown, *key),
                    Err(error) => assert!(matches!(error, PositionError::TooOld { .. })),
                }
            }
            assert!(list.key_shown(keys.len(), *version).is_err());
        }
    }
}

pub(super) fn start() -> impl Strategy<Value = Vec<Thing>> {
    prop::collection::vec((0..60u16, any::<u8>()), 0..40).prop_map(|seeds| {
        let things = seeds
            .into_iter()
            .map(|(key, seed)| thing(key, seed))
            .collect();
        keep_one(things, OnDuplicate::KeepFirst)
    })
}

/// The things to begin with, lists over them, and what is done.
pub(super) type Script = (Vec<Thing>, Vec<Shape>, Vec<Op>);

pub(super) fn scripts() -> impl Strategy<Value = Script> {
    let shapes = prop::collection::vec(shape(), 1..4);
    (start(), shapes, prop::collection::vec(op(), 1..40))
}

/// Lists, feeds and model agree after every step.
pub(super) fn run((start, shapes, ops): &Script) {
    let shapes = [&shapes[..], &[Shape::ALL]].concat();
    let mut world = World::new(start.clone(), &shapes);
    for op in ops {
        world.run(op);
    }
    for watched in &mut world.lists {
        watched.read_late(&world.store);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(400)) })]

    #[test]
    fn lists_feeds_and_model_agree_after_every_step(script in scripts()) {
        run(&script);
    }

    /// Mostly other filters, so that many rows leave a sorted list and many come back, in every share.
    #[test]
    fn lists_stay_sound_while_filters_change(
        start in start(),
        shape in shape(),
        ops in prop::collection::vec(
            prop_oneof![
                3 => (0..5u8).prop_map(|filter| Op::Refilter { list: 0, filter }),
                1 => edit(),
            ],
            1..12,
        ),
    ) {
        let mut world = World::new(start, &[shape]);
        for op in &ops {
            world.run(op);
        }
    }
}
