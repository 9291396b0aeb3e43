//! The names of the members of records, kept once for all records that have the same.

use super::name::FieldName;
use hashbrown::{DefaultHashBuilder, HashTable};
use std::hash::BuildHasher;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, OnceLock};

/// From so many members on, an object's members are found by an index and not one after the other.
const INDEX_FROM: usize = if cfg!(any(test, fuzzing)) { 4 } else { 64 };

/// The names of a record's members in their order, those of the objects in it, and which of them is the key.
///
/// There is one of each in the process, so that records have the same members exactly when theirs is the same. Where
/// records are of many shapes there are as many of these, which is why the names are one text.
#[derive(Debug)]
pub(super) struct MemberNames {
    /// A number of its own; 0 when numbers have run out.
    id: u32,
    values: u32,
    key_target: Target,
    key: Arc<FieldName>,
    text: Box<str>,
    steps: Box<[StoredStep]>,
    /// The members of large objects by name.
    index: OnceLock<Box<Index>>,
}

/// A step in a shape, as it is kept: where its name ends in the text of all names, and what it leads to.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub(super) struct StoredStep {
    pub(super) name_end: u32,
    pub(super) target: Target,
}

/// What a step leads to, in as few bits as can be.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub(super) struct Target(u32);

/// A step on the way through all members, objects entered where they stand.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Step<'a> {
    /// A member that is no object: the place of its value in the block.
    Value { name: &'a str, value: usize },
    /// A member that is an object.
    Object { name: &'a str },
    /// The end of an object.
    End,
}

/// Where a field is in records of one shape.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum FieldPosition {
    /// The value at this place of the block.
    Value(usize),
    /// The object whose members begin at this step and end before the other.
    Object { from: usize, end: usize },
}

impl Step<'_> {
    /// Whether it is of the same kind and name, wherever its value is.
    pub(super) fn is_as(&self, other: &Step<'_>) -> bool {
        match (self, other) {
            (Step::Value { name, .. }, Step::Value { name: other, .. })
            | (Step::Object { name }, Step::Object { name: other }) => name == other,
            (Step::End, Step::End) => true,
            _ => false,
        }
    }
}

impl Target {
    /// The end of an object; of a field, that it is absent.
    pub(super) const NONE: Self = Self(u32::MAX);
    const OBJECT: u32 = 1 << 31;
    /// More steps than this no record can have.
    pub(super) const MOST: usize = (Self::OBJECT - 1) as usize;

    pub(super) fn value(at: u32) -> Self {
        Self(at)
    }

    /// An object; of a step, by the step that ends it, and of a field, by its own step.
    pub(super) fn object(at: u32) -> Self {
        Self(at | Self::OBJECT)
    }

    fn as_value(self) -> Option<usize> {
        (self.0 & Self::OBJECT == 0).then_some(self.0 as usize)
    }

    pub(super) fn is_object(self) -> bool {
        self.as_object().is_some()
    }

    fn as_object(self) -> Option<usize> {
        let is_object = self.0 & Self::OBJECT != 0 && self != Self::NONE;
        is_object.then_some((self.0 & !Self::OBJECT) as usize)
    }
}

impl MemberNames {
    /// Names that were checked: no object has two members of one name.
    pub(super) fn new(
        id: u32,
        key: Arc<FieldName>,
        values: u32,
        text: Box<str>,
        steps: Box<[StoredStep]>,
    ) -> Self {
        let mut names = Self {
            id,
            values,
            key_target: Target::NONE,
            key,
            text,
            steps,
            index: OnceLock::new(),
        };
        names.key_target = names.target_of(names.position(&names.key));
        names
    }

    pub(super) fn key(&self) -> &Arc<FieldName> {
        &self.key
    }

    /// Where the key is.
    pub(super) fn key_position(&self) -> Option<FieldPosition> {
        self.field_at(self.key_target)
    }

    /// All names, and where each ends and what it leads to.
    pub(super) fn parts(&self) -> (&str, &[StoredStep]) {
        (&self.text, &self.steps)
    }

    /// How many steps lead through all members.
    pub(super) fn len(&self) -> usize {
        self.steps.len()
    }

