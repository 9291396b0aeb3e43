//! Edits that a person makes, each as one step with a name that can be undone.

use super::new_item::new_item;
use super::{Done, Engine, Refusal, read};
use crate::browse::messages::{ListNumber, NewPlace, News, Target, Which};
use crate::output::counted;
use usual_tide::drafts::{CommitError, CommitProblem};
use usual_tide::fields::{FieldPath, Value};
use usual_tide::history::Undone;
use usual_tide::lists::ListMut;
use usual_tide::record::{Record, RecordKey};
use usual_tide::{Draft, Item, ListId, Place};

/// Bytes that are copied at most: what terminals take into their clipboards.
const MOST_COPIED: usize = 70_000;

impl Engine {
    pub(super) fn begin_edit(&mut self, list: ListNumber, key: &RecordKey, field: usize) -> Done {
        let draft = self.store.edit(|store| store.drafts_mut().begin(key))??;
        self.edited = Some(key.clone());
        self.news.push(News::Draft {
            list,
            draft: Box::new(draft),
            field: Some(field),
        });
        Ok(None)
    }

    pub(super) fn begin_new(&mut self, number: ListNumber, place: NewPlace) -> Done {
        let list = self.list_mut(number)?.list;
        let (context, key) = (self.context.clone(), self.key.clone());
        let draft = self
            .store
            .edit(|store| -> Result<Draft<Record>, Refusal> {
                let item = new_item(store, context.schema(), &key)?;
                let is_sorted = store.list(list)?.query().sorting().is_some();
                let place = match place {
                    NewPlace::Start | NewPlace::After(None) => Place::Start,
                    NewPlace::After(Some(key)) if !is_sorted => Place::After(key),
                    _ => Place::End,
                };
                Ok(store.list_mut(list)?.begin_new_draft(item, place)?)
            })??;
        self.why = format!("a blank row for {}", draft.key());
        let key = draft.key().clone();
        self.with_list(number, |list, store| Ok(list.go_to_row(store, &key)?))?;
        self.edited = Some(key);
        self.news.push(News::Draft {
            list: number,
            draft: Box::new(draft),
            field: None,
        });
        Ok(None)
    }

    pub(super) fn commit(&mut self, draft: Box<Draft<Record>>) -> Done {
        let key = read(&self.store, |store| {
            let now = store.drafts().current(&draft);
            Ok(now.map(|item| item.key().clone()))
        })?;
        let key = key.unwrap_or_else(|| draft.key().clone());
        let name = match draft.is_new() {
            true => format!("Add {key}"),
            false => {
                let fields = draft.changed_fields().into_iter();
                let fields: Vec<String> = fields.map(|field| field.to_string()).collect();
                format!("Change {} of {key}", fields.join(", "))
            }
        };
        let done = self
            .store
            .edit(|store| store.batch_named(&name, |store| store.drafts_mut().commit(*draft)))?;
        match done {
            Ok(committed) => {
                self.why.clone_from(&name);
                let lists: Vec<ListId> = self.lists.iter().map(|list| list.list).collect();
                let is_shown = read(&self.store, |store| {
                    for list in lists {
                        if store.list(list)?.position(&key).is_some() {
                            return Ok(true);
                        }
                    }
                    Ok(false)
                })?;
                if !is_shown {
                    self.news.push(News::Hidden);
                }
                // The source may have given the item its key.
                let key = FieldPath::of_members(self.key.members());
                let others = committed.merged.iter().filter(|path| **path != key);
                let others: Vec<String> = others.map(ToString::to_string).collect();
                Ok(match others.is_empty() {
                    true => (!committed.written.is_empty()).then_some(name),
                    false => Some(format!("{name}; others had changed {}", others.join(", "))),
                })
            }
            Err(refused) => {
                self.tell_refused(refused);
                Ok(None)
            }
        }
    }

    /// Gives a draft back with what is wrong with it.
    fn tell_refused(&mut self, refused: CommitError<Record>) {
        let CommitError { draft, problem } = refused;
        self.news.push(match problem {
            CommitProblem::Conflict(conflict) => News::Conflict { draft, conflict },
            CommitProblem::Removed(_) => News::Removed { draft },
            problem => News::Invalid {
                field: match &problem {
                    CommitProblem::Invalid { failed, .. } => {
                        failed.first().map(|failed| failed.field.clone())
                    }
                    _ => None,
                },
                why: problem.to_string(),
                draft,
            },
        });
    }

    pub(super) fn discard(&mut self, draft: Draft<Record>) -> Done {
        if draft.is_new() {
            self.why = format!("the blank row of {} is dropped", draft.key());
        }
        self.store
            .edit(|store| store.drafts_mut().discard(draft))??;
        Ok(None)
    }

    pub(super) fn add_again(&mut self, draft: Draft<Record>) -> Done {
        let name = format!("Add {} again", draft.key());
        let item = draft.item().clone();
        self.store.edit(|store| -> Result<(), Refusal> {
            store.drafts_mut().discard(draft)?;
            Ok(store.batch_named(&name, |store| store.add(item, Place::End))?)
        })??;
        self.why.clone_from(&name);
        Ok(Some(name))
    }

    pub(super) fn toggle(&mut self, list: ListNumber, which: Which, field: usize) -> Done {
        let keys = &self.keys(list, which)?;
        let column = self.columns.get(field);
        let column = column.ok_or_else(|| Refusal("there is no such column".to_owned()))?;
        let name = format!("Turn {} of {}", column.title, told(keys));
        let field = column.field.clone();
        self.store.edit(|store| {
            store.batch_named(&name, |store| -> Result<(), Refusal> {
                for key in keys {
                    let Some(item) = store.get(key) else {
                        continue;
                    };
                    let is_on = matches!(field.value(item), Value::Bool(true));
                    let mut item = Record::clone(item);
                    field.set(&mut item, Value::Bool(!is_on))?;
                    store.replace(item)?;
                }
                Ok(())
            })
        })??;
        self.why.clone_from(&name);
        Ok(Some(name))
    }

