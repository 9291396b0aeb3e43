//! Text to tokens.

use crate::query::text_error::{QueryTextError, QueryTextProblem};
use unicode_normalization::char::is_combining_mark;
use winnow::combinator::{alt, opt};
use winnow::error::ContextError;
use winnow::prelude::*;
use winnow::stream::{LocatingSlice, Location};
use winnow::token::{any, one_of, take_while};

/// A token and where it begins, in characters from 1.
#[derive(Clone, PartialEq, Debug)]
pub(super) struct Token {
    pub(super) column: usize,
    pub(super) what: TokenKind,
}

#[derive(Clone, PartialEq, Debug)]
pub(super) enum TokenKind {
    /// A keyword or a name.
    Word(String),
    /// A name in double quotes.
    Quoted(String),
    /// Text in single quotes.
    Text(String),
    /// An unsigned number, as it is written.
    Number(String),
    /// Punctuation.
    Sign(&'static str),
    /// The end of the text.
    End,
}

impl TokenKind {
    /// How an error calls it.
    pub(super) fn told(&self) -> String {
        match self {
            Self::Word(word) => word.clone(),
            Self::Quoted(name) => format!("the name {name:?}"),
            Self::Text(text) => format!("the text '{}'", text.replace('\'', "''")),
            Self::Number(number) => number.clone(),
            Self::Sign(sign) => format!("{sign:?}"),
            Self::End => "the end".to_owned(),
        }
    }
}

/// Longer signs first.
const SIGNS: [&str; 17] = [
    "<>", "<=", ">=", "!=", "==", "=", "<", ">", "(", ")", ",", "+", "-", "*", "/", "%", "^",
];

type Input<'a> = LocatingSlice<&'a str>;
type Lexed<T> = Result<T, ContextError>;

/// Splits a text into tokens, the last of which is the end.
pub(super) fn tokens(text: &str) -> Result<Vec<Token>, QueryTextError> {
    let mut input = LocatingSlice::new(text);
    let mut tokens = Vec::new();
    let (mut counted, mut column) = (0, 1);
    loop {
        let _: Lexed<&str> = take_while(0.., char::is_whitespace).parse_next(&mut input);
        let start = input.current_token_start();
        column += text[counted..start].chars().count();
        counted = start;
        let Some(first) = input.chars().next() else {
            tokens.push(Token {
                column,
                what: TokenKind::End,
            });
            return Ok(tokens);
        };
        let what = token(&mut input, first).map_err(|problem| problem.at(column))?;
        tokens.push(Token { column, what });
    }
}

fn token(input: &mut Input<'_>, first: char) -> Result<TokenKind, QueryTextProblem> {
    match first {
        '\'' => quoted('\'', input)
            .map(TokenKind::Text)
            .ok_or(QueryTextProblem::Unclosed("single")),
        '"' => quoted('"', input)
            .map(TokenKind::Quoted)
            .ok_or(QueryTextProblem::Unclosed("double")),
        first if first.is_ascii_digit() || first == '.' => number(input),
        first if starts_name(first) => {
            let word: Lexed<&str> = take_while(1.., continues_name).parse_next(input);
            word.map(|word| TokenKind::Word(word.to_owned()))
                .map_err(|_| QueryTextProblem::Stray(first))
        }
        first => {
            let sign = SIGNS.iter().find(|sign| input.starts_with(**sign));
            let mut sign = *sign.ok_or(QueryTextProblem::Stray(first))?;
            let _: Lexed<&str> = sign.parse_next(input);
            Ok(TokenKind::Sign(sign))
        }
    }
}

fn starts_name(letter: char) -> bool {
    letter.is_alphabetic() || letter == '_' || letter == ':'
}

fn continues_name(letter: char) -> bool {
    starts_name(letter) || letter.is_numeric() || letter == '.' || is_combining_mark(letter)
}

/// The text between quotes, in which a doubled quote is one.
fn quoted(quote: char, input: &mut Input<'_>) -> Option<String> {
    let mut text = String::new();
    let mark = |input: &mut Input<'_>| -> Lexed<char> { one_of(quote).parse_next(input) };
    mark(input).ok()?;
    loop {
        let part: Lexed<&str> = take_while(0.., |letter| letter != quote).parse_next(input);
        text.push_str(part.ok()?);
        mark(input).ok()?;
        if mark(input).is_err() {
            return Some(text);
        }
        text.push(quote);
    }
}

/// `5 5.0 5. .5 1e3 1.5E-3`, and nothing that goes on like a name.
fn number(input: &mut Input<'_>) -> Result<TokenKind, QueryTextProblem> {
    let digits = |input: &mut Input<'_>| -> Lexed<()> {
        take_while(1.., |digit: char| digit.is_ascii_digit())
            .void()
            .parse_next(input)
    };
    let mantissa = alt((
        (digits, opt(('.', opt(digits)))).void(),
        ('.', digits).void(),
    ));
    let exponent = (one_of(['e', 'E']), opt(one_of(['+', '-'])), digits);
    let whole = **input;
    let taken: Lexed<&str> = (mantissa, opt(exponent)).take().parse_next(input);
    let next = input.chars().next();
    match taken {
        Ok(taken) if !next.is_some_and(continues_name) => Ok(TokenKind::Number(taken.to_owned())),
        _ => {
            let bad: String = whole.chars().take_while(|c| continues_name(*c)).collect();
            let _: Lexed<char> = any.parse_next(input);
            Err(QueryTextProblem::BadNumber(bad))
        }
    }
}

/// Whether a name can stand without quotes: it reads as one word, and that is no keyword.
pub(super) fn is_plain_name(name: &str) -> bool {
    let mut letters = name.chars();
    letters.next().is_some_and(starts_name) && letters.all(continues_name) && !is_keyword(name)
}

/// Words that are never names.
const KEYWORDS: [&str; 11] = [
    "AND", "OR", "NOT", "LIKE", "BETWEEN", "IN", "IS", "NULL", "TRUE", "FALSE", "DIV",
];

pub(super) fn is_keyword(word: &str) -> bool {
    KEYWORDS
        .iter()
        .any(|keyword| word.eq_ignore_ascii_case(keyword))
}
