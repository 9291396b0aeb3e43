//! Records read from JSON text without a tree of values in between.
//!
//! Plain values and texts with escapes are left to `serde_json`. Brackets, commas and colons are gone through here, so
//! that what is deep in objects is not read again for each of them.

use super::block::{Tag, ValueWriter};
use super::build::BlockWriter;
use super::item::MOST_DEPTH;
use serde_core::de::{Deserialize, Visitor};
use serde_json::Deserializer;
use serde_json::value::RawValue;
use std::borrow::Cow;
use std::collections::HashSet;
use std::fmt;

/// The text cannot be read as a record: a reader of values tells what is wrong, and where.
#[derive(Debug)]
pub(super) struct Unreadable;

/// Reads the members of one object.
pub(super) fn read_members(text: &str, into: &mut BlockWriter) -> Result<(), Unreadable> {
    let mut reader = Reader { text, at: 0 };
    reader.members(into, 1)?;
    reader.end()
}

/// Calls `each` with what reads the members of each element of an array of objects; `false` ends it.
pub(super) fn read_array(
    text: &str,
    into: &mut BlockWriter,
    each: &mut dyn FnMut(&mut BlockWriter) -> bool,
) -> Result<(), Unreadable> {
    let mut reader = Reader { text, at: 0 };
    reader.expect(b'[')?;
    reader.each_until(b']', &mut |reader| {
        reader.members(into, 1)?;
        each(into).then_some(()).ok_or(Unreadable)
    })?;
    reader.end()
}

/// A place in a text.
struct Reader<'a> {
    text: &'a str,
    at: usize,
}

impl<'a> Reader<'a> {
    /// The next byte that is no blank.
    fn peek(&mut self) -> Option<u8> {
        loop {
            match self.text.as_bytes().get(self.at) {
                Some(b' ' | b'\n' | b'\t' | b'\r') => self.at += 1,
                next => return next.copied(),
            }
        }
    }

    fn take(&mut self, byte: u8) -> bool {
        let is_it = self.peek() == Some(byte);
        self.at += usize::from(is_it);
        is_it
    }

    fn expect(&mut self, byte: u8) -> Result<(), Unreadable> {
        self.take(byte).then_some(()).ok_or(Unreadable)
    }

    fn end(&mut self) -> Result<(), Unreadable> {
        match self.peek() {
            None => Ok(()),
            Some(_) => Err(Unreadable),
        }
    }

    /// What is between commas up to the end of an object or a list, whose beginning was taken.
    fn each_until(
        &mut self,
        end: u8,
        each: &mut dyn FnMut(&mut Self) -> Result<(), Unreadable>,
    ) -> Result<(), Unreadable> {
        if self.take(end) {
            return Ok(());
        }
        loop {
            each(self)?;
            if self.take(end) {
                return Ok(());
            }
            self.expect(b',')?;
        }
    }

