//! A tree of text to a condition: fields found, kinds checked, literals read.

use super::ast::{Operand as Written, Term, Test};
use crate::item::{Kind, Value};
use crate::query::filter::arithmetic::Computed;
use crate::query::filter::condition::{Condition, Node};
use crate::query::filter::like::Pattern;
use crate::query::filter::listed::Listed;
use crate::query::filter::operand::Operand;
use crate::query::lookup::{FieldLookup, nearest};
use crate::query::text_error::{QueryTextError, QueryTextProblem};
use crate::text::Folding;
use rust_decimal::Decimal;
use std::str::FromStr;

type Checked<T> = Result<T, QueryTextError>;

pub(super) fn check<T: 'static>(
    test: &Test,
    fields: &impl FieldLookup<T>,
) -> Checked<Condition<T>> {
    let node = Checker { fields }.test(test)?;
    Ok(Condition::of(node))
}

struct Checker<'a, L> {
    fields: &'a L,
}

/// A checked value with its kind.
struct Typed<T> {
    operand: Operand<T>,
    kind: Kind,
    column: usize,
}

impl<L> Checker<'_, L> {
    fn test<T: 'static>(&self, test: &Test) -> Checked<Node<T>>
    where
        L: FieldLookup<T>,
    {
        let all = |tests: &[Test]| -> Checked<Vec<Node<T>>> {
            tests.iter().map(|test| self.test(test)).collect()
        };
        let (negated, node) = match test {
            Test::Always(flag) => (false, Node::Always(*flag)),
            Test::Not(test) => (true, self.test(test)?),
            Test::And(tests) => (false, Node::All(all(tests)?)),
            Test::Or(tests) => (false, Node::Any(all(tests)?)),
            Test::Compare(left, comparison, right) => {
                let (left, right) = pair(self.term(left)?, self.term(right)?)?;
                let node = match (left.operand, right.operand) {
                    (Operand::Field(field), Operand::Literal(value)) => {
                        Node::field(field, *comparison, value)
                    }
                    (left, right) => Node::Compare(left, *comparison, right),
                };
                (false, node)
            }
            Test::Like {
                negated,
                term,
                pattern,
            } => {
                let term = self.term(term)?.needed(Kind::Text)?;
                let written = written_pattern(pattern);
                let node = Node::Like(term.operand, read_pattern(pattern), written);
                (*negated, node)
            }
            Test::Between {
                negated,
                term,
                bounds,
            } => {
                let (term, low) = pair(self.term(term)?, self.term(&bounds.0)?)?;
                let (term, high) = pair(term, self.term(&bounds.1)?)?;
                let node = Node::Between(term.operand, low.operand, high.operand);
                (*negated, node)
            }
            Test::In {
                negated,
                term,
                list,
            } => {
                let mut term = self.term(term)?;
                let mut operands = Vec::with_capacity(list.len());
                for other in list {
                    let (left, right) = pair(term, self.term(other)?)?;
                    term = left;
                    operands.push(right.operand);
                }
                (*negated, Node::In(term.operand, Listed::new(operands)))
            }
            Test::IsNull { negated, term } => (*negated, Node::IsMissing(self.term(term)?.operand)),
        };
        Ok(if negated {
            Node::Not(Box::new(node))
        } else {
            node
        })
    }

    fn term<T>(&self, term: &Term) -> Checked<Typed<T>>
    where
        L: FieldLookup<T>,
    {
        let column = term.column;
        let number = |term: &Term| -> Checked<Operand<T>> {
            Ok(self.term(term)?.needed(Kind::Decimal)?.operand)
        };
        let literal = |value| Operand::Literal(value);
        let (operand, kind) = match &term.what {
            Written::Text(text) => (literal(Value::from(text.clone())), Kind::Text),
            Written::Number(text) => {
                let value = read_number(text);
                let bad = QueryTextProblem::BadNumber(text.clone());
                (literal(value.ok_or(bad.at(column))?), Kind::Decimal)
            }
            Written::Bool(flag) => (literal(Value::Bool(*flag)), Kind::Bool),
            Written::Date(date) => (literal(Value::Date(*date)), Kind::Date),
            Written::Timestamp(moment) => (literal(Value::Timestamp(*moment)), Kind::Timestamp),
            Written::Field { name, .. } => {
                let field = self.fields.field(name);
                let field = field.ok_or_else(|| self.unknown(name).at(column))?;
                let kind = field.kind();
                (Operand::Field(field), kind)
            }
            Written::Negative(term) => {
                let operand = match number(term)? {
                    Operand::Literal(value) => Operand::Literal(negated(value)),
                    operand => computed(Computed::Negative(operand)),
                };
                (operand, Kind::Decimal)
            }
            Written::Sum(first, rest) | Written::Product(first, rest) => {
                let part = |(sign, term): &(_, Term)| Ok((*sign, number(term)?));
                let rest = rest.iter().map(part).collect::<Checked<Vec<_>>>()?;
                (
                    computed(Computed::Chain(number(first)?, rest)),
                    Kind::Decimal,
                )
            }
            Written::Power(base, exponent) => (
                computed(Computed::Power(number(base)?, number(exponent)?)),
                Kind::Decimal,
            ),
            Written::Casei(inner) => (self.folded(Folding::Case, inner)?, Kind::Text),
            Written::Accenti(inner) => (self.folded(Folding::Accents, inner)?, Kind::Text),
        };
        Ok(Typed {
            operand,
            kind,
            column,
        })
    }

    fn folded<T>(&self, folding: Folding, inner: &Term) -> Checked<Operand<T>>
    where
        L: FieldLookup<T>,
    {
        let inner = self.term(inner)?.needed(Kind::Text)?;
        Ok(match inner.operand {
            Operand::Literal(Value::Text(text)) => {
                Operand::Literal(Value::from(folding.fold(&text)))
            }
            operand => computed(Computed::Folded(folding, operand)),
        })
    }

    fn unknown<T>(&self, name: &str) -> QueryTextProblem
    where
        L: FieldLookup<T>,
    {
        QueryTextProblem::UnknownField {
            name: name.to_owned(),
            nearest: nearest(name, self.fields),
        }
    }
}

