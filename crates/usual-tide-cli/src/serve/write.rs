//! Writes: what is asked, what the source makes of it, and what is answered.

use super::hub::{Hub, ServedItems, Writer};
use super::reply::Reply;
use super::tags::Conditions;
use crate::merge_patch;
use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};
use serde_json::{Map, Value};
use std::sync::Arc;
use usual_tide::record::{Record, RecordKey};
use usual_tide::writes::{Neighbours, Show, Write};
use usual_tide::{EditError, Item, Place, Store};
use usual_tide_sources::link::Answer;

/// What is asked of an item.
#[derive(Debug)]
pub(super) enum Requested {
    Add(Map<String, Value>),
    /// A merge patch (RFC 7396).
    Merge(String, Map<String, Value>),
    /// A whole new version.
    Replace(String, Map<String, Value>),
    Remove(String),
}

/// Where an item is to stand, as the address says it.
#[derive(Clone, Default, Debug, serde::Deserialize)]
pub(super) struct RequestedPlace {
    at: Option<String>,
    after: Option<String>,
    before: Option<String>,
}

/// A write and what it depends on.
#[derive(Debug)]
pub(super) struct WriteRequest {
    pub(super) requested: Requested,
    pub(super) at: RequestedPlace,
    pub(super) conditions: Conditions,
}

impl Hub {
    /// Carries out a write: the source is asked while everybody can go on reading.
    pub(super) fn write(&self, writer: &mut Writer, request: &WriteRequest) -> Reply {
        if let Err(why) = self.refresh(writer) {
            return Reply::problem(503, why.to_string());
        }
        let write = match self.shown().as_write(request) {
            Ok(write) => write,
            Err(reply) => return *reply,
        };
        let answer = match writer.direct.write(&write) {
            Ok(answer) => answer,
            Err(why) => {
                tracing::warn!(%why, "the source gave no answer to a write");
                return Reply::problem(503, why.to_string());
            }
        };
        let item = match answer {
            Answer::Saved => write.after.as_deref().cloned(),
            Answer::SavedAs(item) => Some(item),
            Answer::Refused { reason, current } => {
                let reply = Reply::problem(422, reason);
                return match current {
                    Some(Some(item)) => {
                        let etag = self.shown().etag(&write.key);
                        Reply {
                            status: 409,
                            ..reply
                        }
                        .with_item(Value::Object(item.to_members()), etag)
                    }
                    _ => reply,
                };
            }
            // A source that tells its changes in order, another server say: what it has now is asked for.
            Answer::SavedIn(_) => {
                return match self.load_again(writer) {
                    Ok(()) => self.shown().done(&write),
                    Err(why) => Reply::problem(503, why.to_string()),
                };
            }
            _ => return Reply::problem(500, "the source gave an answer of an unknown kind"),
        };
        let taken = self.change(|store| take_over(store, &write, item));
        match taken {
            Ok(()) => self.shown().done(&write),
            // The source has other items by now than were shown.
            Err(_) => match self.load_again(writer) {
                Ok(()) => self.shown().done(&write),
                Err(why) => Reply::problem(503, why.to_string()),
            },
        }
    }
}

impl ServedItems {
    /// The answer to a write that was done.
    fn done(&self, write: &Write<Record>) -> Reply {
        match self.store.get(&write.key).filter(|_| write.after.is_some()) {
            Some(item) => {
                let item = Arc::clone(item);
                let status = if write.before.is_none() { 201 } else { 200 };
                let key = write.key.to_string();
                let key = utf8_percent_encode(&key, NON_ALPHANUMERIC);
                Reply {
                    location: write.before.is_none().then(|| format!("/items/{key}")),
                    ..self.item_reply(status, &item)
                }
            }
            None => Reply {
                status: 204,
                id: Some(self.id()),
                ..Reply::default()
            },
        }
    }

