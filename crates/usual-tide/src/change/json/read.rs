//! Change sets from JSON.

use super::object::Reader;
use super::problem::{ChangesJsonError, ChangesJsonProblem};
use crate::change::align::{Alignment, Segment};
use crate::change::rows::Rows;
use crate::change::set::{ChangeSet, RowRun};
use crate::item::{FieldValue, Item, RecordKey, json_key};

use serde_json::Value;
use std::collections::HashSet;
use std::sync::Arc;

impl<T: Item<Key: FieldValue>> ChangeSet<T> {
    /// Reads a change set as [`to_json`](Self::to_json) writes it, for the rows that it starts from.
    ///
    /// Every position and every key is checked, so what is read fits the rows, and so are `fields` and `renumbered`
    /// where they are given. `sections` follow from the rows and are passed over. A set with more moves than
    /// are needed becomes one with as few as can be. `read` makes an item of its JSON: with serde
    /// (`|json| serde_json::from_value(json.clone())`), for records with
    /// [`RecordMaker::read`](crate::record::RecordMaker::read). O(n).
    ///
    /// # Errors
    ///
    /// [`ChangesJsonError`] with the place in the JSON.
    ///
    /// ```
    /// use serde_json::json;
    /// use std::sync::Arc;
    /// use usual_tide::{ChangeSet, record};
    ///
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let key = record::FieldName::parse("id")?;
    /// let maker = record::RecordMaker::new(&key);
    /// let rows = record::parse(r#"[{"id": "P-1"}, {"id": "P-2"}]"#, &key)?;
    /// let mut rows: Vec<_> = rows.into_iter().map(Arc::new).collect();
    /// let mut json = json!({"before": 2, "after": 1, "removed": [{"at": 0, "key": "P-1"}]});
    /// ChangeSet::from_json(&json, &rows, |json| maker.read(json))?.apply(&mut rows)?;
    /// assert_eq!(rows.len(), 1);
    ///
    /// json["before"] = 1.into();
    /// json["after"] = 0.into();
    /// let error = ChangeSet::from_json(&json, &rows, |json| maker.read(json)).unwrap_err();
    /// assert_eq!(error.to_string(), "at /removed/0/key: expected \"P-1\" at position 0, and \"P-2\" is there");
    /// # Ok(()) }
    /// ```
    pub fn from_json<E: std::fmt::Display>(
        value: &Value,
        before: &[Arc<T>],
        read: impl Fn(&Value) -> Result<T, E>,
    ) -> Result<Self, ChangesJsonError> {
        let read = |json: &Value| read(json).map_err(|why| why.to_string());
        let top = Reader::top(value);
        top.has_only(&[
            "before",
            "after",
            "removed",
            "inserted",
            "moved",
            "updated",
            "sections",
            "renumbered",
        ])?;
        let (expected, found) = (top.number("before")?, before.len());
        if expected != found {
            let problem = ChangesJsonProblem::WrongLength { expected, found };
            return Err(top.at("before").refused(problem));
        }
        let mut reading = Reading {
            read: &read,
            before,
            leaving: HashSet::new(),
            arriving: HashSet::new(),
            after: top.number("after")?,
        };
        let removed = reading.removed(&top)?;
        let inserted = reading.inserted(&top)?;
        reading.check_sum(&top, removed.len(), inserted.len())?;
        let moved = reading.moved(&top)?;
        let origins = reading.origins(&inserted, &moved);
        reading.check_keys(&top, &removed, &inserted)?;
        let updated = reading.updated(&top, &origins)?;
        reading.check_renumbered(&top, &origins)?;
        Ok(Self::minimal(
            &reading.alignment(&removed, inserted, &origins, updated),
        ))
    }
}

/// Where a row of A comes from.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Origin {
    /// Not known yet.
    Open,
    New,
    Kept(usize),
}

/// A row of A with its item.
type Placed<T> = (usize, Arc<T>);

struct Reading<'a, T> {
    read: &'a dyn Fn(&Value) -> Result<T, String>,
    before: &'a [Arc<T>],
    after: usize,
    /// Positions in B of rows that are removed or moved.
    leaving: HashSet<usize>,
    /// Positions in A of rows that are inserted or moved.
    arriving: HashSet<usize>,
}

