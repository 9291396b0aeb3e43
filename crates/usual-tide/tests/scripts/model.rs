//! The item of the tests, the queries, and what a list of them must show.

use proptest::prelude::*;
use std::cmp::{Ordering, Reverse};
use usual_tide::query::Total;
use usual_tide::{Group, Item, Query, Sort};

#[derive(Clone, PartialEq, Debug, Item)]
pub(super) struct Thing {
    #[item(key)]
    pub(super) key: u16,
    pub(super) rank: Option<i8>,
    pub(super) name: String,
    pub(super) on: bool,
}

/// Few different values, so that sorts tie and edits come to nothing; names that share their beginning,
/// so that prefixes tie as well.
pub(super) fn thing(key: u16, seed: u8) -> Thing {
    let name = ["", "kiln", "kiln shelf a", "kiln shelf b", "Kiln"][usize::from(seed) % 5];
    Thing {
        key,
        rank: [None, Some(-3), Some(0), Some(7)][usize::from(seed / 5) % 4],
        name: name.to_owned(),
        on: seed.is_multiple_of(3),
    }
}

#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(fuzzing, derive(arbitrary::Arbitrary))]
pub(super) enum Order {
    Source,
    Rank,
    RankDownMissingFirst,
    NameThenRankDown,
    OnThenName,
    ByClosure,
}

#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(fuzzing, derive(arbitrary::Arbitrary))]
pub(super) enum Grouped {
    Not,
    Rank,
    RankDownMissingFirst,
    NameDown,
    /// Two names in a given order, and no section goes.
    NameGiven,
    KeyByClosure,
    OnWithTotals,
}

/// The names whose order is given.
pub(super) const GIVEN: [&str; 2] = ["kiln shelf b", "no such name"];

impl Grouped {
    pub(super) fn group(self) -> Option<Group<Thing>> {
        Some(match self {
            Self::Not => return None,
            Self::Rank => Group::by(Thing::RANK),
            Self::RankDownMissingFirst => Group::by(Thing::RANK).descending().missing_first(),
            Self::NameDown => Group::by(Thing::NAME).descending(),
            Self::NameGiven => Group::by(Thing::NAME).in_order(GIVEN).keep_empty(),
            Self::KeyByClosure => Group::from_fn(|thing: &Thing| thing.key % 3).descending(),
            Self::OnWithTotals => Group::by(Thing::ON)
                .total(Total::Sum, Thing::KEY)
                .total(Total::Mean, Thing::RANK)
                .total(Total::Minimum, Thing::RANK)
                .total(Total::Maximum, Thing::NAME),
        })
    }

    /// What the section of a thing is called, and what orders it.
    pub(super) fn section(self, thing: &Thing) -> (i64, Reverse<String>, String) {
        let rank = |missing| thing.rank.map_or(missing, i64::from);
        let key = thing.rank.map_or(String::new(), |rank| rank.to_string());
        match self {
            Self::Not => (0, Reverse(String::new()), String::new()),
            Self::Rank => (rank(999), Reverse(String::new()), key),
            Self::RankDownMissingFirst => (-rank(999), Reverse(String::new()), key),
            Self::NameDown => (0, Reverse(thing.name.clone()), thing.name.clone()),
            Self::NameGiven => {
                let given = GIVEN.iter().position(|name| *name == thing.name);
                (
                    given.map_or(9, |at| at as i64),
                    Reverse(String::new()),
                    thing.name.clone(),
                )
            }
            Self::KeyByClosure => {
                let part = thing.key % 3;
                (-i64::from(part), Reverse(String::new()), part.to_string())
            }
            Self::OnWithTotals => (
                thing.on.into(),
                Reverse(String::new()),
                thing.on.to_string(),
            ),
        }
    }
}

#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(fuzzing, derive(arbitrary::Arbitrary))]
pub(super) struct Shape {
    /// 0 shows all; otherwise things of some remainder are left out.
    pub(super) filter: u8,
    pub(super) order: Order,
    pub(super) grouped: Grouped,
    pub(super) skip: usize,
    pub(super) take: Option<usize>,
    pub(super) numbered: bool,
}

impl Shape {
    pub(super) const ALL: Self = Self {
        filter: 0,
        order: Order::Source,
        grouped: Grouped::Not,
        skip: 0,
        take: None,
        numbered: true,
    };

    pub(super) fn shows(self, thing: &Thing) -> bool {
        match self.filter {
            0 => true,
            1 => thing.on,
            2 => !thing.on,
            _ => thing.name.len() > usize::from(self.filter),
        }
    }

