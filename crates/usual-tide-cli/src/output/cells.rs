//! Text in columns of a fixed width.

use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;
use usual_tide::record::MemberValue;

/// A value as a person reads it, on one line.
pub(crate) fn plain(value: MemberValue<'_>) -> String {
    let text = match value {
        MemberValue::Null => return "–".to_owned(),
        MemberValue::Text(text) => text.to_owned(),
        MemberValue::Object(members) => {
            let values = members.iter().map(|(_, value)| plain(value));
            values.collect::<Vec<_>>().join(" ")
        }
        MemberValue::List(values) => values.iter().map(plain).collect::<Vec<_>>().join(", "),
        other => other.to_string(),
    };
    one_line(&text)
}

/// A value for a sentence: text in quotes.
pub(crate) fn quoted(value: Option<MemberValue<'_>>) -> String {
    match value {
        None => "absent".to_owned(),
        Some(MemberValue::Null) => "nothing".to_owned(),
        Some(MemberValue::Text(text)) => format!("“{}”", one_line(text)),
        Some(other) => plain(other),
    }
}

pub(crate) fn width(text: &str) -> usize {
    text.width()
}

/// The text in exactly this many columns, cut with an ellipsis or filled with blanks.
pub(crate) fn fitted(text: &str, columns: usize, to_the_right: bool) -> String {
    let mut cell = cut(text, columns);
    let blanks = " ".repeat(columns.saturating_sub(width(&cell)));
    if to_the_right {
        cell.insert_str(0, &blanks);
    } else {
        cell.push_str(&blanks);
    }
    cell
}

/// The text in at most this many columns; a letter and its marks stay together.
pub(crate) fn cut(text: &str, columns: usize) -> String {
    if width(text) <= columns {
        return text.to_owned();
    }
    let mut cell = String::new();
    for letter in text.graphemes(true) {
        if width(&cell) + width(letter) > columns.saturating_sub(1) {
            break;
        }
        cell.push_str(letter);
    }
    if columns > 0 {
        cell.push('…');
    }
    cell
}

/// Text on one line: line breaks, other control characters and those that turn the direction of writing are
/// escaped, since they would break a table, or do worse to a terminal.
pub(crate) fn one_line(text: &str) -> String {
    let turns = |letter: char| matches!(letter, '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}');
    if !text
        .chars()
        .any(|letter| letter.is_control() || turns(letter))
    {
        return text.to_owned();
    }
    let mut line = String::with_capacity(text.len());
    for letter in text.chars() {
        match letter.is_control() || turns(letter) {
            true => line.extend(letter.escape_default()),
            false => line.push(letter),
        }
    }
    line
}
