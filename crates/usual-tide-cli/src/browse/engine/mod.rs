//! The store's side of the full-screen list: it does what the screen asks for, and tells what came of it.
//!
//! It runs on a thread of its own; without one, [`Engine::run`] and [`Engine::look`] can be called by hand.

mod edits;
mod list;
mod new_item;
mod queries;
mod source;
mod trace;

use super::columns::Columns;
use super::messages::{ListNumber, News, Request, StoreNews, Which};
use crate::args::Browse;
use crate::error::CommandError;
use crate::input::{QueryContext, QueryTexts};
use list::WorkedList;
use source::Attached;
use std::fmt::Display;
use std::sync::Arc;
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender};
use std::time::Duration;
use usual_tide::record::{FieldName, Record, RecordKey};
use usual_tide::shared::SharedError;
use usual_tide::{SharedStore, Store};

/// How often the store is looked at for what the source has changed.
const LOOK: Duration = Duration::from_millis(30);

/// Why something that was asked for was not done, for the person who asked.
pub(super) struct Refusal(String);

impl<E: Display + std::error::Error> From<E> for Refusal {
    fn from(why: E) -> Self {
        Self(why.to_string())
    }
}

/// What was done, where there is anything to say about it.
pub(super) type Done = Result<Option<String>, Refusal>;

/// The store, its lists, and where its items come from.
pub(crate) struct Engine {
    options: Browse,
    key: FieldName,
    store: SharedStore<Record>,
    attached: Attached,
    lists: Vec<WorkedList>,
    next_list: ListNumber,
    /// The lists that are to be there once the fields are known.
    wanted: Vec<QueryTexts>,
    context: Arc<QueryContext>,
    columns: Arc<Columns>,
    /// What the change sets that are read next come from.
    why: String,
    news: Vec<News>,
    told_store: Option<String>,
    /// The key of the row whose edit was begun last.
    edited: Option<RecordKey>,
}

impl Engine {
    /// The store over what the options name. `wake` is called from other threads when the source has news.
    pub(crate) fn open(
        options: &Browse,
        wake: impl Fn() + Send + 'static,
    ) -> Result<Self, CommandError> {
        let (attached, store, key) = source::attach(options, wake)?;
        let context = QueryContext::new(&options.query, std::iter::empty())?;
        let mut wanted = vec![QueryTexts::of(&options.query)];
        for text in &options.also {
            wanted.push(queries::also(text)?);
        }
        Ok(Self {
            options: options.clone(),
            key,
            store,
            attached,
            lists: Vec::new(),
            next_list: 0,
            wanted,
            context: Arc::new(context),
            columns: Arc::default(),
            why: String::new(),
            news: Vec::new(),
            told_store: None,
            edited: None,
        })
    }

    /// Does what is asked, until nobody can ask any more.
    /// Gives how many edits the source has not answered by then.
    pub(crate) fn work(mut self, requests: &Receiver<Request>, send: &Sender<News>) -> usize {
        let mut going_on = true;
        while going_on {
            let mut asked: Vec<Request> = Vec::new();
            match requests.recv_timeout(LOOK) {
                Ok(request) => asked.push(request),
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => going_on = false,
            }
            asked.extend(requests.try_iter());
            for request in without_superseded(asked) {
                if matches!(request, Request::Close) {
                    return self.close();
                }
                self.run(request);
                self.look();
                self.send(send);
            }
            self.look();
            self.send(send);
        }
        self.close()
    }

    fn send(&mut self, send: &Sender<News>) {
        for news in self.news.drain(..) {
            // A screen that is gone hears nothing any more.
            let _ = send.send(news);
        }
    }

    /// What there is to tell.
    #[cfg(test)]
    pub(crate) fn take_news(&mut self) -> Vec<News> {
        std::mem::take(&mut self.news)
    }

    /// Does what is asked.
    pub(crate) fn run(&mut self, request: Request) {
        if let Request::Done(number) = request {
            self.news.push(News::Done(number));
            return;
        }
        match self.answer(request) {
            Ok(None) => {}
            Ok(Some(said)) => self.news.push(News::Said(said)),
            Err(Refusal(why)) => self.news.push(News::Refused(why)),
        }
    }

