//! What a script acts on.

use super::error::ScriptError;
use super::op::Op;
use super::read::at_part;
use crate::args::{ItemOptions, QueryOptions};
use crate::input::{self, QueryContext, QueryTexts};
use crate::merge_patch;
use std::path::PathBuf;
use std::sync::Arc;
use usual_tide::record::{FieldName, Record};
use usual_tide::{EditError, ListId, Store};

/// A store with its lists.
pub(crate) struct ScriptRunner<'a> {
    pub(crate) store: Store<Record>,
    pub(crate) lists: Vec<ListId>,
    pub(crate) key: FieldName,
    pub(crate) items: &'a ItemOptions,
    pub(crate) options: &'a QueryOptions,
    /// Where the files are that a script names.
    pub(crate) folder: PathBuf,
}

impl ScriptRunner<'_> {
    /// Does an edit. When it is refused, nothing has changed.
    pub(crate) fn run_op(&mut self, op: &Op) -> Result<(), ScriptError> {
        match op {
            Op::Query { texts, list } => self.ask(texts, *list),
            Op::Reload { file } => self.reload(file),
            Op::Batch { ops } => {
                let (lists, key) = (&self.lists, &self.key);
                self.store.batch(|store| {
                    let mut parts = ops.iter().zip(1..);
                    parts.try_for_each(|(op, part)| {
                        edit(store, lists, key, op).map_err(|why| at_part(part, why))
                    })
                })
            }
            Op::Undo => match self.store.history_mut().undo()? {
                Some(_) => Ok(()),
                None => Err(ScriptError::NothingTo("undo")),
            },
            Op::Redo => match self.store.history_mut().redo()? {
                Some(_) => Ok(()),
                None => Err(ScriptError::NothingTo("redo")),
            },
            op => edit(&mut self.store, &self.lists, &self.key, op),
        }
    }

    fn ask(&mut self, texts: &QueryTexts, list: usize) -> Result<(), ScriptError> {
        let id = *nth(&self.lists, list)?;
        let now = self.store.list(id)?.query().clone();
        let items = self.store.items().map(Arc::as_ref);
        let changed = texts
            .options(self.options)
            .and_then(|options| QueryContext::new(&options, items))
            .and_then(|around| around.change(now, texts))
            .map_err(|why| ScriptError::Query(Box::new(why)))?;
        self.store.list_mut(id)?.set_query(changed);
        Ok(())
    }

    fn reload(&mut self, file: &str) -> Result<(), ScriptError> {
        let path = self.folder.join(file).display().to_string();
        let items = input::read(&path, self.items);
        let items = items.map_err(|why| ScriptError::Query(Box::new(why)))?;
        self.store.reload(items)?;
        Ok(())
    }
}

/// One of the edits that can stand in a batch.
fn edit(
    store: &mut Store<Record>,
    lists: &[ListId],
    key_name: &FieldName,
    op: &Op,
) -> Result<(), ScriptError> {
    match op {
        Op::Add { item, place, list } => {
            let record = Record::new(item.clone(), key_name)?;
            let place = place.clone();
            match list {
                Some(list) => store.list_mut(*nth(lists, *list)?)?.add(record, place)?,
                None => store.add(record, place)?,
            }
            Ok(())
        }
        Op::Edit { key, merge } => {
            let Some(record) = store.get(key) else {
                return Err(EditError::UnknownKey(key.clone()).into());
            };
            let mut members = record.to_members();
            merge_patch::apply(&mut members, merge);
            let merged = Record::new(members, key_name)?;
            let merged = merge_patch::keeping_numbers(record, merged);
            store.edit(key, |record| *record = merged)?;
            Ok(())
        }
        Op::Remove { keys } => {
            store.remove_many(keys)?;
            Ok(())
        }
        Op::Move { keys, place, list } => {
            match list {
                Some(list) => store
                    .list_mut(*nth(lists, *list)?)?
                    .move_to(keys, place.clone())?,
                None => store.move_many(keys, place.clone())?,
            };
            Ok(())
        }
        op => Err(ScriptError::NotInBatch { op: op.name() }),
    }
}

fn nth(lists: &[ListId], list: usize) -> Result<&ListId, ScriptError> {
    let found = list.checked_sub(1).and_then(|index| lists.get(index));
    found.ok_or(ScriptError::NoList {
        list,
        lists: lists.len(),
    })
}
