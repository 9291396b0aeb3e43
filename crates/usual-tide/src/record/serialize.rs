//! Records written by serde.

use super::content::{List, MemberValue, Object};
use super::item::Record;
use serde_core::ser::{Error, Serialize, SerializeMap, Serializer};
use serde_json::value::RawValue;

/// The longest whole number that is written as one whatever the format; others keep their text in JSON alone.
const DIGITS: usize = 18;

impl Serialize for MemberValue<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Null => serializer.serialize_unit(),
            Self::Bool(flag) => serializer.serialize_bool(*flag),
            Self::Number(text) => number(text, serializer),
            Self::Text(text) => serializer.serialize_str(text),
            Self::List(list) => list.serialize(serializer),
            Self::Object(object) => object.serialize(serializer),
        }
    }
}

fn number<S: Serializer>(text: &str, serializer: S) -> Result<S::Ok, S::Error> {
    let is_plain = text.len() <= DIGITS && text != "-0";
    match text.parse().ok().filter(|_| is_plain) {
        Some(integer) => serializer.serialize_i64(integer),
        None => {
            let text: &RawValue = serde_json::from_str(text).map_err(S::Error::custom)?;
            text.serialize(serializer)
        }
    }
}

impl Serialize for List<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(self.iter())
    }
}

impl Serialize for Object<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        for (name, value) in self.iter() {
            map.serialize_entry(name, &value)?;
        }
        map.end()
    }
}

/// Its members, in their order, numbers as they were written.
impl Serialize for Record {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        self.members().serialize(serializer)
    }
}
