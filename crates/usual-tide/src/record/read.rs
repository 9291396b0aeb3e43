//! Records read from JSON text without a tree of values in between.

use super::block::{Tag, ValueWriter};
use super::build::BlockWriter;
use super::item::MOST_DEPTH;
use serde_core::de::{
    DeserializeSeed, Deserializer as _, Error as _, MapAccess, SeqAccess, Visitor,
};
use serde_json::value::RawValue;
use serde_json::{Deserializer, Error};
use std::borrow::Cow;
use std::collections::HashSet;
use std::fmt;

/// Reads the members of one object. An error says no more than that it could not be: a reader of values tells what
/// is wrong, and where.
pub(super) fn read_members(text: &str, into: &mut BlockWriter) -> Result<(), Error> {
    let mut parser = Deserializer::from_str(text);
    let visitor = ObjectVisitor { into, depth: 1 };
    parser.deserialize_map(visitor)?;
    parser.end()
}

/// Calls `each` with what reads the members of each element of an array of objects.
pub(super) fn read_array(
    text: &str,
    into: &mut BlockWriter,
    each: &mut dyn FnMut(&mut BlockWriter) -> bool,
) -> Result<(), Error> {
    let mut parser = Deserializer::from_str(text);
    parser.deserialize_seq(ElementsVisitor { into, each })?;
    parser.end()
}

struct ElementsVisitor<'a> {
    into: &'a mut BlockWriter,
    each: &'a mut dyn FnMut(&mut BlockWriter) -> bool,
}

impl<'de> Visitor<'de> for ElementsVisitor<'_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an array of objects")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut elements: A) -> Result<(), A::Error> {
        let (into, each) = (self.into, self.each);
        while elements
            .next_element_seed(ObjectSeed {
                into: &mut *into,
                depth: 1,
            })?
            .is_some()
        {
            if !each(into) {
                return Err(A::Error::custom("not a record"));
            }
        }
        Ok(())
    }
}

struct ObjectSeed<'a> {
    into: &'a mut BlockWriter,
    depth: usize,
}

impl<'de> DeserializeSeed<'de> for ObjectSeed<'_> {
    type Value = ();

    fn deserialize<D: serde_core::Deserializer<'de>>(self, from: D) -> Result<(), D::Error> {
        from.deserialize_map(ObjectVisitor {
            into: self.into,
            depth: self.depth,
        })
    }
}

/// The members of an object that is a record, or a member of one.
struct ObjectVisitor<'a> {
    into: &'a mut BlockWriter,
    /// Levels of objects and lists down to this one.
    depth: usize,
}

impl<'de> Visitor<'de> for ObjectVisitor<'_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an object")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut members: A) -> Result<(), A::Error> {
        while let Some(Name(name)) = members.next_key()? {
            let value: &RawValue = members.next_value()?;
            put(self.into, &name, value.get(), self.depth).map_err(A::Error::custom)?;
        }
        Ok(())
    }
}

fn put(into: &mut BlockWriter, name: &str, json: &str, depth: usize) -> Result<(), Error> {
    match kind(json) {
        RawKind::Plain(tag, text) => into.value(name, tag, text),
        RawKind::Text => into.text(name, &unescaped(json)?),
        RawKind::List => {
            let mut values = ValueWriter::default();
            read_list(json, &mut values, deeper(depth)?)?;
            into.list_of(name, &values);
        }
        RawKind::Object => {
            into.open(name);
            let depth = deeper(depth)?;
            Deserializer::from_str(json).deserialize_map(ObjectVisitor { into, depth })?;
            into.close();
        }
    }
    Ok(())
}

fn put_in_list(values: &mut ValueWriter, json: &str, depth: usize) -> Result<(), Error> {
    match kind(json) {
        RawKind::Plain(tag, text) => values.push(tag, text),
        RawKind::Text => values.push(Tag::Text, &unescaped(json)?),
        RawKind::List => {
            let mut inner = ValueWriter::default();
            read_list(json, &mut inner, deeper(depth)?)?;
            values.push_list(Tag::List, &inner);
        }
        RawKind::Object => {
            let mut inner = ValueWriter::default();
            let visitor = ListedObjectVisitor {
                values: &mut inner,
                depth: deeper(depth)?,
            };
            Deserializer::from_str(json).deserialize_map(visitor)?;
            values.push_list(Tag::Object, &inner);
        }
    }
    Ok(())
}

fn deeper(depth: usize) -> Result<usize, Error> {
    match depth < MOST_DEPTH {
        true => Ok(depth + 1),
        false => Err(Error::custom("too deep")),
    }
}

/// What the text of a value is, which was checked.
enum RawKind<'a> {
    Plain(Tag, &'a str),
    Text,
    List,
    Object,
}

fn kind(json: &str) -> RawKind<'_> {
    match json.as_bytes().first() {
        Some(b'"') => RawKind::Text,
        Some(b'{') => RawKind::Object,
        Some(b'[') => RawKind::List,
        Some(b'n') => RawKind::Plain(Tag::Null, ""),
        Some(b't') => RawKind::Plain(Tag::True, ""),
        Some(b'f') => RawKind::Plain(Tag::False, ""),
        _ => RawKind::Plain(Tag::Number, json),
    }
}

fn unescaped(json: &str) -> Result<Cow<'_, str>, Error> {
    let inner = json.get(1..json.len() - 1).unwrap_or_default();
    match memchr::memchr(b'\\', inner.as_bytes()) {
        None => Ok(Cow::Borrowed(inner)),
        Some(_) => serde_json::from_str(json).map(Cow::Owned),
    }
}

fn read_list(json: &str, values: &mut ValueWriter, depth: usize) -> Result<(), Error> {
    Deserializer::from_str(json).deserialize_seq(ListVisitor { values, depth })
}

struct ListVisitor<'a> {
    values: &'a mut ValueWriter,
    depth: usize,
}

impl<'de> Visitor<'de> for ListVisitor<'_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a list")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut elements: A) -> Result<(), A::Error> {
        while let Some(value) = elements.next_element::<&RawValue>()? {
            put_in_list(self.values, value.get(), self.depth).map_err(A::Error::custom)?;
        }
        Ok(())
    }
}

/// The members of an object in a list.
struct ListedObjectVisitor<'a> {
    values: &'a mut ValueWriter,
    depth: usize,
}

impl<'de> Visitor<'de> for ListedObjectVisitor<'_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an object")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut members: A) -> Result<(), A::Error> {
        let mut seen = HashSet::new();
        while let Some(Name(name)) = members.next_key()? {
            self.values.push(Tag::Text, &name);
            if !seen.insert(name) {
                return Err(A::Error::custom("two members have the same name"));
            }
            let value: &RawValue = members.next_value()?;
            put_in_list(self.values, value.get(), self.depth).map_err(A::Error::custom)?;
        }
        Ok(())
    }
}

/// The name of a member, borrowed where nothing is escaped in it.
struct Name<'de>(Cow<'de, str>);

impl<'de> serde_core::Deserialize<'de> for Name<'de> {
    fn deserialize<D: serde_core::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        from.deserialize_str(NameVisitor)
    }
}

struct NameVisitor;

impl<'de> Visitor<'de> for NameVisitor {
    type Value = Name<'de>;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a name")
    }

    fn visit_borrowed_str<E>(self, name: &'de str) -> Result<Self::Value, E> {
        Ok(Name(Cow::Borrowed(name)))
    }

    fn visit_str<E>(self, name: &str) -> Result<Self::Value, E> {
        Ok(Name(Cow::Owned(name.to_owned())))
    }
}