    pub(super) fn remove(&mut self, list: ListNumber, which: Which) -> Done {
        let keys = &self.keys(list, which)?;
        let name = format!("Delete {}", told(keys));
        self.store.edit(|store| {
            // Some may have been removed by others meanwhile.
            let here: Vec<RecordKey> = keys
                .iter()
                .filter(|key| store.contains(key))
                .cloned()
                .collect();
            store.batch_named(&name, |store| store.remove_many(&here))
        })??;
        self.why.clone_from(&name);
        Ok(Some(name))
    }

    pub(super) fn move_rows(&mut self, number: ListNumber, which: Which, target: Target) -> Done {
        let keys = &self.keys(number, which)?;
        let under = match target {
            Target::GapBefore(line) => self.heading_above(number, line)?,
            _ => None,
        };
        let list = self.list_mut(number)?.list;
        let name = format!("Move {}", told(keys));
        let moved = self.store.edit(|store| {
            store.batch_named(&name, |store| -> Result<bool, Refusal> {
                let (first, last, len) = {
                    let rows = store.list(list)?;
                    let places = keys.iter().filter_map(|key| rows.position(key));
                    let places: Vec<usize> = places.collect();
                    let first = places.iter().min().copied().unwrap_or(0);
                    (first, places.iter().max().copied().unwrap_or(0), rows.len())
                };
                let mut list: ListMut<'_, Record> = store.list_mut(list)?;
                let place = match (target, keys.as_slice()) {
                    (Target::Up, [key]) => return Ok(list.move_up(key)?),
                    (Target::Down, [key]) => return Ok(list.move_down(key)?),
                    (Target::Up, _) => Place::Gap(first.saturating_sub(1)),
                    (Target::Down, _) => Place::Gap((last + 2).min(len)),
                    (Target::Start, _) => Place::Start,
                    (Target::End, _) => Place::End,
                    (Target::GapBefore(line), _) => match under {
                        Some((section, gap)) => {
                            return Ok(list.move_to_section(keys, &section, Place::Gap(gap))?);
                        }
                        None => Place::Gap(line.min(len)),
                    },
                };
                Ok(list.move_to(keys, place)?)
            })
        })??;
        self.why.clone_from(&name);
        Ok(moved.then_some(name))
    }

    /// The section that a gap of the column is in, and which gap of its rows it is; none in a list without sections.
    fn heading_above(
        &mut self,
        number: ListNumber,
        line: usize,
    ) -> Result<Option<(usual_tide::sections::SectionKey, usize)>, Refusal> {
        let list = self.list_mut(number)?;
        let above = line.checked_sub(1);
        let heading = match above {
            Some(above) => list.lines().heading_of(above),
            // Above the first heading there is nowhere but under it.
            None => list.lines().heading_of(0),
        };
        Ok(heading.map(|(at, section)| (section.key().clone(), line.saturating_sub(at + 1))))
    }

    /// Rows as JSON, an object a line, as many as a terminal's clipboard takes.
    pub(super) fn copy(&mut self, list: ListNumber, which: Which) -> Done {
        let keys = self.keys(list, which)?;
        let text = read(&self.store, |store| {
            let mut text = String::new();
            for item in keys.iter().filter_map(|key| store.get(key)) {
                text.push_str(&format!("{item:?}\n"));
                if text.len() > MOST_COPIED {
                    return Ok(None);
                }
            }
            Ok(Some(text))
        })?;
        let text = text.ok_or_else(|| {
            Refusal(
                "these are too many rows for a terminal's clipboard: `usual-tide show` writes them to a file"
                    .to_owned(),
            )
        })?;
        self.news.push(News::Copied {
            rows: text.lines().count(),
            text,
        });
        Ok(None)
    }

    pub(super) fn undo(&mut self) -> Done {
        let name = read(&self.store, |store| {
            Ok(store.history().undo_name().map(str::to_owned))
        })?;
        let undone = self.store.edit(|store| store.history_mut().undo())??;
        self.tell_undone("undone", name, undone)
    }

    pub(super) fn redo(&mut self) -> Done {
        let name = read(&self.store, |store| {
            Ok(store.history().redo_name().map(str::to_owned))
        })?;
        let redone = self.store.edit(|store| store.history_mut().redo())??;
        self.tell_undone("made again", name, redone)
    }

    fn tell_undone(
        &mut self,
        what: &str,
        name: Option<String>,
        undone: Option<Undone<RecordKey>>,
    ) -> Done {
        let Some(undone) = undone else {
            return Err(Refusal(format!("nothing can be {what}")));
        };
        let name = name.unwrap_or_else(|| "the last edit".to_owned());
        let mut said = format!("{what}: {name}");
        if let Some(skipped) = undone.skipped.first() {
            said.push_str(&format!(
                "; {} left as they are: {} {}",
                counted(undone.skipped.len(), "row was", "rows were"),
                skipped.key,
                skipped.why
            ));
        }
        // The cursor goes where something happened.
        if let Some(key) = undone.keys.first() {
            let lists = &mut self.lists;
            read(&self.store, |store| {
                lists
                    .iter_mut()
                    .try_for_each(|list| list.go_to_row(store, key))
            })?;
        }
        self.why.clone_from(&said);
        Ok(Some(said))
    }
}

/// Some rows, by their keys.
fn told(keys: &[RecordKey]) -> String {
    match keys {
        [key] => key.to_string(),
        keys => counted(keys.len(), "row", "rows"),
    }
}
