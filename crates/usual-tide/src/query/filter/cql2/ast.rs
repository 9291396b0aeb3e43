//! A filter's text as a tree, and the tree as text again.

use super::lexer::is_plain_name;
use crate::query::filter::comparison::Comparison;
use jiff::Timestamp;
use jiff::civil::Date;
use std::fmt;

/// A condition.
#[derive(Clone, PartialEq, Debug)]
pub(in crate::query::filter) enum Test {
    Always(bool),
    Not(Box<Test>),
    And(Vec<Test>),
    Or(Vec<Test>),
    Compare(Term, Comparison, Term),
    Like {
        negated: bool,
        term: Term,
        pattern: Term,
    },
    Between {
        negated: bool,
        term: Term,
        bounds: Box<(Term, Term)>,
    },
    In {
        negated: bool,
        term: Term,
        list: Vec<Term>,
    },
    IsNull {
        negated: bool,
        term: Term,
    },
}

/// A value, with the column where it begins.
#[derive(Clone, Debug)]
pub(in crate::query::filter) struct Term {
    pub(super) column: usize,
    pub(super) what: Operand,
}

/// Two terms are equal wherever they are in the text.
impl PartialEq for Term {
    fn eq(&self, other: &Self) -> bool {
        self.what == other.what
    }
}

#[derive(Clone, PartialEq, Debug)]
pub(in crate::query::filter) enum Operand {
    Text(String),
    /// A number as it is written.
    Number(String),
    Bool(bool),
    Date(Date),
    Timestamp(Timestamp),
    Field {
        name: String,
        quoted: bool,
    },
    Negative(Box<Term>),
    /// Sums and differences, from left to right.
    Sum(Box<Term>, Vec<(Sign, Term)>),
    /// Products and quotients, from left to right.
    Product(Box<Term>, Vec<(Sign, Term)>),
    Power(Box<Term>, Box<Term>),
    Casei(Box<Term>),
    Accenti(Box<Term>),
}

/// An arithmetic operator.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(in crate::query::filter) enum Sign {
    Plus,
    Minus,
    Times,
    Over,
    Remainder,
    WholeQuotient,
}

impl Comparison {
    fn sign(self) -> &'static str {
        match self {
            Self::Equal => "=",
            Self::NotEqual => "<>",
            Self::Less => "<",
            Self::AtMost => "<=",
            Self::Greater => ">",
            Self::AtLeast => ">=",
        }
    }
}

impl Sign {
    fn text(self) -> &'static str {
        match self {
            Self::Plus => "+",
            Self::Minus => "-",
            Self::Times => "*",
            Self::Over => "/",
            Self::Remainder => "%",
            Self::WholeQuotient => "div",
        }
    }
}

impl Test {
    /// Whether it needs brackets as a part of AND.
    fn in_and(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::And(_) | Self::Or(_) => write!(f, "({self})"),
            _ => write!(f, "{self}"),
        }
    }

    /// Whether it needs brackets behind NOT.
    fn behind_not(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::And(_) | Self::Or(_) | Self::Not(_) => write!(f, "({self})"),
            _ => write!(f, "{self}"),
        }
    }
}

impl fmt::Display for Test {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let not = |negated: &bool| if *negated { "NOT " } else { "" };
        match self {
            Self::Always(flag) => f.write_str(if *flag { "TRUE" } else { "FALSE" }),
            Self::Not(test) => {
                f.write_str("NOT ")?;
                test.behind_not(f)
            }
            Self::And(tests) => joined(f, tests, " AND ", |test, f| test.in_and(f)),
            Self::Or(tests) => joined(f, tests, " OR ", |test, f| match test {
                Self::Or(_) => write!(f, "({test})"),
                _ => test.fmt(f),
            }),
            Self::Compare(left, comparison, right) => {
                write!(f, "{left} {} {right}", comparison.sign())
            }
            Self::Like {
                negated,
                term,
                pattern,
            } => write!(f, "{term} {}LIKE {pattern}", not(negated)),
            Self::Between {
                negated,
                term,
                bounds,
            } => {
                let (low, high) = &**bounds;
                write!(f, "{term} {}BETWEEN {low} AND {high}", not(negated))
            }
            Self::In {
                negated,
                term,
                list,
            } => {
                write!(f, "{term} {}IN (", not(negated))?;
                joined(f, list, ", ", |term, f| term.fmt(f))?;
                f.write_str(")")
            }
            Self::IsNull { negated, term } => write!(f, "{term} IS {}NULL", not(negated)),
        }
    }
}

fn joined<T>(
    f: &mut fmt::Formatter<'_>,
    parts: &[T],
    between: &str,
    part: impl Fn(&T, &mut fmt::Formatter<'_>) -> fmt::Result,
) -> fmt::Result {
    for (index, one) in parts.iter().enumerate() {
        if index > 0 {
            f.write_str(between)?;
        }
        part(one, f)?;
    }
    Ok(())
}

/// How tightly a term binds: one in a place that asks for a higher precedence needs brackets.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Precedence {
    Sum,
    Product,
    Power,
    Sign,
    Whole,
}

impl Term {
    fn precedence(&self) -> Precedence {
        match self.what {
            Operand::Sum(..) => Precedence::Sum,
            Operand::Product(..) => Precedence::Product,
            Operand::Power(..) => Precedence::Power,
            Operand::Negative(_) => Precedence::Sign,
            _ => Precedence::Whole,
        }
    }

    fn at(&self, needed: Precedence, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.precedence() < needed {
            write!(f, "({self})")
        } else {
            write!(f, "{self}")
        }
    }
}

impl fmt::Display for Term {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.what.fmt(f)
    }
}

impl fmt::Display for Operand {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Text(text) => write!(f, "'{}'", text.replace('\'', "''")),
            Self::Number(number) => f.write_str(number),
            Self::Bool(flag) => f.write_str(if *flag { "TRUE" } else { "FALSE" }),
            Self::Date(date) => write!(f, "DATE('{date}')"),
            Self::Timestamp(moment) => write!(f, "TIMESTAMP('{moment}')"),
            Self::Field { name, quoted } if *quoted || !is_plain_name(name) => {
                write!(f, "\"{}\"", name.replace('"', "\"\""))
            }
            Self::Field { name, .. } => f.write_str(name),
            Self::Negative(term) => {
                f.write_str("-")?;
                term.at(Precedence::Whole, f)
            }
            Self::Sum(first, rest) => chain(f, first, rest, Precedence::Product),
            Self::Product(first, rest) => chain(f, first, rest, Precedence::Power),
            Self::Power(base, exponent) => {
                base.at(Precedence::Sign, f)?;
                f.write_str(" ^ ")?;
                exponent.at(Precedence::Sign, f)
            }
            Self::Casei(term) => write!(f, "CASEI({term})"),
            Self::Accenti(term) => write!(f, "ACCENTI({term})"),
        }
    }
}

fn chain(
    f: &mut fmt::Formatter<'_>,
    first: &Term,
    rest: &[(Sign, Term)],
    needed: Precedence,
) -> fmt::Result {
    first.at(needed, f)?;
    for (sign, term) in rest {
        write!(f, " {} ", sign.text())?;
        term.at(needed, f)?;
    }
    Ok(())
}
