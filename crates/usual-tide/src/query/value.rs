//! Values that rows can be sorted by.

use super::text_prefix::{self, text_prefix};
use std::cmp::Ordering;

/// A value that rows can be sorted by: a total order, and a prefix that is cached beside each row.
///
/// The prefix must keep the order: `a.compare(&b)` is never `Greater` where `a.prefix() <
/// b.prefix()`, among values of one rank. Implement it for your own types by forwarding to a field:
///
/// ```
/// use std::cmp::Ordering;
/// use usual_tide::query::SortValue;
///
/// struct Shelf(String);
///
/// impl SortValue for Shelf {
///     fn prefix(&self) -> u64 { self.0.prefix() }
///     fn compare(&self, other: &Self) -> Ordering { self.0.compare(&other.0) }
/// }
/// assert!(Shelf("A1".into()).prefix() < Shelf("B1".into()).prefix());
/// ```
///
/// ```
/// use usual_tide::query::SortRank;
/// # use usual_tide::query::SortValue;
///
/// assert_eq!(f64::NAN.rank(), SortRank::NotANumber);
/// assert_eq!(None::<u32>.rank(), SortRank::Missing);
/// // Texts with the same first bytes differ in later ones.
/// let (small, large) = ("Celadon bowl, narrow", "Celadon bowl, wide");
/// assert_eq!(small.prefix(), large.prefix());
/// let same = small.bytes_in_prefix(64);
/// assert_eq!(&small[..same], &large[..same]);
/// assert!(small.prefix_from(same) < large.prefix_from(same));
/// ```
#[diagnostic::on_unimplemented(
    message = "rows cannot be sorted by `{Self}`",
    label = "no `SortValue`",
    note = "derive `FieldValue` for an enum or a struct of one unnamed field, or implement `SortValue` by forwarding \
            to a value that has it; `Sort::from_fn` sorts by any comparison"
)]
pub trait SortValue {
    /// How many leading bits of the prefix decide: where these are equal, so are the values. 0 where
    /// a prefix never decides, as with text.
    const DECIDING_BITS: u32 = 0;

    /// Whether some values have another rank than [`SortRank::Value`].
    const RANKED: bool = false;

    /// Values of a rank stay together, in either direction of the sort.
    fn rank(&self) -> SortRank {
        SortRank::Value
    }

    /// The value's beginning as a number, in the order of the values. Of a text it holds about the first eleven bytes, since
    /// frequent letters take fewer bits than others. These numbers are not for keeping: the next version may give others.
    fn prefix(&self) -> u64;

    /// Eight bytes of the value, from one of them on, in the order of the values; `None` where a value has no bytes to speak of.
    fn prefix_from(&self, byte: usize) -> Option<u64> {
        let _ = byte;
        None
    }

    /// How many bytes at the beginning are the same in all values whose prefixes have so many first bits in common. Forward it
    /// where you forward [`prefix_from`](Self::prefix_from); what is given here holds for text.
    fn bytes_in_prefix(&self, bits: u32) -> usize {
        (bits / text_prefix::MOST_BITS) as usize
    }

    /// The ascending order of values of one rank.
    fn compare(&self, other: &Self) -> Ordering;
}

/// What kind of value this is for sorting.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub enum SortRank {
    /// An ordinary value.
    Value,
    /// Not a number; after all numbers in either direction.
    NotANumber,
    /// No value; last in either direction unless the sort says otherwise.
    Missing,
}

macro_rules! sort_unsigned {
    ($($type:ty),*) => {$(
        impl SortValue for $type {
            const DECIDING_BITS: u32 = <$type>::BITS;
            fn prefix(&self) -> u64 {
                (*self as u64) << (u64::BITS - <$type>::BITS)
            }
            fn compare(&self, other: &Self) -> Ordering {
                self.cmp(other)
            }
        }
    )*};
}

macro_rules! sort_signed {
    ($($type:ty as $unsigned:ty),*) => {$(
        impl SortValue for $type {
            const DECIDING_BITS: u32 = <$type>::BITS;
            fn prefix(&self) -> u64 {
                ((*self as $unsigned) ^ (1 << (<$type>::BITS - 1))).prefix()
            }
            fn compare(&self, other: &Self) -> Ordering {
                self.cmp(other)
            }
        }
    )*};
}

sort_unsigned!(u8, u16, u32, u64, usize);
sort_signed!(i8 as u8, i16 as u16, i32 as u32, i64 as u64, isize as usize);

impl SortValue for bool {
    const DECIDING_BITS: u32 = 1;
    fn prefix(&self) -> u64 {
        u64::from(*self) << (u64::BITS - 1)
    }
    fn compare(&self, other: &Self) -> Ordering {
        self.cmp(other)
    }
}

