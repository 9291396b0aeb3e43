//! More standard types that rows can be sorted by.

use super::value::{SortRank, SortValue};
use std::borrow::Cow;
use std::cmp::Ordering;
use std::num::NonZero;
use std::sync::Arc;
use std::time::{Duration, SystemTime};

/// What is pointed to.
macro_rules! sort_pointed_to {
    ($([$($parameters:tt)*] $type:ty, $inner:ty;)*) => {$(
        impl<$($parameters)*> SortValue for $type {
            const DECIDING_BITS: u32 = <$inner>::DECIDING_BITS;
            const RANKED: bool = <$inner>::RANKED;
            fn rank(&self) -> SortRank {
                (**self).rank()
            }
            fn prefix(&self) -> u64 {
                (**self).prefix()
            }
            fn prefix_from(&self, byte: usize) -> Option<u64> {
                (**self).prefix_from(byte)
            }
            fn bytes_in_prefix(&self, bits: u32) -> usize {
                (**self).bytes_in_prefix(bits)
            }
            fn compare(&self, other: &Self) -> Ordering {
                (**self).compare(&**other)
            }
        }
    )*};
}

sort_pointed_to! {
    [V: SortValue + ?Sized] &V, V;
    [V: SortValue + ?Sized] Box<V>, V;
    [V: SortValue + ?Sized] Arc<V>, V;
    ['a, V: SortValue + ToOwned + ?Sized] Cow<'a, V>, V;
}

macro_rules! sort_large {
    ($($type:ty as $clamped:ty),*) => {$(
        impl SortValue for $type {
            /// Of the numbers that `u64` or `i64` holds; larger ones all have the prefix of the largest.
            fn prefix(&self) -> u64 {
                let (least, most) = (<$type>::from(<$clamped>::MIN), <$type>::from(<$clamped>::MAX));
                ((*self).clamp(least, most) as $clamped).prefix()
            }
            fn compare(&self, other: &Self) -> Ordering {
                self.cmp(other)
            }
        }
    )*};
}

sort_large!(i128 as i64, u128 as u64);

macro_rules! sort_not_zero {
    ($($number:ty),*) => {$(
        impl SortValue for NonZero<$number> {
            const DECIDING_BITS: u32 = <$number>::DECIDING_BITS;
            fn prefix(&self) -> u64 {
                self.get().prefix()
            }
            fn compare(&self, other: &Self) -> Ordering {
                self.cmp(other)
            }
        }
    )*};
}

sort_not_zero!(u8, u16, u32, u64, usize, i8, i16, i32, i64, isize);

impl SortValue for Duration {
    fn prefix(&self) -> u64 {
        self.as_nanos().prefix()
    }
    fn compare(&self, other: &Self) -> Ordering {
        self.cmp(other)
    }
}

impl SortValue for SystemTime {
    fn prefix(&self) -> u64 {
        let since = |earlier: Duration| i128::try_from(earlier.as_nanos()).unwrap_or(i128::MAX);
        let at = match self.duration_since(Self::UNIX_EPOCH) {
            Ok(after) => since(after),
            Err(before) => -since(before.duration()),
        };
        at.prefix()
    }
    fn compare(&self, other: &Self) -> Ordering {
        self.cmp(other)
    }
}
