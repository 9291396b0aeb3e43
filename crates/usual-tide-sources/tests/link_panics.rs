//! Code of the app that panics at each of its calls in turn, under a link: the link goes on, and loses nothing.

#![allow(clippy::unwrap_used, clippy::panic)]

use std::collections::BTreeMap;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use usual_tide::writes::Write;
use usual_tide::{ChangeSet, Item, Place, Query, Replica, SharedStore, Store};
use usual_tide_sources::link::{
    Answer, ChangeSender, Link, LinkOptions, LinkState, Loaded, Loading, Outbox, OutboxError,
    Retry, Source, SourceError,
};

const LONG: Duration = Duration::from_secs(30);

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    fired: bool,
}

fn piece(id: u32) -> Piece {
    Piece { id, fired: false }
}

/// Counts the calls of the app's code, and panics at one of them.
struct Calls {
    made: AtomicUsize,
    panics_at: usize,
    panicked: Mutex<Option<&'static str>>,
}

impl Calls {
    fn count(&self, what: &'static str) {
        if self.made.fetch_add(1, Ordering::SeqCst) == self.panics_at {
            *self.panicked.lock().unwrap() = Some(what);
            panic!("broken {what}");
        }
    }
}

struct App {
    calls: Calls,
    items: Mutex<Vec<Piece>>,
    kept: Mutex<BTreeMap<u64, Write<Piece>>>,
    states: Mutex<Vec<LinkState>>,
}

struct Studio(Arc<App>);

impl Source<Piece> for Studio {
    fn load(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<Piece>, SourceError> {
        self.0.calls.count("load");
        loading.progress(1, Some(2))?;
        let items = self.0.items.lock().unwrap();
        Ok(Loaded {
            items: items
                .iter()
                .filter(|piece| piece.id < 100)
                .cloned()
                .collect(),
            version: None,
            more: true,
        })
    }

    fn load_more(&mut self, _: &mut Loading<'_>) -> Result<Loaded<Piece>, SourceError> {
        self.0.calls.count("load_more");
        let items = self.0.items.lock().unwrap();
        let page = items.iter().filter(|piece| piece.id >= 100).cloned();
        Ok(Loaded::all(page.collect()))
    }

    fn write(&mut self, write: &Write<Piece>) -> Result<Answer<Piece>, SourceError> {
        self.0.calls.count("write");
        let mut items = self.0.items.lock().unwrap();
        items.retain(|piece| piece.id != write.key);
        items.extend(write.after.as_deref().cloned());
        Ok(Answer::Saved)
    }

    fn watch(&mut self, _: ChangeSender<Piece>) {
        self.0.calls.count("watch");
    }
}

struct Kept(Arc<App>, u64);

impl Outbox<Piece> for Kept {
    fn kept(&mut self) -> Result<Vec<(u64, Write<Piece>)>, OutboxError> {
        Ok(Vec::new())
    }

    fn keep(&mut self, writes: &[Arc<Write<Piece>>]) -> Result<Vec<u64>, OutboxError> {
        self.0.calls.count("keep");
        let first = self.1;
        self.1 += writes.len() as u64;
        let numbers: Vec<u64> = (first..self.1).collect();
        let writes = writes.iter().map(|write| Write::clone(write));
        let mut kept = self.0.kept.lock().unwrap();
        kept.extend(numbers.iter().copied().zip(writes));
        Ok(numbers)
    }

