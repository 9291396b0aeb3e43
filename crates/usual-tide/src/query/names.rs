//! Names of fields in the texts of sorts, groupings and the like.

use super::text_error::{QueryTextError, QueryTextProblem};
use std::borrow::Cow;

/// One of several names in a text.
#[derive(Clone, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub struct NameInText<'a> {
    /// `-` or `+` before it.
    pub sign: Option<char>,
    /// The name. Where it is not in quotes it is all that there is between two commas.
    pub name: Cow<'a, str>,
    /// What comes after a name in quotes, without blanks around it.
    pub rest: &'a str,
    /// Whether it is in quotes.
    pub is_quoted: bool,
    /// The column of the name, counted in characters from 1.
    pub column: usize,
}

/// The names in a text, with commas between. One in double quotes is taken as it is, whatever is in it, with `""` for a
/// quote. O(text).
///
/// ```
/// use usual_tide::query::names_in;
///
/// let names = names_in(r#"-height_mm, "Clay, first", "say ""no""""#)?;
/// let names: Vec<(Option<char>, &str)> = names.iter().map(|one| (one.sign, &*one.name)).collect();
/// assert_eq!(names, [(Some('-'), "height_mm"), (None, "Clay, first"), (None, "say \"no\"")]);
/// # Ok::<(), usual_tide::query::QueryTextError>(())
/// ```
///
/// # Errors
///
/// [`QueryTextError`] where a quote is not closed, or a name is missing.
pub fn names_in(text: &str) -> Result<Vec<NameInText<'_>>, QueryTextError> {
    let mut names = Vec::new();
    let mut rest = text;
    let mut column = 1;
    loop {
        let (name, after) = first_name(rest, column)?;
        names.push(name);
        let Some(next) = after.strip_prefix(',') else {
            return Ok(names);
        };
        column += characters_before(rest, next);
        rest = next;
    }
}

/// A name as [`names_in`], sorts and groupings read it: in quotes where it would read otherwise.
///
/// ```
/// use usual_tide::query::name_in_text;
///
/// assert_eq!(name_in_text("height_mm"), "height_mm");
/// assert_eq!(name_in_text("Clay, first"), r#""Clay, first""#);
/// ```
pub fn name_in_text(name: &str) -> Cow<'_, str> {
    let reads_otherwise = name.is_empty()
        || name.trim() != name
        || name.starts_with(['-', '+', '"'])
        || name.contains([',', ':']);
    match reads_otherwise {
        true => format!("\"{}\"", name.replace('"', "\"\"")).into(),
        false => name.into(),
    }
}

/// The first name of a text that begins at a column, and what comes after it: a comma, or nothing.
fn first_name(text: &str, column: usize) -> Result<(NameInText<'_>, &str), QueryTextError> {
    let trimmed = text.trim_start();
    let sign = trimmed
        .chars()
        .next()
        .filter(|sign| matches!(sign, '-' | '+'));
    let name = trimmed
        .strip_prefix(['-', '+'])
        .unwrap_or(trimmed)
        .trim_start();
    let column = column + characters_before(text, name);
    let named = |name, rest, is_quoted| NameInText {
        sign,
        name,
        rest,
        is_quoted,
        column,
    };
    if name.starts_with('"') {
        let closed = name_in_quotes(name).ok_or(QueryTextProblem::Unclosed("double"));
        let (inner, after) = closed.map_err(|problem| problem.at(column))?;
        let (rest, after) = after.split_at(after.find(',').unwrap_or(after.len()));
        return Ok((named(inner, rest.trim(), true), after));
    }
    let (name, after) = name.split_at(name.find(',').unwrap_or(name.len()));
    let name = name.trim_end();
    match name.is_empty() {
        true => Err(QueryTextProblem::NoName.at(column)),
        false => Ok((named(name.into(), "", false), after)),
    }
}

/// The name in quotes that a text begins with, and what comes after it; none where no quote closes it.
pub(super) fn name_in_quotes(text: &str) -> Option<(Cow<'_, str>, &str)> {
    let inner = text.strip_prefix('"')?;
    let mut from = 0;
    let end = loop {
        let quote = from + inner[from..].find('"')?;
        // Two of them stand for one in the name.
        if !inner[quote + 1..].starts_with('"') {
            break quote;
        }
        from = quote + 2;
    };
    let name = match from {
        0 => Cow::Borrowed(&inner[..end]),
        _ => Cow::Owned(inner[..end].replace("\"\"", "\"")),
    };
    Some((name, &inner[end + 1..]))
}

/// How many characters of a text come before the rest of it.
fn characters_before(text: &str, rest: &str) -> usize {
    text[..text.len() - rest.len()].chars().count()
}
