//! The keys of a sort: how they are read from an item.

use super::columns::ColumnOf;
use super::value::{SortRank, SortValue};
use crate::item::{Field, NaturalOrder};
use std::cmp::Ordering;
use std::marker::PhantomData;
use std::sync::Arc;

/// What a level needs to know of a key, whatever its type.
pub(super) trait SortKey<T>: Send + Sync {
    fn ranked(&self) -> bool;
    fn deciding_bits(&self) -> u32;
    fn rank(&self, item: &T) -> SortRank;
    fn prefix(&self, item: &T) -> u64;
    fn prefix_from(&self, item: &T, byte: usize) -> Option<u64>;
    /// How many first bytes are the same in all that tie with an item in so many bits of the prefix.
    fn bytes_in_prefix(&self, item: &T, bits: u32) -> usize;
    /// The eight bytes after those, for which the item is read once.
    fn bytes_past_prefix(&self, item: &T, bits: u32) -> Option<u64> {
        self.prefix_from(item, self.bytes_in_prefix(item, bits))
    }
    fn compare(&self, one: &T, two: &T) -> Ordering;
    /// Rank and prefix, for which the item is read once.
    fn ranked_prefix(&self, item: &T) -> (SortRank, u64) {
        (self.rank(item), self.prefix(item))
    }
    /// How two items compare; their ranks where these are not both those of values.
    fn compare_ranked(&self, one: &T, two: &T) -> Result<Ordering, (SortRank, SortRank)> {
        match (self.rank(one), self.rank(two)) {
            (SortRank::Value, SortRank::Value) => Ok(self.compare(one, two)),
            ranks => Err(ranks),
        }
    }
    /// What the key is, where it is data and no closure.
    fn identity(&self) -> Option<KeyIdentity> {
        None
    }
    /// Bytes in the order of the key, which can be kept of each item.
    fn column(&self) -> Option<Arc<dyn ColumnOf<T>>> {
        None
    }
}

/// The identity of a sort key. Keys with the same identity have the same order.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) struct KeyIdentity {
    /// The name of the field.
    pub(super) field: String,
    /// How its values are compared.
    pub(super) by: KeyOrder,
    /// How the field sorts where a sort says no more than its name.
    pub(super) natural: NaturalOrder,
}

/// How the values of a field are compared.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) enum KeyOrder {
    /// As the field's own type.
    Typed,
    /// As values of any kind.
    Value,
    /// As text, by a collation of this identity.
    Collated(String),
}

/// A key that lends a part of the item.
pub(super) struct ByPart<F, V: ?Sized> {
    get: F,
    value: PhantomData<fn(&V)>,
}

impl<F, V: ?Sized> ByPart<F, V> {
    pub(super) fn new(get: F) -> Self {
        let value = PhantomData;
        Self { get, value }
    }
}

impl<T, V, F> SortKey<T> for ByPart<F, V>
where
    F: Fn(&T) -> &V + Send + Sync,
    V: SortValue + ?Sized,
{
    fn ranked(&self) -> bool {
        V::RANKED
    }
    fn deciding_bits(&self) -> u32 {
        V::DECIDING_BITS
    }
    fn rank(&self, item: &T) -> SortRank {
        (self.get)(item).rank()
    }
    fn prefix(&self, item: &T) -> u64 {
        (self.get)(item).prefix()
    }
    fn prefix_from(&self, item: &T, byte: usize) -> Option<u64> {
        (self.get)(item).prefix_from(byte)
    }
    fn bytes_in_prefix(&self, item: &T, bits: u32) -> usize {
        (self.get)(item).bytes_in_prefix(bits)
    }
    fn compare(&self, one: &T, two: &T) -> Ordering {
        (self.get)(one).compare((self.get)(two))
    }
}

/// A field, which may be a part of one that is missing.
pub(super) struct ByField<T, V>(pub(super) Field<T, V>);

impl<T: 'static, V: SortValue + 'static> SortKey<T> for ByField<T, V> {
    fn ranked(&self) -> bool {
        V::RANKED || self.0.is_optional()
    }
    fn deciding_bits(&self) -> u32 {
        V::DECIDING_BITS
    }
    fn rank(&self, item: &T) -> SortRank {
        self.0.get(item).map_or(SortRank::Missing, V::rank)
    }
    fn prefix(&self, item: &T) -> u64 {
        self.0.get(item).map_or(0, V::prefix)
    }
    fn prefix_from(&self, item: &T, byte: usize) -> Option<u64> {
        let value = self.0.get(item);
        value.map_or(Some(0), |value| value.prefix_from(byte))
    }
    fn bytes_in_prefix(&self, item: &T, bits: u32) -> usize {
        let value = self.0.get(item);
        value.map_or(0, |value| value.bytes_in_prefix(bits))
    }
    fn compare(&self, one: &T, two: &T) -> Ordering {
        match (self.0.get(one), self.0.get(two)) {
            (Some(one), Some(two)) => one.compare(two),
            // Their ranks differ.
            _ => Ordering::Equal,
        }
    }
    fn identity(&self) -> Option<KeyIdentity> {
        Some(KeyIdentity {
            field: self.0.name().to_owned(),
            by: KeyOrder::Typed,
            natural: self.0.natural_order(),
        })
    }
}

/// A key that computes a value.
pub(super) struct ByValue<F, V> {
    get: F,
    value: PhantomData<fn(V)>,
}

impl<F, V> ByValue<F, V> {
    pub(super) fn new(get: F) -> Self {
        let value = PhantomData;
        Self { get, value }
    }
}

impl<T, V, F> SortKey<T> for ByValue<F, V>
where
    F: Fn(&T) -> V + Send + Sync,
    V: SortValue,
{
    fn ranked(&self) -> bool {
        V::RANKED
    }
    fn deciding_bits(&self) -> u32 {
        V::DECIDING_BITS
    }
    fn rank(&self, item: &T) -> SortRank {
        (self.get)(item).rank()
    }
    fn prefix(&self, item: &T) -> u64 {
        (self.get)(item).prefix()
    }
    fn prefix_from(&self, item: &T, byte: usize) -> Option<u64> {
        (self.get)(item).prefix_from(byte)
    }
    fn bytes_in_prefix(&self, item: &T, bits: u32) -> usize {
        (self.get)(item).bytes_in_prefix(bits)
    }
    fn compare(&self, one: &T, two: &T) -> Ordering {
        (self.get)(one).compare(&(self.get)(two))
    }
}

/// A key without a value: only the order of two items is known.
pub(super) struct ByComparison<F>(pub(super) F);

impl<T, F> SortKey<T> for ByComparison<F>
where
    F: Fn(&T, &T) -> Ordering + Send + Sync,
{
    fn ranked(&self) -> bool {
        false
    }
    fn deciding_bits(&self) -> u32 {
        0
    }
    fn rank(&self, _: &T) -> SortRank {
        SortRank::Value
    }
    fn prefix(&self, _: &T) -> u64 {
        0
    }
    fn prefix_from(&self, _: &T, _: usize) -> Option<u64> {
        None
    }
    fn bytes_in_prefix(&self, _: &T, _: u32) -> usize {
        0
    }
    fn compare(&self, one: &T, two: &T) -> Ordering {
        (self.0)(one, two)
    }
}