    /// What is asked as a write, or the refusal.
    fn as_write(&self, request: &WriteRequest) -> Result<Write<Record>, Box<Reply>> {
        let (before, after) = match &request.requested {
            Requested::Add(members) => {
                let item = self.record(members.clone())?;
                let version = self
                    .store
                    .get(item.key())
                    .map(|there| self.etag(there.key()));
                if !request.conditions.allow(version.as_deref()) {
                    let why = "what the request expects of the item's version does not hold";
                    return Err(Reply::problem(412, why).into());
                }
                if let Some(there) = self.store.get(item.key()) {
                    let reply = Reply::problem(409, format!("the key {:?} is taken", item.key()));
                    return Err(self.carrying(reply, there).into());
                }
                (None, Some(item))
            }
            Requested::Merge(key, patch) => {
                let before = self.known(key, &request.conditions)?;
                let mut members = before.to_members();
                merge_patch::apply(&mut members, patch);
                let after = merge_patch::keeping_numbers(before, self.record(members)?);
                (Some(Arc::clone(before)), Some(after))
            }
            Requested::Replace(key, members) => {
                let before = self.known(key, &request.conditions)?;
                (
                    Some(Arc::clone(before)),
                    Some(self.record(members.clone())?),
                )
            }
            Requested::Remove(key) => {
                let before = self.known(key, &request.conditions)?;
                (Some(Arc::clone(before)), None)
            }
        };
        let key = match (&before, &after) {
            (Some(before), Some(after)) if before.key() != after.key() => {
                return Err(Reply::problem(422, "an edit cannot change the key").into());
            }
            (Some(item), _) => item.key().clone(),
            (None, Some(item)) => item.key().clone(),
            (None, None) => return Err(Reply::problem(400, "there is no item").into()),
        };
        let place = self.place(&request.at, &key, before.is_none())?;
        Ok(Write::new(
            key,
            before,
            after.map(Arc::new),
            place,
            Show::AtOnce,
        ))
    }

    fn record(&self, members: Map<String, Value>) -> Result<Record, Box<Reply>> {
        let record = self.maker.record(members);
        record.map_err(|why| Reply::problem(422, why.to_string()).into())
    }

    /// The item with a key, in a version that the request is for.
    fn known(&self, key: &str, conditions: &Conditions) -> Result<&Arc<Record>, Box<Reply>> {
        let key = self.key_of(key);
        let gone = || Box::new(Reply::problem(404, format!("there is no item {key:?}")));
        let item = self.store.get(&key).ok_or_else(gone)?;
        match conditions.allow(Some(&self.etag(&key))) {
            true => Ok(item),
            false => {
                let reply = Reply::problem(412, format!("the item {key:?} was changed meanwhile"));
                Err(self.carrying(reply, item).into())
            }
        }
    }

    fn carrying(&self, reply: Reply, item: &Record) -> Reply {
        reply.with_item(Value::Object(item.to_members()), self.etag(item.key()))
    }

    /// The conflict that is told when there is none, to see what an app makes of it.
    pub(super) fn made_up_conflict(&self, requested: &Requested) -> Option<Reply> {
        let key = match requested {
            Requested::Add(_) => return None,
            Requested::Merge(key, _) | Requested::Replace(key, _) | Requested::Remove(key) => key,
        };
        let item = self.store.get(&self.key_of(key))?;
        Some(self.carrying(Reply::problem(412, "a simulated conflict"), item))
    }

    /// What an item is to stand between.
    fn place(
        &self,
        at: &RequestedPlace,
        key: &RecordKey,
        is_new: bool,
    ) -> Result<Option<Neighbours<RecordKey>>, Box<Reply>> {
        let items = &self.store;
        let key_at = |at: usize| items.at(at).map(|item| item.key().clone());
        let others = |mut at: usize, step: isize| loop {
            match key_at(at) {
                Some(found) if found == *key => at = at.checked_add_signed(step)?,
                found => return found,
            }
        };
        let end = || Neighbours {
            after: items.len().checked_sub(1).and_then(|last| others(last, -1)),
            before: None,
        };
        let known = |text: &Option<String>| {
            let key = self.key_of(text.as_deref()?);
            Some((items.position(&key)?, key))
        };
        Ok(
            match (at.at.as_deref(), known(&at.after), known(&at.before)) {
                (Some("start"), ..) => Some(Neighbours {
                    after: None,
                    before: others(0, 1),
                }),
                (Some("end"), ..) => Some(end()),
                (Some(other), ..) => {
                    let why = format!("at={other}: it can be start or end");
                    return Err(Reply::problem(400, why).into());
                }
                (None, Some((at, after)), _) => {
                    let before = others(at + 1, 1);
                    Some(Neighbours {
                        after: Some(after),
                        before,
                    })
                }
                (None, None, Some((at, before))) => Some(Neighbours {
                    after: at.checked_sub(1).and_then(|at| others(at, -1)),
                    before: Some(before),
                }),
                // What it was to stand next to is gone.
                (None, None, None) => is_new.then(end),
            },
        )
    }
}

/// Takes over what the source has made of a write.
fn take_over(
    store: &mut Store<Record>,
    write: &Write<Record>,
    item: Option<Record>,
) -> Result<(), EditError<RecordKey>> {
    store.from_source(|store| {
        let Some(item) = item else {
            return store.remove(&write.key).map(drop);
        };
        let neighbours = write.place.as_ref();
        let place = neighbours.and_then(|place| place.place(|key| store.contains(key)));
        match write.before {
            None => store.add(item, place.unwrap_or(Place::End)),
            Some(_) => {
                store.replace(item)?;
                match place {
                    Some(place) => store.move_to(&write.key, place).map(drop),
                    None => Ok(()),
                }
            }
        }
    })
}
