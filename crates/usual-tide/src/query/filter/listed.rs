//! The values of which one is to be equal to a field's.

use super::operand::Operand;
use crate::item::Value;
use hashbrown::HashSet;
use std::cmp::Ordering;

/// A list of values, with a table where they are many of one kind, so that one is found without a look at each.
pub(super) struct Listed<T> {
    operands: Vec<Operand<T>>,
    table: Table,
}

enum Table {
    None,
    Texts(HashSet<Box<str>>),
    Integers(HashSet<i128>),
}

/// From so many values on a table is worth it.
const MANY: usize = 8;

impl<T> Listed<T> {
    pub(super) fn new(operands: Vec<Operand<T>>) -> Self {
        let text = |operand: &Operand<T>| match operand {
            Operand::Literal(Value::Text(text)) => Some(Box::from(&**text)),
            _ => None,
        };
        let integer = |operand: &Operand<T>| match operand {
            Operand::Literal(Value::Integer(number)) => Some(*number),
            _ => None,
        };
        let table = if operands.len() < MANY {
            Table::None
        } else if let Some(texts) = operands.iter().map(text).collect() {
            Table::Texts(texts)
        } else if let Some(integers) = operands.iter().map(integer).collect() {
            Table::Integers(integers)
        } else {
            Table::None
        };
        Self { operands, table }
    }

    pub(super) fn operands(&self) -> &[Operand<T>] {
        &self.operands
    }

    /// Whether an operand has one of the values; `None` where that is unknown.
    pub(super) fn holds(&self, operand: &Operand<T>, item: &T) -> Option<bool> {
        match (&self.table, operand.value(item)) {
            (Table::Texts(texts), Value::Text(text)) => return Some(texts.contains(&*text)),
            (Table::Integers(integers), Value::Integer(number)) => {
                return Some(integers.contains(&number));
            }
            _ => {}
        }
        let mut known = true;
        for other in &self.operands {
            match operand.compare(item, &other.value(item)) {
                Some(Ordering::Equal) => return Some(true),
                Some(_) => {}
                None => known = false,
            }
        }
        known.then_some(false)
    }
}

impl<T> PartialEq for Listed<T> {
    fn eq(&self, other: &Self) -> bool {
        self.operands == other.operands
    }
}
