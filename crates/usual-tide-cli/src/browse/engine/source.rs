//! Where the items come from: memory, a file that is saved when asked, or a linked source.

use super::{Done, Engine, Refusal, read};
use crate::args::{Browse, ItemOptions};
use crate::browse::messages::{ListNumber, SourceState};
use crate::error::CommandError;
use crate::input::{self, Origin};
use std::sync::Arc;
use std::time::{Duration, Instant};
use usual_tide::record::{FieldName, Record, RecordKey};
use usual_tide::shared::SharedError;
use usual_tide::writes::{Ticket, Write};
use usual_tide::{EditError, SharedStore, Store};
use usual_tide_sources::link::{Answer, DirectSource, Link, LinkState};

/// How long the source has to take what waits when the list is left.
const LAST_WORDS: Duration = Duration::from_secs(5);

/// How long until a held file that could not be read is read again.
const NEXT_TRY: Duration = Duration::from_millis(500);

/// Where the items come from, and where edits go.
pub(super) enum Attached {
    /// Nowhere: they are in memory alone.
    Memory,
    /// To a file, when they are saved.
    Held {
        source: DirectSource<Record>,
        is_loaded: bool,
        /// Why the file cannot be read again, and when that is tried next.
        trouble: Option<(String, Instant)>,
    },
    /// To the source, each at once.
    Linked(Link<Record>),
}

impl Attached {
    pub(super) fn state(&self) -> SourceState {
        match self {
            Self::Memory => SourceState::Memory,
            Self::Held {
                trouble: Some((why, next_try)),
                ..
            } => SourceState::Failed {
                why: why.clone(),
                next_try: Some(*next_try),
            },
            Self::Held {
                is_loaded: true, ..
            } => SourceState::Ready { more: false },
            Self::Held { .. } => SourceState::default(),
            Self::Linked(link) => match link.state() {
                LinkState::Ready { more } => SourceState::Ready { more },
                LinkState::Loading { done, total } => SourceState::Loading { done, total },
                LinkState::Failed { error, next_try } => SourceState::Failed {
                    why: error.to_string(),
                    next_try: Some(next_try),
                },
                _ => SourceState::default(),
            },
        }
    }

    pub(super) fn is_held(&self) -> bool {
        matches!(self, Self::Held { .. })
    }
}

/// Attaches a store to what the options name; without a name to the demo's pieces, in memory.
pub(super) fn attach(
    options: &Browse,
    wake: impl Fn() + Send + 'static,
) -> Result<(Attached, SharedStore<Record>, FieldName), CommandError> {
    let Some(name) = &options.source else {
        if options.hold {
            let why = "--hold is for a file: the demo's pieces are in memory alone";
            return Err(CommandError::origin("demo", why));
        }
        let key = input::key(&ItemOptions::default())?;
        let store = Store::load(crate::demo::pieces(&key)?)?;
        return Ok((Attached::Memory, SharedStore::new(store), key));
    };
    let origin = Origin::of(name)?;
    let store = SharedStore::new(Store::new());
    let failed = |why: &dyn std::fmt::Display| CommandError::origin(name, why.to_string());
    let held = match options.hold {
        true => origin.held_file(&options.items)?,
        false => None,
    };
    let (attached, key) = match held {
        Some((source, key)) => {
            let source = DirectSource::new(source);
            let held = Attached::Held {
                source,
                is_loaded: false,
                trouble: None,
            };
            (held, key)
        }
        None if options.hold => {
            return Err(failed(
                &"--hold is for a file: a database or a server gets each edit at once",
            ));
        }
        None => {
            let (source, key) = origin.source(&options.items)?;
            let link = Link::start(store.clone(), source).map_err(|why| failed(&why))?;
            link.on_state(move |_| wake());
            (Attached::Linked(link), key)
        }
    };
    Ok((attached, store, key))
}

impl Engine {
    /// Loads what is to be loaded by this thread, and binds the lists once the items are there.
    pub(super) fn look_at_source(&mut self) -> Result<(), CommandError> {
        let first = !self.wanted.is_empty();
        match &mut self.attached {
            Attached::Memory if first => self.prepare(),
            Attached::Linked(link) if first && link.state().is_ready() => self.prepare(),
            Attached::Held {
                source,
                is_loaded,
                trouble,
            } => {
                let is_due = |(_, next_try): &(String, Instant)| *next_try <= Instant::now();
                let is_due = trouble.as_ref().is_some_and(is_due);
                if !(first || source.has_changed() || is_due) {
                    return Ok(());
                }
                let name = self.options.source.clone().unwrap_or_default();
                let failed =
                    |why: &dyn std::fmt::Display| CommandError::origin(&name, why.to_string());
                let loaded = match source.load() {
                    Ok(loaded) => loaded.items,
                    // Somebody may be writing the file at this moment.
                    Err(why) if *is_loaded => {
                        *trouble = Some((why.to_string(), Instant::now() + NEXT_TRY));
                        return Ok(());
                    }
                    Err(why) => return Err(failed(&why)),
                };
                *trouble = None;
                *is_loaded = true;
                let reloaded = self
                    .store
                    .edit(|store| -> Result<(), EditError<RecordKey>> {
                        store.reload(loaded)?;
                        store.writes_mut().track();
                        Ok(())
                    });
                let shared = |why: SharedError| failed(&why);
                reloaded
                    .map_err(shared)?
                    .map_err(CommandError::not_a_list(&name))?;
                match first {
                    true => self.prepare(),
                    false => Ok(()),
                }
            }
            _ => Ok(()),
        }
    }