impl SortValue for char {
    const DECIDING_BITS: u32 = 32;
    fn prefix(&self) -> u64 {
        u32::from(*self).prefix()
    }
    fn compare(&self, other: &Self) -> Ordering {
        self.cmp(other)
    }
}

impl SortValue for f64 {
    const DECIDING_BITS: u32 = 64;
    const RANKED: bool = true;
    fn rank(&self) -> SortRank {
        if self.is_nan() {
            SortRank::NotANumber
        } else {
            SortRank::Value
        }
    }
    fn prefix(&self) -> u64 {
        if self.is_nan() {
            return 0;
        }
        // Adding zero makes -0.0 the same as 0.0, as it compares.
        let bits = (self + 0.0).to_bits();
        let negative = bits >> (u64::BITS - 1) == 1;
        if negative {
            !bits
        } else {
            bits | 1 << (u64::BITS - 1)
        }
    }
    fn compare(&self, other: &Self) -> Ordering {
        self.partial_cmp(other).unwrap_or(Ordering::Equal)
    }
}

impl SortValue for f32 {
    const DECIDING_BITS: u32 = 64;
    const RANKED: bool = true;
    fn rank(&self) -> SortRank {
        f64::from(*self).rank()
    }
    fn prefix(&self) -> u64 {
        f64::from(*self).prefix()
    }
    fn compare(&self, other: &Self) -> Ordering {
        self.partial_cmp(other).unwrap_or(Ordering::Equal)
    }
}

/// Text sorts by code point.
impl SortValue for str {
    fn prefix(&self) -> u64 {
        text_prefix(self.as_bytes())
    }
    fn prefix_from(&self, byte: usize) -> Option<u64> {
        Some(byte_prefix(from_byte(self.as_bytes(), byte)))
    }
    fn bytes_in_prefix(&self, bits: u32) -> usize {
        text_prefix::bytes_within(self.as_bytes(), bits)
    }
    fn compare(&self, other: &Self) -> Ordering {
        self.cmp(other)
    }
}

/// Text sorts by code point.
impl SortValue for String {
    fn prefix(&self) -> u64 {
        self.as_str().prefix()
    }
    fn prefix_from(&self, byte: usize) -> Option<u64> {
        self.as_str().prefix_from(byte)
    }
    fn bytes_in_prefix(&self, bits: u32) -> usize {
        self.as_str().bytes_in_prefix(bits)
    }
    fn compare(&self, other: &Self) -> Ordering {
        self.cmp(other)
    }
}

/// What is left of bytes from one of them on.
fn from_byte(bytes: &[u8], byte: usize) -> &[u8] {
    bytes.get(byte..).unwrap_or(&[])
}

fn byte_prefix(bytes: &[u8]) -> u64 {
    if let Some(eight) = bytes.first_chunk() {
        return u64::from_be_bytes(*eight);
    }
    let mut padded = [0; 8];
    padded[..bytes.len()].copy_from_slice(bytes);
    u64::from_be_bytes(padded)
}

/// No value is missing.
impl<V: SortValue> SortValue for Option<V> {
    const DECIDING_BITS: u32 = V::DECIDING_BITS;
    const RANKED: bool = true;
    fn rank(&self) -> SortRank {
        self.as_ref().map_or(SortRank::Missing, V::rank)
    }
    fn prefix(&self) -> u64 {
        self.as_ref().map_or(0, V::prefix)
    }
    fn prefix_from(&self, byte: usize) -> Option<u64> {
        self.as_ref()
            .map_or(Some(0), |value| value.prefix_from(byte))
    }
    fn bytes_in_prefix(&self, bits: u32) -> usize {
        let value = self.as_ref();
        value.map_or(0, |value| value.bytes_in_prefix(bits))
    }
    fn compare(&self, other: &Self) -> Ordering {
        match (self, other) {
            (Some(one), Some(two)) => one.compare(two),
            _ => self.is_none().cmp(&other.is_none()),
        }
    }
}

/// In the order of their bytes, which is that of their making for version 7.
#[cfg(feature = "uuid")]
impl SortValue for uuid::Uuid {
    fn prefix(&self) -> u64 {
        byte_prefix(self.as_bytes())
    }
    fn prefix_from(&self, byte: usize) -> Option<u64> {
        Some(byte_prefix(from_byte(self.as_bytes(), byte)))
    }
    fn bytes_in_prefix(&self, bits: u32) -> usize {
        (bits / u8::BITS) as usize
    }
    fn compare(&self, other: &Self) -> Ordering {
        self.cmp(other)
    }
}
