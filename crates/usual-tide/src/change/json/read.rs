//! Change sets from JSON.

use super::object::Reader;
use super::problem::{ChangesJsonError, ChangesJsonProblem};
use crate::change::rows::Rows;
use crate::change::set::{ChangeSet, MovedRun, RowRun, Updated};
use crate::item::{FieldValue, Item, RecordKey, json_key};

use serde_json::Value;
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

impl<T: Item<Key: FieldValue>> ChangeSet<T> {
    /// Reads a change set as [`to_json`](Self::to_json) writes it, for the rows that it starts from.
    ///
    /// Every position and every key is checked, so what is read fits the rows, and so are `fields` and `renumbered`
    /// where they are given. `sections` follow from the rows and are passed over. A set with more moves than
    /// are needed becomes one with as few as can be. `read` makes an item of its JSON: with serde
    /// (`|json| serde_json::from_value(json.clone())`), for records with
    /// [`RecordMaker::read`](crate::record::RecordMaker::read). O(k log k), and one pass over the keys of the rows when
    /// some are inserted.
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
        reading.check_keys(&top, &removed, &inserted)?;
        let mut set = reading.set(&removed, &inserted, &moved);
        let kept = Kept::of(&set);
        set.updated = reading.updated(&top, &kept)?;
        reading.check_renumbered(&top, &kept)?;
        Ok(Self::minimal(&set.to_alignment()))
    }
}

/// The kept rows as runs, ascending by `to`.
struct Kept(Vec<MovedRun>);

impl Kept {
    fn of<T>(set: &ChangeSet<T>) -> Self {
        let mut runs = set.still_runs();
        runs.extend_from_slice(&set.moved);
        runs.sort_unstable_by_key(|run| run.to);
        Self(runs)
    }

    /// The run that holds a row of A. O(log k).
    fn run_of(&self, to: usize) -> Option<&MovedRun> {
        let next = self.0.partition_point(|run| run.to <= to);
        let run = self.0.get(next.checked_sub(1)?)?;
        (to < run.to + run.len).then_some(run)
    }

    /// Where a row of A was in B; `None` for one that was not there.
    fn origin(&self, to: usize) -> Option<usize> {
        let run = self.run_of(to)?;
        Some(run.from + to - run.to)
    }
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

    /// The changed rows.
    fn updated(&self, top: &Reader<'_>, kept: &Kept) -> Result<Vec<Updated<T>>, ChangesJsonError> {
        let mut updated: Vec<Updated<T>> = Vec::new();
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
            let (from, to) = self.ends(&entry, updated.last().map(|row| row.to))?;
            let found = kept.origin(to);
            if found != Some(from) {
                let problem = ChangesJsonProblem::WrongOrigin {
                    to,
                    expected: from,
                    found,
                };
                return Err(entry.at("from").refused(problem));
            }
            let before = &self.before[from];
            let after = self.item(&entry, &json_key(before.key()))?;
            self.check_fields(&entry, before, &after)?;
            updated.push(Updated {
                from,
                to,
                before: Arc::clone(before),
                after,
            });
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
    fn check_renumbered(&self, top: &Reader<'_>, kept: &Kept) -> Result<(), ChangesJsonError> {
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
            let mut at = start;
            while at < end {
                let run = kept.run_of(at).filter(|_| !self.arriving.contains(&at));
                let Some(run) = run else {
                    let problem = ChangesJsonProblem::WrongNumber { position: at };
                    return Err(entry.at("start").refused(problem));
                };
                at = run.to + run.len;
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
        if inserted.is_empty() {
            return Ok(());
        }
        let mut places: HashMap<&T::Key, usize> = HashMap::with_capacity(inserted.len());
        let mut twice = None;
        for (index, (_, item)) in inserted.iter().enumerate() {
            if *places.entry(item.key()).or_insert(index) != index {
                twice = Some(index);
                break;
            }
        }
        let mut gone = removed.iter().peekable();
        let stays = |at: &usize| gone.next_if_eq(&at).is_none();
        let kept = (0..self.before.len()).filter(stays);
        let there = kept.filter_map(|at| places.get(self.before[at].key()).copied());
        let Some(index) = there.chain(twice).min() else {
            return Ok(());
        };
        let key = json_key(inserted[index].1.key());
        let problem = ChangesJsonProblem::DuplicateKey { key };
        let entries = top.at("inserted");
        Err(entries.entry(index).at("key").refused(problem))
    }

    /// The set as far as it says where rows are; the sum was checked.
    fn set(
        &self,
        removed: &[usize],
        inserted: &[Placed<T>],
        moved: &[(usize, usize)],
    ) -> ChangeSet<T> {
        let one = |at: usize, item: &Arc<T>| RowRun {
            at,
            rows: Rows::one(Arc::clone(item)),
        };
        let removed = removed.iter().map(|at| one(*at, &self.before[*at]));
        let inserted = inserted.iter().map(|(at, item)| one(*at, item));
        let moved = moved.iter().map(|(from, to)| MovedRun {
            from: *from,
            to: *to,
            len: 1,
        });
        ChangeSet {
            before: self.before.len(),
            after: self.after,
            removed: removed.collect(),
            inserted: inserted.collect(),
            moved: moved.collect(),
            ..ChangeSet::unchanged(0)
        }
    }
}