    pub(super) fn refresh(&mut self) -> Done {
        match &self.attached {
            Attached::Linked(link) => {
                link.refresh();
                Ok(Some("loading again".to_owned()))
            }
            Attached::Held { .. } => Ok(Some(
                "what other programs write to the file shows by itself".to_owned(),
            )),
            Attached::Memory => Err(Refusal(
                "the items are in memory alone: there is nothing to load".to_owned(),
            )),
        }
    }

    /// As many rows again in a list that shows the first ones alone, or more items of the source.
    pub(super) fn load_more(&mut self, number: ListNumber) -> Done {
        let list = self.list_mut(number)?.list;
        let is_wider = self.store.edit(|store| -> Result<bool, Refusal> {
            let rows = store.list(list)?;
            let (shown, matching) = (rows.len(), rows.matching());
            let skipped = rows.query().skipped();
            let Some(taken) = rows.query().taken().filter(|_| shown + skipped < matching) else {
                return Ok(false);
            };
            store.list_mut(list)?.load_more(taken);
            Ok(true)
        })??;
        if is_wider {
            self.why = "more rows".to_owned();
            return Ok(None);
        }
        match &self.attached {
            Attached::Linked(link) if matches!(link.state(), LinkState::Ready { more: true }) => {
                link.load_more();
                Ok(Some("loading more".to_owned()))
            }
            _ => Ok(Some("all items are loaded".to_owned())),
        }
    }

    /// Writes what waits into the file.
    pub(super) fn save(&mut self) -> Done {
        let Attached::Held { source, .. } = &mut self.attached else {
            return Err(Refusal(
                match &self.attached {
                    Attached::Memory => {
                        "the items are in memory alone: there is no file to save to"
                    }
                    _ => "each edit is written at once: there is nothing to save",
                }
                .to_owned(),
            ));
        };
        let waiting: Vec<Arc<Write<Record>>> = read(&self.store, |store| {
            Ok(store.writes().pending().cloned().collect())
        })?;
        if waiting.is_empty() {
            return Ok(Some("there is nothing to save".to_owned()));
        }
        let answers = source.write_many(&waiting)?;
        let mut refused = 0;
        self.store.edit(|store| -> Result<(), Refusal> {
            for (write, answer) in waiting.iter().zip(answers) {
                refused += usize::from(matches!(answer, Answer::Refused { .. }));
                settle(store, write.ticket, answer)?;
            }
            Ok(())
        })??;
        self.why = "what the file has after saving".to_owned();
        let saved = waiting.len() - refused;
        match refused {
            0 => Ok(Some(format!("saved: {saved} edits"))),
            _ => Err(Refusal(format!(
                "{saved} edits were saved and {refused} refused: the rows say why"
            ))),
        }
    }

    pub(super) fn retry(&mut self, key: &RecordKey) -> Done {
        let tickets = self.refused(key)?;
        let named = format!("another try for {key}");
        self.store.edit(|store| -> Result<(), Refusal> {
            for ticket in &tickets {
                store.writes_mut().retry(*ticket)?;
            }
            Ok(())
        })??;
        self.why = named.clone();
        Ok(Some(named))
    }

    pub(super) fn dismiss(&mut self, key: &RecordKey) -> Done {
        let tickets = self.refused(key)?;
        self.store.edit(|store| -> Result<(), Refusal> {
            for ticket in &tickets {
                store.writes_mut().dismiss(*ticket)?;
            }
            Ok(())
        })??;
        Ok(Some(format!("{key}: what was refused is dropped")))
    }

    fn refused(&self, key: &RecordKey) -> Result<Vec<Ticket>, Refusal> {
        let tickets: Vec<Ticket> = read(&self.store, |store| {
            let refused = store.writes().refused();
            let of_key = refused.filter(|refused| refused.write.key == *key);
            Ok(of_key.map(|refused| refused.write.ticket).collect())
        })?;
        match tickets.is_empty() {
            true => Err(Refusal(format!("no edit of {key} was refused"))),
            false => Ok(tickets),
        }
    }

    /// Ends it. Gives how many edits the source has not answered, or were not saved.
    pub(super) fn close(self) -> usize {
        match self.attached {
            Attached::Linked(link) => link.close(LAST_WORDS).len(),
            Attached::Memory | Attached::Held { .. } => {
                let waiting = self.store.read(|store| store.writes().pending().count());
                waiting.unwrap_or(0)
            }
        }
    }
}

/// Puts a source's answer into effect.
fn settle(
    store: &mut Store<Record>,
    ticket: Ticket,
    answer: Answer<Record>,
) -> Result<(), Refusal> {
    let mut writes = store.writes_mut();
    match answer {
        Answer::SavedAs(item) => writes.confirm_as(ticket, item)?,
        Answer::Refused { reason, current } => {
            match current {
                Some(current) => writes.refuse_with(ticket, reason, current)?,
                None => writes.refuse(ticket, reason)?,
            };
        }
        _ => writes.confirm(ticket)?,
    }
    Ok(())
}

#[cfg(test)]
impl Engine {
    /// The items as the store has them.
    pub(crate) fn items_for_test(&self) -> Vec<serde_json::Value> {
        let items = self.store.read(|store| {
            let items = store.items();
            let rows: Vec<serde_json::Value> = items
                .map(|item| serde_json::Value::Object(item.to_members()))
                .collect();
            rows
        });
        items.unwrap()
    }

    /// What others have made of the items.
    pub(crate) fn reload_for_test(&self, rows: Vec<serde_json::Value>) {
        let rows = rows.into_iter().map(|row| match row {
            serde_json::Value::Object(members) => Record::new(members, &self.key).unwrap(),
            other => panic!("{other}"),
        });
        self.store
            .edit(|store| store.reload(rows))
            .unwrap()
            .unwrap();
    }
}