    fn answer(&mut self, request: Request) -> Done {
        match request {
            Request::Current { list, line, step } => {
                self.with_list(list, |list, store| Ok(list.go(store, line, step)?))
            }
            Request::Visible { list, lines } => self.with_list(list, |list, _| {
                list.show(lines);
                Ok(())
            }),
            Request::Mark { list, mark } => {
                self.with_list(list, |list, store| Ok(list.mark(store, mark)?))
            }
            Request::Query { list, texts } => self.change_query(list, texts),
            Request::PrepareSearch => self.prepare_search(),
            Request::AddList { texts } => self.add_list(texts).map(|()| None),
            Request::CloseList { list } => self.close_list(list),
            Request::Collapse { list, section } => self.collapse(list, &section),
            Request::CollapseAll { list, collapsed } => self.collapse_all(list, collapsed),
            Request::BeginEdit { list, key, field } => self.begin_edit(list, &key, field),
            Request::BeginNew { list, place } => self.begin_new(list, place),
            Request::Commit { draft } => self.commit(draft),
            Request::Discard { draft } => self.discard(*draft),
            Request::AddAgain { draft } => self.add_again(*draft),
            Request::Toggle { list, which, field } => self.toggle(list, which, field),
            Request::Remove { list, which } => self.remove(list, which),
            Request::Move {
                list,
                which,
                target,
            } => self.move_rows(list, which, target),
            Request::Copy { list, which } => self.copy(list, which),
            Request::Undo => self.undo(),
            Request::Redo => self.redo(),
            Request::Retry { key } => self.retry(&key),
            Request::Dismiss { key } => self.dismiss(&key),
            Request::Refresh => self.refresh(),
            Request::LoadMore { list } => self.load_more(list),
            Request::Save => self.save(),
            Request::Pause { list, paused } => self.with_list(list, |list, _| {
                list.pause(paused);
                Ok(())
            }),
            Request::Step { list } => self.step(list),
            Request::Trace { list, path } => self.write_trace(list, &path),
            Request::Check => self.check_now(),
            Request::Drop(lines) => {
                drop(lines);
                Ok(None)
            }
            Request::Wake | Request::Close | Request::Done(_) => Ok(None),
        }
    }

    /// Looks at what has changed, by whomever, and tells it.
    pub(crate) fn look(&mut self) {
        if let Err(why) = self.look_at_all(false) {
            self.news.push(News::Failed(why));
        }
        self.why.clear();
    }

    /// Tells each view what its list has, and compares them: always, or where it is asked for and something changed. Both in
    /// one reading, since the link edits the store whenever it likes.
    fn look_at_all(&mut self, compare: bool) -> Result<(), CommandError> {
        self.look_at_source()?;
        let why = match self.why.as_str() {
            "" => "from the source",
            why => why,
        };
        let (store, lists, check) = (&self.store, &mut self.lists, self.options.check);
        let mut news = Vec::new();
        let differs = read(store, |store| {
            let mut has_changed = false;
            for list in lists.iter_mut() {
                has_changed |= list.read(store, why)?;
                let told = list.news(store)?;
                news.extend(told.map(|told| News::List(Box::new(told))));
            }
            match compare || (check && has_changed) {
                true => first_difference(lists, store),
                false => Ok(None),
            }
        })?;
        self.news.append(&mut news);
        if let Some((list, line)) = differs {
            return Err(self.view_differs(list, line));
        }
        self.tell_store()
    }

    /// Tells how the store stands, when that is another than before.
    fn tell_store(&mut self) -> Result<(), CommandError> {
        let (state, held) = (self.attached.state(), self.attached.is_held());
        let edited = self.edited.as_ref();
        let told = read(&self.store, |store| {
            let history = store.history();
            let name = |name: Option<&str>, steps: usize| {
                let unnamed = (steps > 0).then_some("the last edit");
                name.or(unnamed).map(str::to_owned)
            };
            Ok(StoreNews {
                state,
                items: store.len(),
                waiting: store.writes().pending().count(),
                refused: store.writes().refused().count(),
                undo: name(history.undo_name(), history.undo_len()),
                redo: name(history.redo_name(), history.redo_len()),
                held,
                given_key: edited.and_then(|key| {
                    let now = store.writes().given_key(key)?;
                    Some((key.clone(), now.clone()))
                }),
            })
        })?;
        let text = format!("{told:?}");
        if self.told_store.as_ref() != Some(&text) {
            self.told_store = Some(text);
            self.news.push(News::Store(told));
        }
        Ok(())
    }