    fn forget(&mut self, number: u64) -> Result<(), OutboxError> {
        self.0.calls.count("forget");
        self.0.kept.lock().unwrap().remove(&number);
        Ok(())
    }
}

/// Makes an edit of the app, whose own thread may be the one on which a subscriber panics.
fn edit(store: &SharedStore<Piece>, edit: impl FnOnce(&mut Store<Piece>)) {
    let _ = catch_unwind(AssertUnwindSafe(|| store.edit(edit).unwrap()));
}

/// Uses a link in every way; gives what panicked, if that call came.
fn run(panics_at: usize) -> Option<&'static str> {
    let app = Arc::new(App {
        calls: Calls {
            made: AtomicUsize::new(0),
            panics_at,
            panicked: Mutex::default(),
        },
        items: Mutex::new((1..=3).chain(100..=102).map(piece).collect()),
        kept: Mutex::default(),
        states: Mutex::default(),
    });
    let store = SharedStore::new(Store::new());
    let by_key = {
        let app = Arc::clone(&app);
        Query::new().filter(move |piece: &Piece| {
            // The app's thread edits only when the link has loaded all.
            if piece.id < 10 {
                app.calls.count("filter");
            }
            true
        })
    };
    let list = store.edit(|store| store.bind(by_key)).unwrap();
    let view = Arc::new(Mutex::new(Replica::<Piece>::default()));
    let _view = store.subscribe(list, |_| {
        let (app, view) = (Arc::clone(&app), Arc::clone(&view));
        move |changes: &ChangeSet<Piece>| {
            view.lock().unwrap().apply(changes).unwrap();
            app.calls.count("subscriber");
        }
    });
    let options = LinkOptions::default()
        .retry(Retry {
            first: Duration::from_millis(1),
            most: Duration::from_millis(1),
        })
        .outbox(Kept(Arc::clone(&app), 0));
    let link = Link::start_with(store.clone(), Studio(Arc::clone(&app)), options).unwrap();
    let told = Arc::clone(&app);
    let listening = catch_unwind(AssertUnwindSafe(|| {
        link.on_state(move |state| {
            told.states.lock().unwrap().push(state.clone());
            told.calls.count("state listener");
        });
    }));
    drop(listening);

    link.wait_until_ready(LONG).unwrap();
    link.load_more();
    edit(&store, |store| drop(store.add(piece(200), Place::End)));
    edit(&store, |store| {
        drop(store.edit(&200, |piece| piece.fired = true))
    });
    edit(&store, |store| drop(store.remove(&200)));
    edit(&store, |store| drop(store.add(piece(201), Place::Start)));
    link.flush(LONG).unwrap();
    let all = |store: &Store<Piece>| store.contains(&102);
    let until = std::time::Instant::now() + LONG;
    while !store.read(all).unwrap() && std::time::Instant::now() < until {
        std::thread::sleep(Duration::from_millis(1));
    }
    assert!(link.close(LONG).is_empty());

    // What follows only looks.
    app.calls.made.store(panics_at + 1, Ordering::SeqCst);
    let panicked = *app.calls.panicked.lock().unwrap();
    let ids = |pieces: &[Piece]| {
        let mut ids: Vec<(u32, bool)> =
            pieces.iter().map(|piece| (piece.id, piece.fired)).collect();
        ids.sort_unstable();
        ids
    };
    let held: Vec<Piece> = store
        .read(|store| store.items().map(|item| Piece::clone(item)).collect())
        .unwrap();
    assert_eq!(ids(&held), ids(&app.items.lock().unwrap()), "{panicked:?}");
    let shown: Vec<Piece> = store
        .read(|store| {
            store
                .list(list)
                .unwrap()
                .items()
                .map(|item| Piece::clone(item))
                .collect()
        })
        .unwrap();
    let seen: Vec<Piece> = view
        .lock()
        .unwrap()
        .items()
        .map(|item| Piece::clone(item))
        .collect();
    assert_eq!(seen, shown, "{panicked:?}");
    store.read(|store| store.check()).unwrap().unwrap();
    // A write that could not be forgotten is asked again by the next run, and no other.
    let left = app.kept.lock().unwrap().len();
    assert_eq!(left, usize::from(panicked == Some("forget")));
    let states = app.states.lock().unwrap();
    if let Some(what @ ("load" | "load_more" | "write" | "watch")) = panicked {
        let says = format!("panicked: broken {what}");
        let said = states.iter().any(|state| match state {
            LinkState::Failed { error, .. } => error.to_string().contains(&says),
            _ => false,
        });
        assert!(said || what == "watch", "{what}: {states:?}");
    }
    assert!(states.last().unwrap().is_ready());
    panicked
}

#[test]
fn a_panic_at_any_call_of_the_apps_code_does_not_end_the_link() {
    let (mut panicked, mut without) = (Vec::new(), 0);
    for call in 0.. {
        match run(call) {
            Some(what) if !panicked.contains(&what) => panicked.push(what),
            Some(_) => {}
            // How many calls there are differs a little: some edits are told together.
            None => without += 1,
        }
        if without == 3 {
            break;
        }
    }
    panicked.sort_unstable();
    let every = [
        "filter",
        "forget",
        "keep",
        "load",
        "load_more",
        "state listener",
        "subscriber",
        "watch",
        "write",
    ];
    assert_eq!(panicked, every);
}
