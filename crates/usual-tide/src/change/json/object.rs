//! A place in JSON that is being read, which knows where it is.

use super::problem::{ChangesJsonError, ChangesJsonProblem};
use crate::item::RecordKey;
use serde_json::{Map, Value};

/// A value in JSON, perhaps absent, and its JSON Pointer.
pub(super) struct Reader<'a> {
    pointer: String,
    value: Option<&'a Value>,
}

impl<'a> Reader<'a> {
    pub(super) fn top(value: &'a Value) -> Self {
        Self {
            pointer: String::new(),
            value: Some(value),
        }
    }

    /// A member, which may be absent.
    pub(super) fn at(&self, name: &str) -> Self {
        Self {
            pointer: format!("{}/{name}", self.pointer),
            value: self.value.and_then(|value| value.get(name)),
        }
    }

    /// A member, where it is there.
    pub(super) fn optional(&self, name: &str) -> Option<Self> {
        let member = self.at(name);
        member.value.is_some().then_some(member)
    }

    pub(super) fn value(&self) -> Option<&'a Value> {
        self.value
    }

    /// The elements of an array of strings.
    pub(super) fn texts(&self) -> Result<Vec<String>, ChangesJsonError> {
        let Some(Value::Array(elements)) = self.value else {
            return Err(self.not_a("an array of strings", self.value.unwrap_or(&Value::Null)));
        };
        let texts = elements.iter().enumerate().map(|(index, element)| {
            let text = element.as_str().map(str::to_owned);
            text.ok_or_else(|| self.entry(index).not_a("a string", element))
        });
        texts.collect()
    }

    /// An element, which may be absent.
    pub(super) fn entry(&self, index: usize) -> Self {
        Self {
            pointer: format!("{}/{index}", self.pointer),
            value: self.value.and_then(|value| value.get(index)),
        }
    }

    pub(super) fn refused(&self, problem: ChangesJsonProblem) -> ChangesJsonError {
        ChangesJsonError {
            pointer: self.pointer.clone(),
            problem,
        }
    }

    pub(super) fn missing(&self, name: &'static str) -> ChangesJsonError {
        self.refused(ChangesJsonProblem::Missing { name })
    }

    fn not_a(&self, expected: &'static str, found: &Value) -> ChangesJsonError {
        let found = match found {
            Value::Null => "null",
            Value::Bool(_) => "a boolean",
            Value::Number(_) => "another number",
            Value::String(_) => "a string",
            Value::Array(_) => "an array",
            Value::Object(_) => "an object",
        };
        self.refused(ChangesJsonProblem::Kind { expected, found })
    }

    /// Checks that it is an object with no other members.
    pub(super) fn has_only(&self, names: &[&str]) -> Result<(), ChangesJsonError> {
        let members = self.object()?.into_iter().flatten();
        let mut unknown = members
            .map(|(name, _)| name)
            .filter(|name| !names.contains(&name.as_str()));
        unknown.next().map_or(Ok(()), |name| {
            Err(self.refused(ChangesJsonProblem::Unknown { name: name.clone() }))
        })
    }

    pub(super) fn object(&self) -> Result<Option<&'a Map<String, Value>>, ChangesJsonError> {
        match self.value {
            None => Ok(None),
            Some(Value::Object(members)) => Ok(Some(members)),
            Some(other) => Err(self.not_a("an object", other)),
        }
    }

    /// A member that is a position or a count.
    pub(super) fn number(&self, name: &'static str) -> Result<usize, ChangesJsonError> {
        let member = self.at(name);
        let value = member.value.ok_or_else(|| self.missing(name))?;
        let number = value
            .as_u64()
            .and_then(|number| usize::try_from(number).ok());
        number.ok_or_else(|| member.not_a("a whole number from 0", value))
    }

    /// A member that is a key.
    pub(super) fn key(&self, name: &'static str) -> Result<Option<RecordKey>, ChangesJsonError> {
        let member = self.at(name);
        let key = member.value.map(RecordKey::from_value).transpose();
        key.map_err(|why| member.refused(why.into()))
    }

    /// The elements of a member that is an array; none where it is absent.
    pub(super) fn entries(&self, name: &'static str) -> Result<Vec<Self>, ChangesJsonError> {
        let member = self.at(name);
        match member.value {
            None => Ok(Vec::new()),
            Some(Value::Array(elements)) => {
                let entries: Vec<Self> = (0..elements.len())
                    .map(|index| member.entry(index))
                    .collect();
                let not_object = entries.iter().find_map(|entry| entry.object().err());
                not_object.map_or(Ok(entries), Err)
            }
            Some(other) => Err(member.not_a("an array", other)),
        }
    }

    pub(super) fn ascends(
        &self,
        position: usize,
        previous: Option<usize>,
    ) -> Result<(), ChangesJsonError> {
        match previous {
            Some(previous) if previous >= position => {
                Err(self.refused(ChangesJsonProblem::NotAscending { position, previous }))
            }
            _ => Ok(()),
        }
    }

    pub(super) fn within(&self, position: usize, rows: usize) -> Result<(), ChangesJsonError> {
        if position < rows {
            return Ok(());
        }
        Err(self.refused(ChangesJsonProblem::OutOfRange { position, rows }))
    }
}