    fn with_list(
        &mut self,
        number: ListNumber,
        act: impl FnOnce(&mut WorkedList, &Store<Record>) -> Result<(), Refusal>,
    ) -> Done {
        let store = self.store.clone();
        let list = self.list_mut(number)?;
        store.read(|store| act(list, store))??;
        Ok(None)
    }

    fn list_mut(&mut self, number: ListNumber) -> Result<&mut WorkedList, Refusal> {
        let found = self.lists.iter_mut().find(|list| list.number == number);
        found.ok_or_else(|| Refusal("this list was closed".to_owned()))
    }

    /// The keys of the rows that something is done to.
    fn keys(&mut self, list: ListNumber, which: Which) -> Result<Vec<RecordKey>, Refusal> {
        let store = self.store.clone();
        let list = self.list_mut(list)?;
        let keys = read(&store, |store| list.keys(store, which))?;
        match keys.is_empty() {
            true => Err(Refusal("there is no row to do this to".to_owned())),
            false => Ok(keys),
        }
    }

    /// A view differs from its list: what it was told is written to a file, and nothing goes on.
    fn view_differs(&self, list: usize, line: usize) -> CommandError {
        let list = &self.lists[list];
        let path = std::env::temp_dir().join(format!("usual-tide-{}.ndjson", std::process::id()));
        if let Err(why) = list.trace().write(list.lines(), &path) {
            return why;
        }
        CommandError::ViewDiffers {
            list: list.number + 1,
            line: line + 1,
            trace: path.display().to_string(),
        }
    }

    fn check_now(&mut self) -> Done {
        self.look_at_all(true)?;
        let lines: usize = self.lists.iter().map(|list| list.lines().len()).sum();
        Ok(Some(format!(
            "{lines} lines compared: the view shows what the list has"
        )))
    }

    fn write_trace(&mut self, list: ListNumber, path: &std::path::Path) -> Done {
        let list = self.list_mut(list)?;
        list.trace().write(list.lines(), path)?;
        Ok(Some(format!(
            "a trace of {} change sets was written to {}",
            list.trace().len(),
            path.display()
        )))
    }

    fn step(&mut self, list: ListNumber) -> Done {
        Ok(match self.list_mut(list)?.step() {
            true => None,
            false => Some("the view has been told everything".to_owned()),
        })
    }
}

/// The first list whose view differs from it, and at which line.
fn first_difference(
    lists: &[WorkedList],
    store: &Store<Record>,
) -> Result<Option<(usize, usize)>, CommandError> {
    for (number, list) in lists.iter().enumerate() {
        if let Some(line) = list.difference(store)? {
            return Ok(Some((number, line)));
        }
    }
    Ok(None)
}

/// Reads the store; its lists are not changed meanwhile.
fn read<R>(
    store: &SharedStore<Record>,
    read: impl FnOnce(&Store<Record>) -> Result<R, CommandError>,
) -> Result<R, CommandError> {
    let failed = |why: SharedError| CommandError::origin("the store", why.to_string());
    store.read(read).map_err(failed)?
}

/// The requests without those that a later one makes void: the same parts of a list's query, or which of its lines are on
/// the screen.
fn without_superseded(asked: Vec<Request>) -> Vec<Request> {
    let superseded = |at: usize| {
        let one = &asked[at];
        let next = asked[at + 1..].iter().find(|next| {
            !matches!(
                next,
                Request::Current { .. } | Request::Visible { .. } | Request::Done(_)
            )
        });
        match (one, next) {
            (
                Request::Query { list, texts },
                Some(Request::Query {
                    list: later,
                    texts: others,
                }),
            ) => list == later && texts.is_covered_by(others),
            (Request::Visible { list, .. }, _) => asked[at + 1..]
                .iter()
                .any(|next| matches!(next, Request::Visible { list: later, .. } if later == list)),
            _ => false,
        }
    };
    let kept: Vec<bool> = (0..asked.len()).map(|at| !superseded(at)).collect();
    let kept = asked.into_iter().zip(kept);
    kept.filter_map(|(request, kept)| kept.then_some(request))
        .collect()
}
