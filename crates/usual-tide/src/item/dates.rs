//! Dates and timestamps from text.

use jiff::Timestamp;
use jiff::civil::Date;
use std::str::FromStr;

/// Date and time with an offset, as RFC 3339 has it: seconds in full, perhaps with a fraction.
pub(crate) fn read_timestamp(text: &str) -> Option<Timestamp> {
    let bytes = text.as_bytes();
    let shape = bytes
        .get(..19)?
        .iter()
        .enumerate()
        .all(|(at, byte)| match at {
            4 | 7 => *byte == b'-',
            10 => *byte == b'T',
            13 | 16 => *byte == b':',
            _ => byte.is_ascii_digit(),
        });
    let rest = &bytes[19..];
    let fraction = match rest.first() {
        Some(b'.') => {
            1 + rest[1..]
                .iter()
                .take_while(|byte| byte.is_ascii_digit())
                .count()
        }
        _ => 0,
    };
    let offset = match &rest[fraction..] {
        [b'Z'] => true,
        [b'+' | b'-', h, i, b':', m, n] => [h, i, m, n].iter().all(|byte| byte.is_ascii_digit()),
        _ => false,
    };
    (shape && fraction != 1 && offset)
        .then(|| Timestamp::from_str(text).ok())
        .flatten()
}

/// Year, month and day alone, in full.
pub(crate) fn read_date(text: &str) -> Option<Date> {
    let shape = text.bytes().enumerate().all(|(at, byte)| match at {
        4 | 7 => byte == b'-',
        _ => byte.is_ascii_digit(),
    });
    (text.len() == 10 && shape)
        .then(|| Date::from_str(text).ok())
        .flatten()
}
