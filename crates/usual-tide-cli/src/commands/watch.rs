//! `usual-tide watch`: change sets as a source changes.

use crate::args::{ChangesFormat, Watch};
use crate::error::CommandError;
use crate::input::{self, Origin};
use crate::output::changes::ChangeWriter;
use crate::output::{Output, counted, remark};
use anstyle::Style;
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::time::{Duration, Instant};
use usual_tide::record::Record;
use usual_tide::shared::{SharedError, Subscription};
use usual_tide::{ChangeSet, Feed, ListId, SharedStore, Store};
use usual_tide_sources::link::{Link, LinkState};

const BOLD: Style = Style::new().bold();

/// How long nothing is looked at, unless there is news.
const LONGEST_WAIT: Duration = Duration::from_secs(3600);

/// What there is to look at.
enum Update {
    Rows,
    State(LinkState),
}

/// A list over a source.
struct WatchedList<'a> {
    watch: &'a Watch,
    store: SharedStore<Record>,
    list: ListId,
    feed: Feed<Record>,
    form: ChangeWriter,
}

pub(crate) fn run(watch: &Watch, out: &mut Output) -> Result<(), CommandError> {
    let (source, _) = Origin::of(&watch.source)?.source(&watch.items)?;
    let failed = |why: &dyn std::fmt::Display| CommandError::origin(&watch.source, why.to_string());
    let store = SharedStore::new(Store::new());
    let link = Link::start(store.clone(), source).map_err(|why| failed(&why))?;
    let ready = link.wait_until_ready(Duration::from_secs(watch.timeout));
    ready.map_err(|why| failed(&why))?;

    let (sender, news) = channel();
    let watched = WatchedList::begin(watch, store)?;
    let _subscription = watched.listen(sender.clone()).map_err(|why| failed(&why))?;
    link.on_state(move |state| {
        // Nobody may be listening any more.
        let _ = sender.send(Update::State(state.clone()));
    });
    watched.follow(&news, out)
}

impl<'a> WatchedList<'a> {
    fn begin(watch: &'a Watch, store: SharedStore<Record>) -> Result<Self, CommandError> {
        let failed = |why: SharedError| CommandError::origin(&watch.source, why.to_string());
        let bound = store.edit(|store| -> Result<_, CommandError> {
            let query = input::query(&watch.query, store.items().map(|item| &**item))?;
            let list = store.bind(query);
            Ok((list, store.feed(list)?))
        });
        let (list, feed) = bound.map_err(failed)??;
        Ok(Self {
            watch,
            store,
            list,
            feed,
            form: ChangeWriter {
                format: watch.format,
                without_moves: watch.without_moves,
                one_line: true,
            },
        })
    }

    fn listen(&self, sender: Sender<Update>) -> Result<Subscription<Record>, SharedError> {
        self.store.subscribe(self.list, |_| {
            move |_: &ChangeSet<Record>| {
                let _ = sender.send(Update::Rows);
            }
        })
    }

    /// Tells what happens, until there is enough of it.
    fn follow(&self, news: &Receiver<Update>, out: &mut Output) -> Result<(), CommandError> {
        if self.watch.format == ChangesFormat::Text {
            let rows = self.read(|store| Ok(store.list(self.list)?.len()))?;
            let rows = counted(rows, "row", "rows");
            out.text(&format!("{BOLD}{rows}{BOLD:#}; changes follow\n\n"))?;
        }
        out.finish()?;
        let end = self
            .watch
            .seconds
            .and_then(|seconds| Instant::now().checked_add(Duration::from_secs(seconds)));
        let (mut told, mut trouble) = (0, false);
        while self.watch.changes.is_none_or(|changes| told < changes) {
            let left = end.map(|end| end.saturating_duration_since(Instant::now()));
            // A wait may be no longer than the system's clock can tell.
            let wait = left.unwrap_or(LONGEST_WAIT).min(LONGEST_WAIT);
            match news.recv_timeout(wait) {
                Ok(Update::Rows) => told += u64::from(self.tell(out)?),
                Ok(Update::State(state)) => self.remark_on(&state, &mut trouble),
                Err(RecvTimeoutError::Timeout) if end.is_none_or(|end| end > Instant::now()) => {}
                Err(_) => break,
            }
            out.finish()?;
        }
        Ok(())
    }

    /// Tells what has changed; `false` when that comes to nothing.
    fn tell(&self, out: &mut Output) -> Result<bool, CommandError> {
        self.read(|store| {
            let Some(changes) = self.feed.read(store)? else {
                return Ok(false);
            };
            let text = self.watch.format == ChangesFormat::Text;
            if text {
                let now = jiff::Zoned::now().strftime("%H:%M:%S").to_string();
                out.text(&format!("{BOLD}{now}{BOLD:#}\n"))?;
            }
            self.form.write(&changes, &store.list(self.list)?, out)?;
            if text {
                out.text("\n")?;
            }
            Ok(true)
        })
    }

    /// Says on standard error when the source fails, and when it is back.
    fn remark_on(&self, state: &LinkState, trouble: &mut bool) {
        match state {
            LinkState::Failed { error, .. } if !*trouble => {
                *trouble = true;
                remark(&format!("{error}; trying again"));
            }
            LinkState::Ready { .. } if *trouble => {
                *trouble = false;
                remark(&format!("{}: it is back", self.watch.source));
            }
            _ => {}
        }
    }

    fn read<R>(
        &self,
        read: impl FnOnce(&Store<Record>) -> Result<R, CommandError>,
    ) -> Result<R, CommandError> {
        let read = self.store.read(read);
        read.map_err(|why| CommandError::origin(&self.watch.source, why.to_string()))?
    }
}
