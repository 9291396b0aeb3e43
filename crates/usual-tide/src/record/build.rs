//! Making the block of a record, member by member.

use super::block::{Tag, ValueWriter, Values};
use super::content::{MemberValue, Object};
use super::name::FieldName;
use super::shape::{MemberNames, Step};
use super::shapes::{NameList, NotNames};
use serde_json::{Map, Value as Json};
use std::borrow::Cow;
use std::sync::Arc;

/// From so many bytes on, a text is shared by the records that have it.
const SHARED_FROM: usize = 128;

/// What records of one shape have in common, and the values of one.
#[derive(Clone, Debug)]
pub(super) struct Block {
    pub(super) names: Arc<MemberNames>,
    pub(super) values: Box<str>,
    /// Long texts.
    pub(super) shared: Option<Box<SharedTexts>>,
}

/// The long texts of a record, behind one pointer since few records have any.
#[derive(Clone, PartialEq, Debug)]
pub(super) struct SharedTexts(Vec<Arc<str>>);

/// Takes the members of one record after the other. Where they have the names of the record before, in the same
/// order, no name is looked up.
#[derive(Debug, Default)]
pub(super) struct BlockWriter {
    last: Option<Arc<MemberNames>>,
    /// Steps that are as in the last record.
    as_last: usize,
    /// The names, once one is another.
    list: NameList,
    is_other: bool,
    values: ValueWriter,
    shared: Vec<Arc<str>>,
    /// Long texts that may come again.
    at_hand: Vec<Arc<str>>,
}

impl BlockWriter {
    /// Expects much of this block.
    pub(super) fn like(block: &Block) -> Self {
        Self {
            last: Some(Arc::clone(&block.names)),
            at_hand: block.shared().to_vec(),
            ..Self::default()
        }
    }

    /// Forgets what was written of a record.
    pub(super) fn clear(&mut self) {
        self.as_last = 0;
        self.list.clear();
        self.is_other = false;
        self.values.clear();
        self.shared.clear();
    }

    /// Goes on beyond what the last record has in common with this.
    fn list(&mut self) -> &mut NameList {
        if !self.is_other {
            self.is_other = true;
            if let Some(last) = &self.last {
                self.list.begin_as(last, self.as_last);
            }
        }
        &mut self.list
    }

    fn step(&mut self, step: Step<'_>) -> bool {
        let next = match &self.last {
            Some(last) if !self.is_other => last.step(self.as_last),
            _ => None,
        };
        let known = next.is_some_and(|next| next.is_as(&step));
        self.as_last += usize::from(known);
        known
    }

    /// A member that is no object: its value follows.
    fn name(&mut self, name: &str) {
        if !self.step(Step::Value { name, value: 0 }) {
            self.list().value(name);
        }
    }

    pub(super) fn open(&mut self, name: &str) {
        if !self.step(Step::Object { name }) {
            self.list().open(name);
        }
    }

    pub(super) fn close(&mut self) {
        if !self.step(Step::End) {
            self.list().close();
        }
    }

    pub(super) fn text(&mut self, name: &str, text: &str) {
        if text.len() < SHARED_FROM {
            return self.value(name, Tag::Text, text);
        }
        let place = self.shared.len().to_string();
        self.value(name, Tag::Shared, &place);
        let known = self
            .at_hand
            .iter()
            .find(|known| std::ptr::eq(known.as_ptr(), text.as_ptr()));
        self.shared
            .push(known.map_or_else(|| Arc::from(text), Arc::clone));
    }

    pub(super) fn value(&mut self, name: &str, tag: Tag, text: &str) {
        self.name(name);
        self.values.push(tag, text);
    }

    pub(super) fn list_of(&mut self, name: &str, values: &ValueWriter) {
        self.name(name);
        self.values.push_list(Tag::List, values);
    }

    pub(super) fn json(&mut self, name: &str, value: &Json) {
        match value {
            Json::String(text) => self.text(name, text),
            Json::Object(members) => {
                self.open(name);
                self.members(members);
                self.close();
            }
            other => {
                self.name(name);
                push_json(&mut self.values, other);
            }
        }
    }

    pub(super) fn members(&mut self, members: &Map<String, Json>) {
        for (name, value) in members {
            self.json(name, value);
        }
    }

    pub(super) fn member(&mut self, name: &str, value: MemberValue<'_>) {
        match value {
            MemberValue::Text(text) => self.text(name, text),
            MemberValue::Object(object) => {
                self.open(name);
                for (name, value) in object.iter() {
                    self.member(name, value);
                }
                self.close();
            }
            other => {
                let (tag, text) = written(other);
                self.value(name, tag, &text);
            }
        }
    }

