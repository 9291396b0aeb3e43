//! A condition as the tree of its text.

use super::ast::{Operand as Written, Sign, Term, Test};
use super::check::read_number;
use crate::item::{Kind, Value};
use crate::query::filter::arithmetic::Computed;
use crate::query::filter::condition::Node;
use crate::query::filter::operand::Operand;
use crate::text::Folding;

/// `None` where a part has no text.
pub(super) fn test<T>(node: &Node<T>) -> Option<Test> {
    let all = |nodes: &[Node<T>]| nodes.iter().map(test).collect::<Option<Vec<Test>>>();
    Some(match node {
        Node::Always(flag) => Test::Always(*flag),
        Node::Shared(node) => test(node)?,
        Node::Not(node) => Test::Not(Box::new(test(node)?)),
        Node::All(nodes) => Test::And(all(nodes)?),
        Node::Any(nodes) => Test::Or(all(nodes)?),
        Node::Field(test, _) => Test::Compare(
            field(test.field.name()),
            test.comparison,
            literal(&test.value, test.field.kind() == Kind::Float)?,
        ),
        Node::Compare(left, comparison, right) => {
            Test::Compare(beside(left, right)?, *comparison, beside(right, left)?)
        }
        Node::Like(operand, _, pattern) => Test::Like {
            negated: false,
            term: term(operand)?,
            pattern: term(pattern)?,
        },
        Node::Between(operand, low, high) => Test::Between {
            negated: false,
            term: term(operand)?,
            bounds: Box::new((beside(low, operand)?, beside(high, operand)?)),
        },
        Node::In(operand, list) if !list.operands().is_empty() => Test::In {
            negated: false,
            term: term(operand)?,
            list: list
                .operands()
                .iter()
                .map(|other| beside(other, operand))
                .collect::<Option<Vec<Term>>>()?,
        },
        Node::In(..) | Node::Closure(_) => return None,
        Node::IsMissing(operand) => Test::IsNull {
            negated: false,
            term: term(operand)?,
        },
    })
}

fn of(what: Written) -> Term {
    Term { column: 1, what }
}

fn field(name: &str) -> Term {
    of(Written::Field {
        name: name.to_owned(),
        quoted: false,
    })
}

/// An operand that is compared with another.
fn beside<T>(operand: &Operand<T>, other: &Operand<T>) -> Option<Term> {
    match (operand, other) {
        (Operand::Literal(value), Operand::Field(field)) => {
            literal(value, field.kind() == Kind::Float)
        }
        _ => term(operand),
    }
}

fn term<T>(operand: &Operand<T>) -> Option<Term> {
    let inner = |operand: &Operand<T>| term(operand).map(Box::new);
    let computed = match operand {
        Operand::Literal(value) => return literal(value, false),
        Operand::Field(of) => return Some(field(of.name())),
        Operand::Computed(computed) => &**computed,
    };
    Some(of(match computed {
        Computed::Negative(operand) => Written::Negative(inner(operand)?),
        Computed::Chain(first, rest) => {
            let sums = matches!(rest.first(), Some((Sign::Plus | Sign::Minus, _)));
            let rest = rest
                .iter()
                .map(|(sign, operand)| Some((*sign, term(operand)?)));
            let rest = rest.collect::<Option<Vec<_>>>()?;
            match sums {
                true => Written::Sum(inner(first)?, rest),
                false => Written::Product(inner(first)?, rest),
            }
        }
        Computed::Power(base, exponent) => Written::Power(inner(base)?, inner(exponent)?),
        Computed::Folded(Folding::Case, operand) => Written::Casei(inner(operand)?),
        Computed::Folded(Folding::Accents, operand) => Written::Accenti(inner(operand)?),
        Computed::Folded(..) => return None,
    }))
}

/// A value as it is written. Beside a float any number is read as one; elsewhere a float needs more digits than an
/// exact number has.
fn literal(value: &Value<'_>, beside_float: bool) -> Option<Term> {
    let number = |text: String| match text.strip_prefix('-') {
        Some(positive) => Written::Negative(Box::new(of(Written::Number(positive.to_owned())))),
        None => Written::Number(text),
    };
    Some(of(match value {
        Value::Text(text) => Written::Text(text.clone().into_owned()),
        Value::Bool(flag) => Written::Bool(*flag),
        Value::Integer(integer) => number(integer.to_string()),
        Value::Decimal(decimal) => number(decimal.to_string()),
        Value::Float(float) if float.is_finite() => {
            // The shortest text that reads as the same float.
            let shortest = format!("{float:?}");
            match beside_float || is_float(&shortest) {
                true => number(shortest),
                false => number(format!("{float:.60}")),
            }
        }
        Value::Date(date) => Written::Date(*date),
        Value::Timestamp(moment) => Written::Timestamp(*moment),
        _ => return None,
    }))
}

fn is_float(number: &str) -> bool {
    let digits = number.strip_prefix('-').unwrap_or(number);
    matches!(read_number(digits), Some(Value::Float(_)))
}
