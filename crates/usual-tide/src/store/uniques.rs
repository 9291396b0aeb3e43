//! Which items hold a value that no two may share.

use super::Store;
use super::one_or_more::OneOrMore;
use crate::item::Item;
use crate::order::Slot;
use hashbrown::HashMap;
use std::sync::Arc;

/// What an item holds for each of the unique rules; none where it is missing.
type Values = Box<[Option<Arc<str>>]>;

/// The values of the unique rules' fields, by value and by item.
pub(super) struct Uniques {
    by_value: Vec<HashMap<Arc<str>, OneOrMore<Slot>>>,
    of_slot: HashMap<Slot, Values>,
    /// What items held before, since the edit under way began.
    undo: Vec<(Slot, Option<Values>)>,
}

impl Uniques {
    pub(super) fn new(rules: usize) -> Self {
        Self {
            by_value: vec![HashMap::new(); rules],
            of_slot: HashMap::new(),
            undo: Vec::new(),
        }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.by_value.is_empty()
    }

    pub(super) fn mark(&self) -> usize {
        self.undo.len()
    }

    pub(super) fn finish_edit(&mut self) {
        self.undo.clear();
    }

    pub(super) fn roll_back(&mut self, mark: usize) {
        while self.undo.len() > mark {
            if let Some((slot, values)) = self.undo.pop() {
                self.put(slot, values);
            }
        }
    }

    /// Notes what an item holds from now on.
    pub(super) fn set(&mut self, slot: Slot, values: Option<Vec<Option<String>>>) {
        let shared = |value: Option<String>| value.map(Arc::from);
        let values = values.map(|values| values.into_iter().map(shared).collect());
        let before = self.put(slot, values);
        self.undo.push((slot, before));
    }

    fn put(&mut self, slot: Slot, values: Option<Values>) -> Option<Values> {
        let before = match &values {
            Some(values) => self.of_slot.insert(slot, values.clone()),
            None => self.of_slot.remove(&slot),
        };
        for (index, values) in self.by_value.iter_mut().zip(before.iter().flatten()) {
            let Some(value) = values else { continue };
            let holders = index.get_mut(value);
            if holders.is_some_and(|holders| !holders.remove(slot)) {
                index.remove(value);
            }
        }
        for (index, value) in self.by_value.iter_mut().zip(values.iter().flatten()) {
            if let Some(value) = value {
                let holders = index.entry(Arc::clone(value));
                holders
                    .and_modify(|holders| holders.add(slot))
                    .or_insert(OneOrMore::One(slot));
            }
        }
        before
    }

    /// How many values are noted, which is as many as there are items that hold one.
    fn len(&self) -> usize {
        self.by_value
            .iter()
            .flat_map(HashMap::values)
            .map(OneOrMore::len)
            .sum()
    }

    fn holders(&self, rule: usize, value: &str) -> impl Iterator<Item = Slot> {
        let holders = self.by_value.get(rule).and_then(|index| index.get(value));
        holders.into_iter().flat_map(OneOrMore::iter)
    }
}

impl<T: Item> Store<T> {
    /// Checks the index against the items.
    pub(super) fn check_uniques(&self) -> Result<(), String> {
        let Some(rules) = self.rules.as_ref().filter(|_| !self.uniques.is_empty()) else {
            return Ok(());
        };
        let mut values = 0;
        for slot in self.base.source.rows() {
            let held = self
                .base
                .items
                .get(slot)
                .map(|item| rules.unique_values(item));
            for (rule, value) in held.into_iter().flatten().enumerate() {
                let Some(value) = value else { continue };
                values += 1;
                let mut holders = self.uniques.holders(rule, &value);
                if !holders.any(|holder| holder == slot) {
                    return Err(format!("{slot:?} holds {value:?} and is not noted"));
                }
            }
        }
        (values == self.uniques.len()).then_some(()).ok_or(format!(
            "{} values are noted, {values} are held",
            self.uniques.len()
        ))
    }

    /// An item that holds a value, other than the one in a row. A blank row holds nothing before its draft is committed.
    pub(super) fn holder(&self, rule: usize, value: &str, than: Option<Slot>) -> Option<T::Key> {
        let is_other = |slot: &Slot| Some(*slot) != than && !self.special.blanks.contains(*slot);
        let slot = self.uniques.holders(rule, value).find(is_other)?;
        Some(self.base.items.get(slot)?.key().clone())
    }
}