impl<T: Item<Key: FieldValue>> Reading<'_, T> {
    /// The positions of the removed rows.
    fn removed(&mut self, top: &Reader<'_>) -> Result<Vec<usize>, ChangesJsonError> {
        let mut removed: Vec<usize> = Vec::new();
        for entry in top.entries("removed")? {
            entry.has_only(&["at", "section", "row", "key"])?;
            let at = entry.number("at")?;
            entry.at("at").ascends(at, removed.last().copied())?;
            self.is_row(&entry, "at", at)?;
            self.leaving.insert(at);
            removed.push(at);
        }
        Ok(removed)
    }

    fn inserted(&mut self, top: &Reader<'_>) -> Result<Vec<Placed<T>>, ChangesJsonError> {
        let mut inserted: Vec<Placed<T>> = Vec::new();
        for entry in top.entries("inserted")? {
            entry.has_only(&["at", "section", "row", "key", "item"])?;
            let at = entry.number("at")?;
            let place = entry.at("at");
            place.ascends(at, inserted.last().map(|row| row.0))?;
            place.within(at, self.after)?;
            let key = entry.key("key")?.ok_or_else(|| entry.missing("key"))?;
            inserted.push((at, self.item(&entry, &key)?));
            self.arriving.insert(at);
        }
        Ok(inserted)
    }

    fn moved(&mut self, top: &Reader<'_>) -> Result<Vec<(usize, usize)>, ChangesJsonError> {
        let mut moved: Vec<(usize, usize)> = Vec::new();
        for entry in top.entries("moved")? {
            entry.has_only(&[
                "from",
                "from_section",
                "from_row",
                "to",
                "to_section",
                "to_row",
                "key",
            ])?;
            let (from, to) = self.ends(&entry, moved.last().map(|row| row.1))?;
            if !self.leaving.insert(from) {
                let problem = ChangesJsonProblem::TakenTwice { position: from };
                return Err(entry.at("from").refused(problem));
            }
            if !self.arriving.insert(to) {
                let problem = ChangesJsonProblem::TakenTwice { position: to };
                return Err(entry.at("to").refused(problem));
            }
            moved.push((from, to));
        }
        Ok(moved)
    }

    /// The changed rows: where they are in A, and their items.
    fn updated(
        &self,
        top: &Reader<'_>,
        origins: &[Origin],
    ) -> Result<Vec<Placed<T>>, ChangesJsonError> {
        let mut updated: Vec<Placed<T>> = Vec::new();
        for entry in top.entries("updated")? {
            entry.has_only(&[
                "from",
                "from_section",
                "from_row",
                "to",
                "to_section",
                "to_row",
                "key",
                "fields",
                "item",
            ])?;
            let (from, to) = self.ends(&entry, updated.last().map(|row| row.0))?;
            let found = match origins.get(to) {
                Some(Origin::Kept(from)) => Some(*from),
                _ => None,
            };
            if found != Some(from) {
                let problem = ChangesJsonProblem::WrongOrigin {
                    to,
                    expected: from,
                    found,
                };
                return Err(entry.at("from").refused(problem));
            }
            let item = self.item(&entry, &json_key(self.before[from].key()))?;
            self.check_fields(&entry, &self.before[from], &item)?;
            updated.push((to, item));
        }
        Ok(updated)
    }

    /// Checks that the fields are those that differ, where they are given.
    fn check_fields(
        &self,
        entry: &Reader<'_>,
        before: &T,
        after: &T,
    ) -> Result<(), ChangesJsonError> {
        let Some(fields) = entry.optional("fields") else {
            return Ok(());
        };
        let found = fields.texts()?;
        let differ = before.changed_fields(after);
        let expected: Vec<String> = differ
            .iter()
            .map(|path| path.as_pointer().to_owned())
            .collect();
        let same =
            expected.len() == found.len() && expected.iter().all(|path| found.contains(path));
        match same {
            true => Ok(()),
            false => Err(fields.refused(ChangesJsonProblem::WrongFields { expected, found })),
        }
    }

    /// Checks that the rows that are said to have another number are kept ones that were not moved.
    fn check_renumbered(
        &self,
        top: &Reader<'_>,
        origins: &[Origin],
    ) -> Result<(), ChangesJsonError> {
        let mut previous = None;
        for entry in top.entries("renumbered")? {
            entry.has_only(&["start", "end"])?;
            let (start, end) = (entry.number("start")?, entry.number("end")?);
            entry.at("start").ascends(start, previous)?;
            if end <= start {
                let problem = ChangesJsonProblem::EmptyRun { start, end };
                return Err(entry.at("end").refused(problem));
            }
            entry.at("end").within(end - 1, self.after)?;
            let stays = |at: &usize| {
                matches!(origins.get(*at), Some(Origin::Kept(_))) && !self.arriving.contains(at)
            };
            if let Some(position) = (start..end).find(|at| !stays(at)) {
                let problem = ChangesJsonProblem::WrongNumber { position };
                return Err(entry.at("start").refused(problem));
            }
            previous = Some(end - 1);
        }
        Ok(())
    }

    /// Where a kept row is in B and in A, after the entry before.
    fn ends(
        &self,
        entry: &Reader<'_>,
        previous: Option<usize>,
    ) -> Result<(usize, usize), ChangesJsonError> {
        let (from, to) = (entry.number("from")?, entry.number("to")?);
        entry.at("to").ascends(to, previous)?;
        entry.at("to").within(to, self.after)?;
        self.is_row(entry, "from", from)?;
        Ok((from, to))
    }

    /// Checks that a position is one of B, and that the row there has the entry's key, where it names one.
    fn is_row(
        &self,
        entry: &Reader<'_>,
        name: &'static str,
        position: usize,
    ) -> Result<(), ChangesJsonError> {
        entry.at(name).within(position, self.before.len())?;
        let found = json_key(self.before[position].key());
        match entry.key("key")? {
            Some(expected) if expected != found => {
                let problem = ChangesJsonProblem::WrongRow {
                    position,
                    expected,
                    found,
                };
                Err(entry.at("key").refused(problem))
            }
            _ => Ok(()),
        }
    }

    fn item(&self, entry: &Reader<'_>, expected: &RecordKey) -> Result<Arc<T>, ChangesJsonError> {
        let place = entry.at("item");
        place.object()?.ok_or_else(|| entry.missing("item"))?;
        let item = place
            .value()
            .map_or(Ok(None), |json| (self.read)(json).map(Some));
        let item = item.map_err(|why| place.refused(ChangesJsonProblem::Item(why)))?;
        let item = item.ok_or_else(|| entry.missing("item"))?;
        let found = json_key(item.key());
        if found != *expected {
            let problem = ChangesJsonProblem::WrongItem {
                expected: expected.clone(),
                found,
            };
            return Err(place.refused(problem));
        }
        Ok(Arc::new(item))
    }

    fn check_sum(
        &self,
        top: &Reader<'_>,
        removed: usize,
        inserted: usize,
    ) -> Result<(), ChangesJsonError> {
        let (before, after) = (self.before.len(), self.after);
        if before - removed + inserted == after {
            return Ok(());
        }
        let problem = ChangesJsonProblem::WrongSum {
            before,
            removed,
            inserted,
            after,
        };
        Err(top.at("after").refused(problem))
    }

    /// Checks that no inserted key is there twice.
    fn check_keys(
        &self,
        top: &Reader<'_>,
        removed: &[usize],
        inserted: &[Placed<T>],
    ) -> Result<(), ChangesJsonError> {
        let mut gone = removed.iter().peekable();
        let stays = |at: &usize| gone.next_if_eq(&at).is_none();
        let kept = (0..self.before.len()).filter(stays);
        let mut keys: HashSet<&T::Key> = kept.map(|at| self.before[at].key()).collect();
        let entries = top.at("inserted");
        for (index, (_, item)) in inserted.iter().enumerate() {
            if !keys.insert(item.key()) {
                let key = json_key(item.key());
                let problem = ChangesJsonProblem::DuplicateKey { key };
                return Err(entries.entry(index).at("key").refused(problem));
            }
        }
        Ok(())
    }

    /// Where each row of A comes from; the sum was checked.
    fn origins(&self, inserted: &[Placed<T>], moved: &[(usize, usize)]) -> Vec<Origin> {
        let mut origins = vec![Origin::Open; self.after];
        for (at, _) in inserted {
            origins[*at] = Origin::New;
        }
        for (from, to) in moved {
            origins[*to] = Origin::Kept(*from);
        }
        let mut still = (0..self.before.len()).filter(|at| !self.leaving.contains(at));
        for origin in origins.iter_mut().filter(|origin| **origin == Origin::Open) {
            *origin = still.next().map_or(Origin::New, Origin::Kept);
        }
        origins
    }

    fn alignment(
        &self,
        removed: &[usize],
        inserted: Vec<Placed<T>>,
        origins: &[Origin],
        updated: Vec<Placed<T>>,
    ) -> Alignment<T> {
        let mut alignment = Alignment::empty(self.before.len(), self.after);
        alignment.removed.extend(removed.iter().map(|at| RowRun {
            at: *at,
            rows: Rows::one(Arc::clone(&self.before[*at])),
        }));
        let mut inserted = inserted.into_iter();
        let mut updated = updated.into_iter().peekable();
        for (to, origin) in origins.iter().enumerate() {
            match (origin, updated.next_if(|row| row.0 == to)) {
                (Origin::Kept(from), Some((_, after))) => {
                    alignment.segments.push(Segment::Changed {
                        from: *from,
                        before: Arc::clone(&self.before[*from]),
                        after,
                    });
                }
                (Origin::Kept(from), None) => alignment.push_kept(*from, 1),
                _ => {
                    if let Some((_, item)) = inserted.next() {
                        alignment.push_new(Rows::one(item));
                    }
                }
            }
        }
        alignment
    }
}