    /// A text or a plain value, as `serde_json` reads it.
    fn part<D: Deserialize<'a>>(&mut self) -> Result<D, Unreadable> {
        let rest = self.text.get(self.at..).ok_or(Unreadable)?;
        let mut parts = Deserializer::from_str(rest).into_iter();
        let part = parts.next().and_then(Result::ok).ok_or(Unreadable)?;
        self.at += parts.byte_offset();
        Ok(part)
    }

    /// The members of an object, each with its name taken.
    fn named(
        &mut self,
        mut member: impl FnMut(&mut Self, Cow<'a, str>) -> Result<(), Unreadable>,
    ) -> Result<(), Unreadable> {
        self.expect(b'{')?;
        self.each_until(b'}', &mut |reader| {
            let name = match reader.peek() {
                Some(b'"') => reader.text()?,
                _ => return Err(Unreadable),
            };
            reader.expect(b':')?;
            member(reader, name)
        })
    }

    /// The members of an object that is a record, or a member of one; `depth` are the levels of objects and lists down
    /// to this one.
    fn members(&mut self, into: &mut BlockWriter, depth: usize) -> Result<(), Unreadable> {
        self.named(|reader, name| {
            match reader.peek() {
                Some(b'{') => {
                    into.open(&name);
                    reader.members(into, deeper(depth)?)?;
                    into.close();
                }
                Some(b'[') => into.list_of(&name, &reader.list(deeper(depth)?)?),
                _ => match reader.plain()? {
                    (Tag::Text, text) => into.text(&name, &text),
                    (tag, text) => into.value(&name, tag, &text),
                },
            }
            Ok(())
        })
    }

    fn list(&mut self, depth: usize) -> Result<ValueWriter, Unreadable> {
        let mut values = ValueWriter::default();
        self.expect(b'[')?;
        self.each_until(b']', &mut |reader| reader.value_of_list(&mut values, depth))?;
        Ok(values)
    }

    /// An object in a list: names and values by turns.
    fn listed_object(&mut self, depth: usize) -> Result<ValueWriter, Unreadable> {
        let mut values = ValueWriter::default();
        let mut seen = HashSet::new();
        self.named(|reader, name| {
            values.push(Tag::Text, &name);
            if !seen.insert(name) {
                return Err(Unreadable);
            }
            reader.value_of_list(&mut values, depth)
        })?;
        Ok(values)
    }

    fn value_of_list(&mut self, values: &mut ValueWriter, depth: usize) -> Result<(), Unreadable> {
        match self.peek() {
            Some(b'{') => values.push_list(Tag::Object, &self.listed_object(deeper(depth)?)?),
            Some(b'[') => values.push_list(Tag::List, &self.list(deeper(depth)?)?),
            _ => {
                let (tag, text) = self.plain()?;
                values.push(tag, &text);
            }
        }
        Ok(())
    }

    /// A text, without its quotes.
    fn text(&mut self) -> Result<Cow<'a, str>, Unreadable> {
        if let Some(text) = self.text_without_escapes() {
            return Ok(Cow::Borrowed(text));
        }
        let Text(text) = self.part()?;
        Ok(text)
    }

    /// A text that stands as it is, which nearly all do.
    fn text_without_escapes(&mut self) -> Option<&'a str> {
        let inner = self.text.get(self.at..)?.strip_prefix('"')?;
        let end = memchr::memchr2(b'"', b'\\', inner.as_bytes())?;
        let (text, rest) = inner.split_at_checked(end)?;
        // A control character must be escaped.
        if !rest.starts_with('"') || text.bytes().any(|byte| byte < b' ') {
            return None;
        }
        self.at += end + 2;
        Some(text)
    }

    /// A value that is neither an object nor a list; a number as it is written.
    fn plain(&mut self) -> Result<(Tag, Cow<'a, str>), Unreadable> {
        if self.peek() == Some(b'"') {
            return Ok((Tag::Text, self.text()?));
        }
        let json = self.part::<&RawValue>()?.get();
        Ok(match json.as_bytes().first() {
            Some(b'n') => (Tag::Null, Cow::Borrowed("")),
            Some(b't') => (Tag::True, Cow::Borrowed("")),
            Some(b'f') => (Tag::False, Cow::Borrowed("")),
            _ => (Tag::Number, Cow::Borrowed(json)),
        })
    }
}

fn deeper(depth: usize) -> Result<usize, Unreadable> {
    match depth < MOST_DEPTH {
        true => Ok(depth + 1),
        false => Err(Unreadable),
    }
}

/// A text, borrowed where nothing is escaped in it.
struct Text<'de>(Cow<'de, str>);

impl<'de> Deserialize<'de> for Text<'de> {
    fn deserialize<D: serde_core::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        from.deserialize_str(TextVisitor)
    }
}

struct TextVisitor;

impl<'de> Visitor<'de> for TextVisitor {
    type Value = Text<'de>;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a text")
    }

    fn visit_borrowed_str<E>(self, text: &'de str) -> Result<Self::Value, E> {
        Ok(Text(Cow::Borrowed(text)))
    }

    fn visit_str<E>(self, text: &str) -> Result<Self::Value, E> {
        Ok(Text(Cow::Owned(text.to_owned())))
    }
}
