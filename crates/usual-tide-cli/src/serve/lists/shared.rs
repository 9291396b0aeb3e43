//! A bound list that the clients with one query share.

use crate::error::CommandError;
use crate::input::QueryTexts;
use serde_json::{Value, json};
use std::sync::{Arc, OnceLock};
use usual_tide::record::Record;
use usual_tide::{BoundList, ChangeSet, Feed, ListId, Store};

/// A bound list, and who reads it.
#[derive(Debug)]
pub(super) struct SharedList {
    pub(super) list: ListId,
    feed: Feed<Record>,
    pub(super) texts: QueryTexts,
    /// The names of the clients' lists.
    pub(super) clients: Vec<String>,
}

/// How the positions of a change set are written.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub(in crate::serve) enum Positions {
    /// Over all rows.
    #[default]
    Row,
    /// By section and row.
    Section,
}

/// A change set, written as JSON at most once in each form, however many clients it is sent to.
#[derive(Debug)]
pub(super) struct SharedChanges {
    pub(super) changes: ChangeSet<Record>,
    by_row: OnceLock<String>,
    by_section: OnceLock<String>,
}

impl SharedChanges {
    pub(super) fn new(changes: ChangeSet<Record>) -> Self {
        Self {
            changes,
            by_row: OnceLock::new(),
            by_section: OnceLock::new(),
        }
    }

    /// The set as JSON. It must be the last one of the list, whose rows it leads to.
    pub(super) fn json(&self, rows: &BoundList<'_, Record>, positions: Positions) -> &str {
        let written = match positions {
            Positions::Row => &self.by_row,
            Positions::Section => &self.by_section,
        };
        written.get_or_init(|| json_of(&self.changes, rows, positions))
    }
}

/// A change set that leads to these rows as JSON.
pub(super) fn json_of(
    changes: &ChangeSet<Record>,
    rows: &BoundList<'_, Record>,
    positions: Positions,
) -> String {
    let told = match positions {
        Positions::Row => changes.to_json(),
        Positions::Section => changes.by_section().to_json(
            |at| rows.at_section_row(at).map(|row| &**row),
            |at| rows.section_at(at).map(|section| section.key().clone()),
        ),
    };
    told.to_string()
}

impl SharedList {
    pub(super) fn of(
        store: &mut Store<Record>,
        list: ListId,
        texts: QueryTexts,
    ) -> Result<Self, CommandError> {
        Ok(Self {
            list,
            feed: store.feed(list)?,
            texts,
            clients: Vec::new(),
        })
    }

    pub(super) fn unbind(self, store: &mut Store<Record>) -> Result<(), CommandError> {
        Ok(store.unbind(self.list)?)
    }

    /// What has changed since it was read last.
    pub(super) fn read(
        &mut self,
        store: &Store<Record>,
    ) -> Result<Option<Arc<SharedChanges>>, CommandError> {
        let changes = self.feed.read(store)?;
        Ok(changes.map(|changes| Arc::new(SharedChanges::new(changes))))
    }

    /// What the list is, and how many rows match.
    pub(super) fn summary(
        &self,
        store: &Store<Record>,
        name: &str,
        version: u64,
    ) -> Result<Value, CommandError> {
        let rows = store.list(self.list)?;
        Ok(json!({
            "list": name,
            "version": version,
            "query": self.texts.to_json(),
            "matching": rows.matching(),
        }))
    }

    /// The same with the rows as they are, and the sections of a grouped list.
    pub(super) fn rows(
        &self,
        store: &Store<Record>,
        name: &str,
        version: u64,
    ) -> Result<Value, CommandError> {
        let mut told = self.summary(store, name, version)?;
        let rows = store.list(self.list)?;
        let items = rows.items().map(|item| Value::Object(item.to_members()));
        told["rows"] = items.collect();
        if rows.query().grouping().is_some() {
            let sections = rows.sections().zip(0..).map(|(section, at)| {
                let mut section = section.to_json();
                section["rows"] = rows.rows_in(at).len().into();
                section
            });
            told["sections"] = sections.collect();
        }
        Ok(told)
    }
}
