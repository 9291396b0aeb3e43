//! A condition as the tree of its text.

use super::ast::{Operand as Written, Sign, Term, Test};
use crate::item::Value;
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
            literal(&test.value)?,
        ),
        Node::Compare(left, comparison, right) => {
            Test::Compare(term(left)?, *comparison, term(right)?)
        }
        Node::Like(operand, _, pattern) => Test::Like {
            negated: false,
            term: term(operand)?,
            pattern: term(pattern)?,
        },
        Node::Between(operand, low, high) => Test::Between {
            negated: false,
            term: term(operand)?,
            bounds: Box::new((term(low)?, term(high)?)),
        },
        Node::In(operand, list) if !list.is_empty() => Test::In {
            negated: false,
            term: term(operand)?,
            list: list.iter().map(term).collect::<Option<Vec<Term>>>()?,
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

fn term<T>(operand: &Operand<T>) -> Option<Term> {
    let inner = |operand: &Operand<T>| term(operand).map(Box::new);
    let computed = match operand {
        Operand::Literal(value) => return literal(value),
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

fn literal(value: &Value<'_>) -> Option<Term> {
    let number = |text: String| match text.strip_prefix('-') {
        Some(positive) => Written::Negative(Box::new(of(Written::Number(positive.to_owned())))),
        None => Written::Number(text),
    };
    Some(of(match value {
        Value::Text(text) => Written::Text(text.clone().into_owned()),
        Value::Bool(flag) => Written::Bool(*flag),
        Value::Integer(integer) => number(integer.to_string()),
        Value::Decimal(decimal) => number(decimal.to_string()),
        // The shortest text that reads as the same float.
        Value::Float(float) if float.is_finite() => number(format!("{float:?}")),
        Value::Date(date) => Written::Date(*date),
        Value::Timestamp(moment) => Written::Timestamp(*moment),
        _ => return None,
    }))
}
