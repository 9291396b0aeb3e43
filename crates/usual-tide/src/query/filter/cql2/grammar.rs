//! Tokens to a tree.

use super::ast::{Operand, Sign, Term, Test};
use super::lexer::{Token, TokenKind, is_keyword, tokens};
use crate::item::{Kind, read_date};
use crate::query::filter::comparison::Comparison;
use crate::query::text_error::{QueryTextError, QueryTextProblem};
use jiff::Timestamp;
use std::str::FromStr;
use winnow::stream::{Stream, TokenSlice};

/// Brackets and functions in each other at most: far more than anyone writes, far less than the stack
/// holds.
const DEEPEST: usize = 32;

/// The tokens that are left, and how deep the parser is in brackets.
struct Input<'t> {
    tokens: TokenSlice<'t, Token>,
    depth: usize,
}

type Parsed<T> = Result<T, QueryTextError>;

/// A condition or a value: which of the two is known only by what follows.
enum Either {
    Test(Test, usize),
    Term(Term),
}

pub(super) fn parse(text: &str) -> Parsed<Test> {
    let tokens = tokens(text)?;
    let mut input = Input {
        tokens: TokenSlice::new(&tokens),
        depth: 0,
    };
    let test = disjunction(&mut input)?.into_test()?;
    match input.next().what {
        TokenKind::End => Ok(test),
        _ => Err(input.expected("AND, OR or the end")),
    }
}

impl Either {
    fn into_test(self) -> Parsed<Test> {
        let term = match self {
            Self::Test(test, _) => return Ok(test),
            Self::Term(term) => term,
        };
        let found = term.to_string();
        let advice = match &term.what {
            Operand::Bool(flag) => return Ok(Test::Always(*flag)),
            Operand::Field { .. } => format!("write {found} = TRUE, or compare it with a value"),
            _ => "compare it with something".to_owned(),
        };
        Err(QueryTextProblem::NotACondition { found, advice }.at(term.column))
    }

    fn into_term(self) -> Parsed<Term> {
        match self {
            Self::Term(term) => Ok(term),
            Self::Test(_, column) => Err(QueryTextProblem::NotAValue.at(column)),
        }
    }

    fn column(&self) -> usize {
        match self {
            Self::Test(_, column) => *column,
            Self::Term(term) => term.column,
        }
    }
}

impl<'t> Input<'t> {
    fn next(&self) -> &'t Token {
        const END: &Token = &Token {
            column: 1,
            what: TokenKind::End,
        };
        // The last token is the end, and nothing takes it.
        self.tokens
            .iter_offsets()
            .next()
            .map_or(END, |(_, token)| token)
    }

    fn take(&mut self) -> &'t Token {
        let token = self.next();
        if token.what != TokenKind::End {
            self.tokens.next_token();
        }
        token
    }

    fn is_word(&self, word: &str) -> bool {
        matches!(&self.next().what, TokenKind::Word(next) if next.eq_ignore_ascii_case(word))
    }

    fn is_sign(&self, sign: &str) -> bool {
        matches!(&self.next().what, TokenKind::Sign(next) if *next == sign)
    }

    fn take_word(&mut self, word: &str) -> bool {
        let found = self.is_word(word);
        if found {
            self.take();
        }
        found
    }

    fn take_sign(&mut self, sign: &str) -> bool {
        let found = self.is_sign(sign);
        if found {
            self.take();
        }
        found
    }

    fn need_sign(&mut self, sign: &str, expected: &str) -> Parsed<()> {
        if self.take_sign(sign) {
            return Ok(());
        }
        Err(self.expected(expected))
    }

    fn expected(&self, expected: &str) -> QueryTextError {
        let next = self.next();
        if let TokenKind::Sign(sign @ ("!=" | "==")) = next.what {
            let advice = if sign == "!=" { "write <>" } else { "write =" };
            return unsupported(&format!("{sign} is no operator"), advice).at(next.column);
        }
        QueryTextProblem::Expected {
            expected: expected.to_owned(),
            found: next.what.told(),
        }
        .at(next.column)
    }

    /// Parses something that is nested one level deeper.
    fn deeper<T>(&mut self, parse: impl FnOnce(&mut Self) -> Parsed<T>) -> Parsed<T> {
        if self.depth >= DEEPEST {
            return Err(QueryTextProblem::TooDeep(DEEPEST).at(self.next().column));
        }
        self.depth += 1;
        let parsed = parse(self);
        self.depth -= 1;
        parsed
    }
}