impl<T> Typed<T> {
    fn needed(self, needed: Kind) -> Checked<Self> {
        if comparable(self.kind, needed) {
            return Ok(self);
        }
        let found = self.kind;
        Err(QueryTextProblem::WrongKind { needed, found }.at(self.column))
    }
}

/// A literal number with the other sign.
fn negated(value: Value<'static>) -> Value<'static> {
    match value {
        Value::Integer(integer) => Value::Integer(integer.saturating_neg()),
        Value::Decimal(decimal) => Value::Decimal(-decimal),
        Value::Float(float) => Value::Float(-float),
        other => other,
    }
}

/// Two values that are compared with each other; a number beside a float is read as one.
fn pair<T>(left: Typed<T>, right: Typed<T>) -> Checked<(Typed<T>, Typed<T>)> {
    if !comparable(left.kind, right.kind) {
        let problem = QueryTextProblem::CannotCompare {
            left: left.kind,
            right: right.kind,
        };
        return Err(problem.at(right.column));
    }
    let (left_kind, right_kind) = (left.kind, right.kind);
    Ok((beside(left, right_kind), beside(right, left_kind)))
}

fn beside<T>(mut typed: Typed<T>, other: Kind) -> Typed<T> {
    use rust_decimal::prelude::ToPrimitive;
    if other == Kind::Float
        && let Operand::Literal(Value::Decimal(number)) = &typed.operand
        && let Some(number) = number.to_f64()
    {
        typed.operand = Operand::Literal(Value::Float(number));
    }
    typed
}

fn computed<T>(computed: Computed<T>) -> Operand<T> {
    Operand::Computed(Box::new(computed))
}

fn comparable(one: Kind, two: Kind) -> bool {
    /// Kinds of one family can be compared.
    fn family(kind: Kind) -> Kind {
        match kind {
            Kind::Integer | Kind::Float => Kind::Decimal,
            Kind::Timestamp => Kind::Date,
            Kind::Choice => Kind::Text,
            kind => kind,
        }
    }
    let (one, two) = (family(one), family(two));
    one == Kind::Any || two == Kind::Any || one == two && one != Kind::List
}

/// A number, exactly where it can be.
pub(super) fn read_number(text: &str) -> Option<Value<'static>> {
    let plain = text.strip_suffix('.').unwrap_or(text);
    if let Ok(integer) = plain.parse() {
        return Some(Value::Integer(integer));
    }
    let decimal = Decimal::from_str_exact(plain).or_else(|_| Decimal::from_scientific(plain));
    if let Ok(decimal) = decimal {
        return Some(Value::Decimal(decimal));
    }
    let float = f64::from_str(text).ok()?;
    float.is_finite().then_some(Value::Float(float))
}

/// The pattern as it is written.
fn written_pattern<T>(term: &Term) -> Operand<T> {
    let inner = |folding, inner| computed(Computed::Folded(folding, written_pattern(inner)));
    match &term.what {
        Written::Casei(within) => inner(Folding::Case, within),
        Written::Accenti(within) => inner(Folding::Accents, within),
        Written::Text(text) => Operand::Literal(Value::from(text.clone())),
        // The grammar lets nothing else pass.
        _ => Operand::Literal(Value::Missing),
    }
}

/// The pattern, folded from the inside out; the wildcards stay what they are.
fn read_pattern(term: &Term) -> Pattern {
    let mut folds = Vec::new();
    let mut inner = term;
    loop {
        match &inner.what {
            Written::Casei(within) => {
                folds.push(Folding::Case);
                inner = within;
            }
            Written::Accenti(within) => {
                folds.push(Folding::Accents);
                inner = within;
            }
            Written::Text(text) => {
                folds.reverse();
                return Pattern::read(text, &folds);
            }
            // The grammar lets nothing else pass.
            _ => return Pattern::read("", &[]),
        }
    }
}