    pub(super) fn step(&self, at: usize) -> Option<Step<'_>> {
        let target = self.steps.get(at)?.target;
        Some(match (target.as_value(), target.as_object()) {
            (Some(value), _) => Step::Value {
                name: self.name(at),
                value,
            },
            (None, Some(_)) => Step::Object {
                name: self.name(at),
            },
            (None, None) => Step::End,
        })
    }

    /// The name of the member at a step; empty where an object ends.
    pub(super) fn name(&self, at: usize) -> &str {
        let start = match at.checked_sub(1) {
            Some(before) => self.steps[before].name_end as usize,
            None => 0,
        };
        let end = self.steps[at].name_end as usize;
        self.text.get(start..end).unwrap_or_default()
    }

    /// How many values records of this shape have.
    pub(super) fn values(&self) -> usize {
        self.values as usize
    }

    /// A field by its name: a member of exactly that name before a dotted way.
    pub(super) fn position(&self, name: &FieldName) -> Option<FieldPosition> {
        let whole = (0, self.len());
        if let Some(position) = name.whole().and_then(|name| self.member(whole, name)) {
            return Some(position);
        }
        let (first, rest) = name.members().split_first()?;
        let mut position = self.member(whole, first)?;
        for step in rest {
            let FieldPosition::Object { from, end } = position else {
                return None;
            };
            position = self.member((from, end), step)?;
        }
        Some(position)
    }

    /// A member of the object whose members are these steps.
    pub(super) fn member(&self, (from, end): (usize, usize), name: &str) -> Option<FieldPosition> {
        if end - from > INDEX_FROM {
            let index = self.index.get_or_init(|| Box::new(Index::of(self)));
            return self.position_at(index.find(self, from, name)?);
        }
        let mut at = from;
        while at < end {
            if self.name(at) == name {
                return self.position_at(at);
            }
            at = self.after(at);
        }
        None
    }

    /// What a step leads to.
    pub(super) fn position_at(&self, at: usize) -> Option<FieldPosition> {
        let target = self.steps.get(at)?.target;
        match (target.as_value(), target.as_object()) {
            (Some(value), _) => Some(FieldPosition::Value(value)),
            (None, Some(end)) => Some(FieldPosition::Object { from: at + 1, end }),
            (None, None) => None,
        }
    }

    /// The next member of the same object.
    pub(super) fn after(&self, at: usize) -> usize {
        let end = self.steps.get(at).and_then(|step| step.target.as_object());
        end.unwrap_or(at) + 1
    }

    fn field_at(&self, target: Target) -> Option<FieldPosition> {
        match target.as_value() {
            Some(value) => Some(FieldPosition::Value(value)),
            None => self.position_at(target.as_object()?),
        }
    }

    fn target_of(&self, position: Option<FieldPosition>) -> Target {
        match position {
            None => Target::NONE,
            Some(FieldPosition::Value(value)) => Target::value(value as u32),
            Some(FieldPosition::Object { from, .. }) => Target::object((from - 1) as u32),
        }
    }
}

/// The steps of all members of a shape, by the object that each is in and its name.
#[derive(Debug, Default)]
struct Index {
    /// Where the object's members begin, and the member.
    steps: HashTable<(u32, u32)>,
    hasher: DefaultHashBuilder,
}

impl Index {
    fn of(names: &MemberNames) -> Self {
        let mut index = Self::default();
        let mut above = vec![0];
        for at in 0..names.len() {
            let from = above.last().copied().unwrap_or(0);
            if let Some(Step::Value { name, .. } | Step::Object { name }) = names.step(at) {
                let hash = index.hasher.hash_one((from, name));
                let hasher = &index.hasher;
                let rehash =
                    |&(from, at): &(u32, u32)| hasher.hash_one((from, names.name(at as usize)));
                index.steps.insert_unique(hash, (from, at as u32), rehash);
            }
            match names.step(at) {
                Some(Step::Object { .. }) => above.push(at as u32 + 1),
                Some(Step::End) => drop(above.pop()),
                _ => {}
            }
        }
        index
    }

    fn find(&self, names: &MemberNames, from: usize, name: &str) -> Option<usize> {
        let from = from as u32;
        let is_it = |&(object, at): &(u32, u32)| object == from && names.name(at as usize) == name;
        let found = self.steps.find(self.hasher.hash_one((from, name)), is_it);
        found.map(|(_, at)| *at as usize)
    }
}

/// Where a field was found last, so that records of one shape are asked by name only once.
#[derive(Debug, Default)]
pub(super) struct CachedPosition(AtomicU64);

impl CachedPosition {
    /// The field in records of this shape. O(1) where it was the last one asked for.
    #[inline]
    pub(super) fn find(&self, name: &FieldName, names: &MemberNames) -> Option<FieldPosition> {
        let kept = self.0.load(Ordering::Relaxed);
        if names.id != 0 && (kept >> 32) as u32 == names.id {
            return names.field_at(Target(kept as u32));
        }
        self.find_anew(name, names)
    }

    fn find_anew(&self, name: &FieldName, names: &MemberNames) -> Option<FieldPosition> {
        let position = names.position(name);
        let target = names.target_of(position).0;
        let kept = u64::from(names.id) << 32 | u64::from(target);
        self.0.store(kept, Ordering::Relaxed);
        position
    }
}