fn unsupported(what: &str, advice: &str) -> QueryTextProblem {
    QueryTextProblem::Unsupported {
        what: what.to_owned(),
        advice: advice.to_owned(),
    }
}

fn disjunction(input: &mut Input<'_>) -> Parsed<Either> {
    joined(input, "OR", conjunction, Test::Or)
}

fn conjunction(input: &mut Input<'_>) -> Parsed<Either> {
    joined(input, "AND", negation, Test::And)
}

/// Conditions with a word between them; one alone may be a value as well.
fn joined(
    input: &mut Input<'_>,
    word: &str,
    part: fn(&mut Input<'_>) -> Parsed<Either>,
    whole: fn(Vec<Test>) -> Test,
) -> Parsed<Either> {
    let first = part(input)?;
    if !input.is_word(word) {
        return Ok(first);
    }
    let column = first.column();
    let mut tests = vec![first.into_test()?];
    while input.take_word(word) {
        tests.push(part(input)?.into_test()?);
    }
    Ok(Either::Test(whole(tests), column))
}

fn negation(input: &mut Input<'_>) -> Parsed<Either> {
    let column = input.next().column;
    if !input.take_word("NOT") {
        return predicate(input);
    }
    if input.is_word("NOT") {
        let advice = "put brackets around the second";
        return Err(unsupported("NOT after NOT", advice).at(input.next().column));
    }
    let test = predicate(input)?.into_test()?;
    Ok(Either::Test(Test::Not(Box::new(test)), column))
}

const COMPARISONS: [(&str, Comparison); 6] = [
    ("=", Comparison::Equal),
    ("<>", Comparison::NotEqual),
    ("<", Comparison::Less),
    ("<=", Comparison::AtMost),
    (">", Comparison::Greater),
    (">=", Comparison::AtLeast),
];

fn predicate(input: &mut Input<'_>) -> Parsed<Either> {
    let left = sum(input)?;
    let column = left.column();
    let next = input.next();
    let comparison = COMPARISONS
        .iter()
        .find(|(sign, _)| next.what == TokenKind::Sign(sign));
    if let Some((_, comparison)) = comparison {
        let left = left.into_term()?;
        input.take();
        let right = sum(input)?.into_term()?;
        return Ok(Either::Test(
            Test::Compare(left, *comparison, right),
            column,
        ));
    }
    if matches!(next.what, TokenKind::Sign("!=" | "==")) {
        return Err(input.expected("a comparison"));
    }
    let negated = input.is_word("NOT");
    if negated {
        input.take();
    }
    let word = ["LIKE", "BETWEEN", "IN"]
        .into_iter()
        .find(|word| input.is_word(word));
    let test = match word {
        Some("LIKE") => like(input, left.into_term()?, negated)?,
        Some("BETWEEN") => between(input, left.into_term()?, negated)?,
        Some(_) => list(input, left.into_term()?, negated)?,
        None if negated => return Err(input.expected("LIKE, BETWEEN or IN")),
        None if input.is_word("IS") => is_null(input, left.into_term()?)?,
        None => return Ok(left),
    };
    Ok(Either::Test(test, column))
}

fn like(input: &mut Input<'_>, term: Term, negated: bool) -> Parsed<Test> {
    input.take();
    let pattern = sum(input)?.into_term()?;
    let mut inner = &pattern;
    while let Operand::Casei(within) | Operand::Accenti(within) = &inner.what {
        inner = within;
    }
    if !matches!(inner.what, Operand::Text(_)) {
        let advice = "write it as text in single quotes";
        return Err(unsupported("the pattern of LIKE is no text", advice).at(pattern.column));
    }
    Ok(Test::Like {
        negated,
        term,
        pattern,
    })
}

fn between(input: &mut Input<'_>, term: Term, negated: bool) -> Parsed<Test> {
    input.take();
    let low = sum(input)?.into_term()?;
    if !input.take_word("AND") {
        return Err(input.expected("AND and the upper bound"));
    }
    let high = sum(input)?.into_term()?;
    Ok(Test::Between {
        negated,
        term,
        bounds: Box::new((low, high)),
    })
}

fn list(input: &mut Input<'_>, term: Term, negated: bool) -> Parsed<Test> {
    input.take();
    input.need_sign("(", "a list in brackets")?;
    if input.is_sign(")") {
        let advice = "give it at least one value";
        return Err(unsupported("the list of IN is empty", advice).at(input.next().column));
    }
    let mut list = Vec::new();
    loop {
        list.push(sum(input)?.into_term()?);
        if !input.take_sign(",") {
            break;
        }
    }
    input.need_sign(")", "a comma or the closing bracket of the list")?;
    Ok(Test::In {
        negated,
        term,
        list,
    })
}

fn is_null(input: &mut Input<'_>, term: Term) -> Parsed<Test> {
    input.take();
    let negated = input.take_word("NOT");
    if !input.take_word("NULL") {
        return Err(input.expected(if negated { "NULL" } else { "NULL or NOT NULL" }));
    }
    Ok(Test::IsNull { negated, term })
}

fn sum(input: &mut Input<'_>) -> Parsed<Either> {
    let sign = |input: &mut Input<'_>| match &input.next().what {
        TokenKind::Sign("+") => Some(Sign::Plus),
        TokenKind::Sign("-") => Some(Sign::Minus),
        _ => None,
    };
    chain(input, product, sign, Operand::Sum)
}