    /// The block of what was written, and an empty one for the next record.
    pub(super) fn finish(&mut self, key: &Arc<FieldName>) -> Result<Block, NotNames> {
        let complete = |last: &&Arc<MemberNames>| {
            !self.is_other
                && self.as_last == last.len()
                && (Arc::ptr_eq(last.key(), key) || last.key() == key)
        };
        let names = match self.last.as_ref().filter(complete) {
            Some(last) => Arc::clone(last),
            None => self.list().shape(key)?,
        };
        let shared = std::mem::take(&mut self.shared);
        let block = Block {
            values: self.values.finish(),
            shared: (!shared.is_empty()).then(|| Box::new(SharedTexts(shared))),
            names,
        };
        self.last = Some(Arc::clone(&block.names));
        self.clear();
        Ok(block)
    }
}

/// A JSON value in a list, or one that is no object.
pub(super) fn push_json(values: &mut ValueWriter, value: &Json) {
    match value {
        Json::Null => values.push(Tag::Null, ""),
        Json::Bool(flag) => values.push(Tag::flag(*flag), ""),
        Json::Number(number) => values.push(Tag::Number, &number.to_string()),
        Json::String(text) => values.push(Tag::Text, text),
        Json::Array(elements) => {
            let mut inner = ValueWriter::default();
            for element in elements {
                push_json(&mut inner, element);
            }
            values.push_list(Tag::List, &inner);
        }
        Json::Object(members) => {
            let mut inner = ValueWriter::default();
            for (name, value) in members {
                inner.push(Tag::Text, name);
                push_json(&mut inner, value);
            }
            values.push_list(Tag::Object, &inner);
        }
    }
}

impl Block {
    pub(super) fn shared(&self) -> &[Arc<str>] {
        self.shared.as_deref().map_or(&[], |shared| &shared.0)
    }

    pub(super) fn values(&self) -> Values<'_> {
        Values::new(&self.values, self.names.values())
    }

    pub(super) fn value(&self, at: usize) -> Option<MemberValue<'_>> {
        Some(MemberValue::of(self.values().get(at)?, self.shared()))
    }

    pub(super) fn members(&self) -> Object<'_> {
        Object::whole(&self.names, self.values(), self.shared())
    }

    /// The same with another value, which is no object, at one place. O(length).
    pub(super) fn with(&self, at: usize, value: MemberValue<'_>) -> Self {
        let mut shared = self.shared().to_vec();
        let old = self.values().get(at);
        let old_place = old
            .filter(|(tag, _)| *tag == Tag::Shared)
            .and_then(|(_, place)| place.parse::<usize>().ok())
            .filter(|place| *place < shared.len());
        let with = |tag, text: &str| self.values().with(at, tag, text);
        let is_shared = value
            .as_text()
            .is_some_and(|text| text.len() >= SHARED_FROM);
        let values = match (value, old_place) {
            (MemberValue::Text(text), Some(place)) if is_shared => {
                shared[place] = Arc::from(text);
                with(Tag::Shared, &place.to_string())
            }
            (MemberValue::Text(text), None) if is_shared => {
                shared.push(Arc::from(text));
                with(Tag::Shared, &(shared.len() - 1).to_string())
            }
            _ => {
                let (tag, text) = written(value);
                with(tag, &text)
            }
        };
        if let Some(place) = old_place.filter(|_| !is_shared) {
            // The places of others stay.
            shared[place] = Arc::from("");
        }
        Self {
            names: Arc::clone(&self.names),
            values,
            shared: (!shared.is_empty()).then(|| Box::new(SharedTexts(shared))),
        }
    }
}

/// What a value is in a block, or in a list: its tag and its text.
fn written(value: MemberValue<'_>) -> (Tag, Cow<'_, str>) {
    match value {
        MemberValue::Null => (Tag::Null, "".into()),
        MemberValue::Bool(flag) => (Tag::flag(flag), "".into()),
        MemberValue::Number(text) => (Tag::Number, text.into()),
        MemberValue::Text(text) => (Tag::Text, text.into()),
        MemberValue::List(list) => (Tag::List, list.values.to_list().into()),
        MemberValue::Object(object) => {
            let mut writer = ValueWriter::default();
            for (name, value) in object.iter() {
                writer.push(Tag::Text, name);
                let (tag, text) = written(value);
                writer.push(tag, &text);
            }
            (Tag::Object, writer.finish_list().into())
        }
    }
}

/// A JSON value as a member holds it. It must not nest deeper than a record may.
pub(super) fn with_member<R>(value: &Json, then: impl FnOnce(MemberValue<'_>) -> R) -> R {
    match value {
        Json::Null => then(MemberValue::Null),
        Json::Bool(flag) => then(MemberValue::Bool(*flag)),
        Json::String(text) => then(MemberValue::Text(text)),
        Json::Number(number) => then(MemberValue::Number(&number.to_string())),
        Json::Array(_) | Json::Object(_) => {
            let mut writer = ValueWriter::default();
            push_json(&mut writer, value);
            let block = writer.finish();
            let value = Values::new(&block, 1).get(0);
            then(value.map_or(MemberValue::Null, |value| MemberValue::of(value, &[])))
        }
    }
}
