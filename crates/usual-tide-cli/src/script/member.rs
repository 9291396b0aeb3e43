//! The members of a JSON object, taken one after another.

use super::error::ScriptError;
use serde_json::{Map, Value};
use usual_tide::Place;
use usual_tide::record::RecordKey;

/// An object whose members are taken out as they are read.
pub(super) struct Members {
    rest: Map<String, Value>,
    names: Vec<&'static str>,
}

impl Members {
    pub(super) fn of(value: Value) -> Result<Self, ScriptError> {
        match value {
            Value::Object(rest) => Ok(Self {
                rest,
                names: Vec::new(),
            }),
            other => Err(kind("", "an object", &other)),
        }
    }

    fn take(&mut self, name: &'static str) -> Option<Value> {
        self.names.push(name);
        self.rest.remove(name)
    }

    fn need(&mut self, name: &'static str) -> Result<Value, ScriptError> {
        self.take(name).ok_or(ScriptError::Missing { name })
    }

    pub(super) fn text(&mut self, name: &'static str) -> Result<String, ScriptError> {
        match self.need(name)? {
            Value::String(text) => Ok(text),
            other => Err(kind(name, "a string", &other)),
        }
    }

    /// A part of a query: a text, null for none of it, or absent.
    pub(super) fn part(&mut self, name: &'static str) -> Result<Option<String>, ScriptError> {
        match self.take(name) {
            None => Ok(None),
            Some(Value::Null) => Ok(Some(String::new())),
            Some(Value::String(text)) => Ok(Some(text)),
            Some(other) => Err(kind(name, "a string or null", &other)),
        }
    }

    pub(super) fn number(&mut self, name: &'static str) -> Result<Option<usize>, ScriptError> {
        self.take(name)
            .map(|value| number(name, &value))
            .transpose()
    }

    pub(super) fn object(&mut self, name: &'static str) -> Result<Map<String, Value>, ScriptError> {
        match self.need(name)? {
            Value::Object(members) => Ok(members),
            other => Err(kind(name, "an object", &other)),
        }
    }

    pub(super) fn array(&mut self, name: &'static str) -> Result<Vec<Value>, ScriptError> {
        match self.need(name)? {
            Value::Array(elements) => Ok(elements),
            other => Err(kind(name, "an array", &other)),
        }
    }

    pub(super) fn key(&mut self, name: &'static str) -> Result<RecordKey, ScriptError> {
        key(name, &self.need(name)?)
    }

    pub(super) fn keys(&mut self, name: &'static str) -> Result<Vec<RecordKey>, ScriptError> {
        let keys = self.array(name)?;
        keys.iter().map(|value| key(name, value)).collect()
    }

    /// A place; the end where there is none.
    pub(super) fn place(&mut self) -> Result<Place<RecordKey>, ScriptError> {
        let value = self.take("place");
        value.map_or(Ok(Place::End), place)
    }

    /// Refuses members that nobody took.
    pub(super) fn done(self) -> Result<(), ScriptError> {
        self.rest.keys().next().map_or(Ok(()), |name| {
            Err(ScriptError::Unknown {
                name: name.clone(),
                names: self.names.join(", "),
            })
        })
    }
}

fn place(value: Value) -> Result<Place<RecordKey>, ScriptError> {
    let refused = || ScriptError::Place {
        found: value.to_string(),
    };
    match &value {
        Value::String(text) if text == "start" => Ok(Place::Start),
        Value::String(text) if text == "end" => Ok(Place::End),
        Value::Object(members) if members.len() == 1 => {
            let (name, value) = members.iter().next().ok_or_else(refused)?;
            match name.as_str() {
                "before" => Ok(Place::Before(key("before", value)?)),
                "after" => Ok(Place::After(key("after", value)?)),
                "gap" => Ok(Place::Gap(number("gap", value)?)),
                "row" => Ok(Place::Row(number("row", value)?)),
                _ => Err(refused()),
            }
        }
        _ => Err(refused()),
    }
}

fn key(name: &'static str, value: &Value) -> Result<RecordKey, ScriptError> {
    RecordKey::from_value(value).map_err(|why| ScriptError::Key { name, why })
}

fn number(name: &'static str, value: &Value) -> Result<usize, ScriptError> {
    let number = value
        .as_u64()
        .and_then(|number| usize::try_from(number).ok());
    number.ok_or_else(|| kind(name, "a whole number from 0", value))
}

fn kind(name: &str, expected: &'static str, found: &Value) -> ScriptError {
    let place = match name {
        "" => String::new(),
        name => format!("{name:?}: "),
    };
    let found = match found {
        Value::Null => "null",
        Value::Bool(_) => "a boolean",
        Value::Number(_) => "another number",
        Value::String(_) => "a string",
        Value::Array(_) => "an array",
        Value::Object(_) => "an object",
    };
    ScriptError::Kind {
        place,
        expected,
        found,
    }
}