fn product(input: &mut Input<'_>) -> Parsed<Either> {
    let sign = |input: &mut Input<'_>| match &input.next().what {
        TokenKind::Sign("*") => Some(Sign::Times),
        TokenKind::Sign("/") => Some(Sign::Over),
        TokenKind::Sign("%") => Some(Sign::Remainder),
        TokenKind::Word(word) if word.eq_ignore_ascii_case("div") => Some(Sign::WholeQuotient),
        _ => None,
    };
    chain(input, power, sign, Operand::Product)
}

/// Terms with operators of one rank between them.
fn chain(
    input: &mut Input<'_>,
    part: fn(&mut Input<'_>) -> Parsed<Either>,
    sign: impl Fn(&mut Input<'_>) -> Option<Sign>,
    whole: fn(Box<Term>, Vec<(Sign, Term)>) -> Operand,
) -> Parsed<Either> {
    let first = part(input)?;
    let Some(mut next) = sign(input) else {
        return Ok(first);
    };
    let column = first.column();
    let first = first.into_term()?;
    let mut rest = Vec::new();
    loop {
        input.take();
        rest.push((next, part(input)?.into_term()?));
        match sign(input) {
            Some(sign) => next = sign,
            None => break,
        }
    }
    let what = whole(Box::new(first), rest);
    Ok(Either::Term(Term { column, what }))
}

fn power(input: &mut Input<'_>) -> Parsed<Either> {
    let base = signed(input)?;
    if !input.is_sign("^") {
        return Ok(base);
    }
    let column = base.column();
    let base = base.into_term()?;
    input.take();
    let exponent = signed(input)?.into_term()?;
    if input.is_sign("^") {
        let advice = "put brackets around one of them";
        return Err(unsupported("^ after ^", advice).at(input.next().column));
    }
    let what = Operand::Power(Box::new(base), Box::new(exponent));
    Ok(Either::Term(Term { column, what }))
}

fn signed(input: &mut Input<'_>) -> Parsed<Either> {
    let column = input.next().column;
    if !input.take_sign("-") {
        return primary(input);
    }
    let term = primary(input)?.into_term()?;
    let what = Operand::Negative(Box::new(term));
    Ok(Either::Term(Term { column, what }))
}

fn primary(input: &mut Input<'_>) -> Parsed<Either> {
    let token = input.next();
    let column = token.column;
    let what = match &token.what {
        TokenKind::Sign("(") => return bracketed(input),
        TokenKind::Text(text) => Operand::Text(text.clone()),
        TokenKind::Number(number) => Operand::Number(number.clone()),
        TokenKind::Quoted(name) => Operand::Field {
            name: name.clone(),
            quoted: true,
        },
        TokenKind::Word(word) => return named(input, word),
        _ => return Err(input.expected("a field or a value")),
    };
    input.take();
    Ok(Either::Term(Term { column, what }))
}

fn bracketed(input: &mut Input<'_>) -> Parsed<Either> {
    let column = input.take().column;
    let inner = input.deeper(disjunction)?;
    input.need_sign(")", "a closing bracket")?;
    Ok(match inner {
        Either::Test(test, _) => Either::Test(test, column),
        Either::Term(term) => Either::Term(Term { column, ..term }),
    })
}

/// A field, a keyword that is a value, or a function.
fn named(input: &mut Input<'_>, word: &str) -> Parsed<Either> {
    let column = input.next().column;
    let flag = [("TRUE", true), ("FALSE", false)];
    let flag = flag
        .iter()
        .find(|(name, _)| word.eq_ignore_ascii_case(name));
    if let Some((_, flag)) = flag {
        input.take();
        let what = Operand::Bool(*flag);
        return Ok(Either::Term(Term { column, what }));
    }
    if word.eq_ignore_ascii_case("NULL") {
        let advice = "write IS NULL";
        return Err(unsupported("NULL is no value to compare with", advice).at(column));
    }
    if is_keyword(word) {
        return Err(input.expected("a field or a value"));
    }
    input.take();
    let what = if input.is_sign("(") {
        function(input, word, column)?
    } else {
        Operand::Field {
            name: word.to_owned(),
            quoted: false,
        }
    };
    Ok(Either::Term(Term { column, what }))
}

fn function(input: &mut Input<'_>, word: &str, column: usize) -> Parsed<Operand> {
    let known = ["CASEI", "ACCENTI", "DATE", "TIMESTAMP"];
    let known = known
        .into_iter()
        .find(|name| word.eq_ignore_ascii_case(name));
    let Some(name) = known else {
        let advice = "there are CASEI, ACCENTI, DATE and TIMESTAMP; spatial, array and interval functions are not \
                      offered";
        return Err(unsupported(&format!("{word} is no function here"), advice).at(column));
    };
    input.take();
    let inner = input.deeper(|input| sum(input)?.into_term())?;
    input.need_sign(")", "a closing bracket")?;
    Ok(match name {
        "CASEI" => Operand::Casei(Box::new(inner)),
        "ACCENTI" => Operand::Accenti(Box::new(inner)),
        _ => moment(name, &inner)?,
    })
}

/// The text of a DATE or a TIMESTAMP, which must be a real one.
fn moment(name: &str, inner: &Term) -> Parsed<Operand> {
    let expected = match name {
        "DATE" => Kind::Date,
        _ => Kind::Timestamp,
    };
    let Operand::Text(text) = &inner.what else {
        let problem = QueryTextProblem::Expected {
            expected: format!("{expected} in single quotes"),
            found: inner.to_string(),
        };
        return Err(problem.at(inner.column));
    };
    let read = match expected {
        Kind::Date => read_date(text).map(Operand::Date),
        _ => read_utc(text).map(Operand::Timestamp),
    };
    let given = text.clone();
    read.ok_or_else(|| QueryTextProblem::BadMoment { expected, given }.at(inner.column))
}

/// Date and time with seconds, in UTC, as the standard has it.
fn read_utc(text: &str) -> Option<Timestamp> {
    let shape = text.ends_with('Z') && text.as_bytes().get(10) == Some(&b'T') && text.len() >= 20;
    shape.then(|| Timestamp::from_str(text).ok()).flatten()
}
