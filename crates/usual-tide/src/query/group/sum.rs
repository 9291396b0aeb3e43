//! Sums that numbers can be taken out of again, exactly.

use crate::item::Value;
#[cfg(feature = "decimals")]
use rust_decimal::{
    Decimal,
    prelude::{FromPrimitive, ToPrimitive},
};
use std::collections::BTreeMap;

/// Numbers that add up, whatever comes and goes: what is left is what a new sum of the same
/// numbers would be. Whole numbers, decimals of one scale and floats of one exponent are added as integers
/// of their own, so nothing is rounded before the end.
#[derive(Clone, Default, Debug)]
pub(super) struct Sum {
    numbers: usize,
    /// Whole numbers, their low 64 bits apart from the rest, so that no sum overflows.
    low: i128,
    high: i128,
    /// Mantissas of decimals by scale.
    decimals: BTreeMap<u32, i128>,
    /// Mantissas of floats by exponent.
    floats: BTreeMap<i32, i128>,
    finite_floats: usize,
    not_numbers: usize,
    infinite: [usize; 2],
}

impl Sum {
    /// Adds a number this many times, or takes it out again; what is no number counts for nothing.
    pub(super) fn change(&mut self, value: &Value<'_>, put_in: bool) {
        let sign = if put_in { 1 } else { -1 };
        let step = |count: &mut usize| {
            *count = if put_in {
                *count + 1
            } else {
                count.saturating_sub(1)
            };
        };
        match value {
            Value::Integer(number) => {
                self.low += sign * (number & i128::from(u64::MAX));
                self.high += sign * (number >> 64);
            }
            #[cfg(feature = "decimals")]
            Value::Decimal(number) => {
                let sum = self.decimals.entry(number.scale()).or_default();
                *sum += sign * number.mantissa();
                if *sum == 0 {
                    self.decimals.remove(&number.scale());
                }
            }
            Value::Float(number) if number.is_nan() => step(&mut self.not_numbers),
            Value::Float(number) if number.is_infinite() => {
                step(&mut self.infinite[usize::from(*number < 0.0)]);
            }
            Value::Float(number) => {
                let (mantissa, exponent) = parts(*number);
                let sum = self.floats.entry(exponent).or_default();
                *sum += sign * i128::from(mantissa);
                if *sum == 0 {
                    self.floats.remove(&exponent);
                }
                step(&mut self.finite_floats);
            }
            _ => return,
        }
        step(&mut self.numbers);
    }

    /// The sum: whole, else decimal, else, where a float is in it or it is too large, a float; missing
    /// without numbers.
    pub(super) fn total(&self) -> Value<'static> {
        if self.numbers == 0 {
            return Value::Missing;
        }
        if self.is_exact()
            && let Some(total) = self.exact()
        {
            return total;
        }
        Value::Float(self.rounded())
    }

    /// The sum over the count of numbers.
    pub(super) fn mean(&self) -> Value<'static> {
        if self.numbers == 0 {
            return Value::Missing;
        }
        #[cfg(feature = "decimals")]
        if let Some(mean) = self.exact_mean() {
            return Value::Decimal(mean.normalize());
        }
        Value::Float(self.rounded() / self.numbers as f64)
    }

    #[cfg(feature = "decimals")]
    fn exact_mean(&self) -> Option<Decimal> {
        let total = match self.total() {
            Value::Integer(total) => Decimal::try_from_i128_with_scale(total, 0).ok()?,
            Value::Decimal(total) => total,
            _ => return None,
        };
        total.checked_div(Decimal::from_usize(self.numbers)?)
    }

    fn is_exact(&self) -> bool {
        self.finite_floats == 0 && self.not_numbers == 0 && self.infinite == [0, 0]
    }

    fn whole(&self) -> Option<i128> {
        // The low part may be many times 2^64 by now.
        let high = self.high.checked_add(self.low >> 64)?;
        let low = self.low & i128::from(u64::MAX);
        high.checked_mul(1 << 64)?.checked_add(low)
    }

    /// `None` where no exact value can hold it.
    fn exact(&self) -> Option<Value<'static>> {
        let whole = self.whole()?;
        let Some(scale) = self.decimals.keys().next_back().copied() else {
            return Some(Value::Integer(whole));
        };
        // All at one scale, where nothing is rounded.
        let at_scale = |number: i128, of: u32| number.checked_mul(10_i128.checked_pow(scale - of)?);
        let mut total = at_scale(whole, 0)?;
        for (of, mantissa) in &self.decimals {
            total = total.checked_add(at_scale(*mantissa, *of)?)?;
        }
        as_decimal(total, scale)
    }

    fn rounded(&self) -> f64 {
        match (self.not_numbers, self.infinite) {
            (0, [0, 0]) => {}
            (0, [_, 0]) => return f64::INFINITY,
            (0, [0, _]) => return f64::NEG_INFINITY,
            _ => return f64::NAN,
        }
        let whole = self.high as f64 * 2_f64.powi(64) + self.low as f64;
        let decimals = self.decimals.iter();
        let decimals = decimals.map(|(scale, mantissa)| as_float(*mantissa, *scale));
        // The small ones first, so that little of them is lost.
        let floats = self.floats.iter();
        let floats: f64 = floats
            .map(|(exponent, mantissa)| scaled(*mantissa, *exponent))
            .sum();
        floats + decimals.sum::<f64>() + whole
    }
}

/// An exact decimal number, without the zeros at its end that do not fit.
#[cfg(feature = "decimals")]
fn as_decimal(mut mantissa: i128, mut scale: u32) -> Option<Value<'static>> {
    loop {
        if let Ok(number) = Decimal::try_from_i128_with_scale(mantissa, scale) {
            return Some(Value::Decimal(number));
        }
        if scale == 0 || mantissa % 10 != 0 {
            return None;
        }
        (mantissa, scale) = (mantissa / 10, scale - 1);
    }
}

/// No field holds decimal numbers.
#[cfg(not(feature = "decimals"))]
fn as_decimal(_: i128, _: u32) -> Option<Value<'static>> {
    None
}

fn as_float(mantissa: i128, scale: u32) -> f64 {
    #[cfg(feature = "decimals")]
    if let Ok(number) = Decimal::try_from_i128_with_scale(mantissa, scale)
        && let Some(float) = number.to_f64()
    {
        return float;
    }
    mantissa as f64 / 10_f64.powi(scale as i32)
}

/// A finite number as mantissa and exponent of two (IEEE 754, binary64).
fn parts(number: f64) -> (i64, i32) {
    let bits = number.to_bits();
    let fraction = (bits & ((1 << 52) - 1)) as i64;
    let exponent = (bits >> 52 & 0x7ff) as i32;
    let (mantissa, exponent) = match exponent {
        0 => (fraction, -1074),
        _ => (fraction | 1 << 52, exponent - 1075),
    };
    (if number < 0.0 { -mantissa } else { mantissa }, exponent)
}

/// In two factors, since a single one can be out of range where the product is not.
fn scaled(mantissa: i128, exponent: i32) -> f64 {
    let half = exponent / 2;
    mantissa as f64 * 2_f64.powi(half) * 2_f64.powi(exponent - half)
}
