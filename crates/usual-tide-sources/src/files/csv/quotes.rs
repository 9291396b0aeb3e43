//! Which values of a row are in quotes, which the CSV reader does not report.

/// What is wrong with the quotes of a row.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum BadQuotes {
    /// The text ends within a value in quotes.
    Open,
    /// Something comes after the closing quote of a value.
    Behind,
}

/// For each value of the row that begins at a byte, whether it is in quotes.
pub(super) fn quoted_values(
    text: &[u8],
    start: usize,
    delimiter: u8,
) -> Result<Vec<bool>, BadQuotes> {
    let mut at = start;
    while matches!(text.get(at), Some(b'\n' | b'\r')) {
        at += 1;
    }
    let mut quoted = Vec::new();
    loop {
        let in_quotes = text.get(at) == Some(&b'"');
        quoted.push(in_quotes);
        if in_quotes {
            at = end_of_quotes(text, at + 1)?;
        } else {
            let ends = |byte: &u8| *byte == delimiter || matches!(byte, b'\n' | b'\r');
            let rest = text.get(at..).unwrap_or_default();
            at += rest.iter().position(ends).unwrap_or(rest.len());
        }
        match text.get(at) {
            Some(byte) if *byte == delimiter => at += 1,
            None | Some(b'\n' | b'\r') => return Ok(quoted),
            Some(_) => return Err(BadQuotes::Behind),
        }
    }
}

/// after the closing quote of a value, of which two stand for one.
fn end_of_quotes(text: &[u8], mut at: usize) -> Result<usize, BadQuotes> {
    loop {
        let rest = text.get(at..).unwrap_or_default();
        at += memchr::memchr(b'"', rest).ok_or(BadQuotes::Open)? + 1;
        if text.get(at) != Some(&b'"') {
            return Ok(at);
        }
        at += 1;
    }
}