    fn sort(self) -> Option<Sort<Thing>> {
        match self.order {
            Order::Source => None,
            Order::Rank => Some(Thing::RANK.ascending()),
            Order::RankDownMissingFirst => Some(Thing::RANK.descending().missing_first()),
            Order::NameThenRankDown => Some(Thing::NAME.ascending().then(Thing::RANK.descending())),
            Order::OnThenName => Some(Thing::ON.descending().then(Thing::NAME)),
            Order::ByClosure => Some(Sort::from_fn(|one: &Thing, two: &Thing| {
                one.name.len().cmp(&two.name.len())
            })),
        }
    }

    fn compare(self, one: &Thing, two: &Thing) -> Ordering {
        let rank_last = |rank: Option<i8>| rank.map_or(i16::MAX, i16::from);
        let rank_down = |rank: Option<i8>| rank.map_or(i16::MAX, |rank| -i16::from(rank));
        match self.order {
            Order::Source => Ordering::Equal,
            Order::Rank => rank_last(one.rank).cmp(&rank_last(two.rank)),
            Order::RankDownMissingFirst => {
                let place = |rank: Option<i8>| rank.map_or(i16::MIN, |rank| -i16::from(rank));
                place(one.rank).cmp(&place(two.rank))
            }
            Order::NameThenRankDown => one
                .name
                .cmp(&two.name)
                .then(rank_down(one.rank).cmp(&rank_down(two.rank))),
            Order::OnThenName => two.on.cmp(&one.on).then(one.name.cmp(&two.name)),
            Order::ByClosure => one.name.len().cmp(&two.name.len()),
        }
    }

    pub(super) fn query(self) -> Query<Thing> {
        self.change(Query::new())
    }

    /// Turns another query into this one; leaves alone what is the same for certain.
    pub(super) fn change(self, mut query: Query<Thing>) -> Query<Thing> {
        query = match self.filter {
            0 => query.unfiltered(),
            _ => query.filter(move |thing: &Thing| self.shows(thing)),
        };
        query = match self.sort() {
            None => query.unsorted(),
            Some(sort) => query.sort(sort),
        };
        query = match self.grouped.group() {
            None => query.ungrouped(),
            Some(group) => query.group(group),
        };
        query = query.skip(self.skip);
        query = match self.take {
            None => query.take_all(),
            Some(take) => query.take(take),
        };
        if self.numbered {
            query.numbered()
        } else {
            query
        }
    }

    /// The rows that match, in order.
    pub(super) fn matching(self, things: &[Thing]) -> Vec<Thing> {
        let mut rows: Vec<Thing> = things.iter().filter(|t| self.shows(t)).cloned().collect();
        rows.sort_by(|one, two| self.compare(one, two));
        rows.sort_by_key(|thing| self.grouped.section(thing));
        rows
    }

    /// The rows that a list must show of these things in source order.
    pub(super) fn rows(self, things: &[Thing]) -> Vec<Thing> {
        let rows = self.matching(things);
        let take = self.take.unwrap_or(usize::MAX);
        rows.into_iter().skip(self.skip).take(take).collect()
    }
}

pub(super) fn shape() -> impl Strategy<Value = Shape> {
    let order = prop_oneof![
        2 => Just(Order::Source),
        1 => Just(Order::Rank),
        1 => Just(Order::RankDownMissingFirst),
        1 => Just(Order::NameThenRankDown),
        1 => Just(Order::OnThenName),
        1 => Just(Order::ByClosure),
    ];
    let take = prop_oneof![3 => Just(None), 1 => (0..12usize).prop_map(Some)];
    let skip = prop_oneof![3 => Just(0), 1 => 0..6usize];
    let grouped = prop_oneof![5 => Just(Grouped::Not), 5 => grouped()];
    let parts = (0..5u8, order, grouped, skip, take, any::<bool>());
    parts.prop_map(|(filter, order, grouped, skip, take, numbered)| Shape {
        filter,
        order,
        grouped,
        skip,
        take,
        numbered,
    })
}

pub(super) fn grouped() -> impl Strategy<Value = Grouped> {
    prop_oneof![
        Just(Grouped::Rank),
        Just(Grouped::RankDownMissingFirst),
        Just(Grouped::NameDown),
        Just(Grouped::NameGiven),
        Just(Grouped::KeyByClosure),
        Just(Grouped::OnWithTotals),
    ]
}
