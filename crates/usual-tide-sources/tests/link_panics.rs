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

/// Counts the calls of one kind of the app's code, and panics at one of them.
struct Calls {
    what: &'static str,
    panics_at: usize,
    made: AtomicUsize,
}

impl Calls {
    fn count(&self, what: &'static str) {
        if what == self.what && self.made.fetch_add(1, Ordering::SeqCst) == self.panics_at {
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

/// Uses a link in every way; whether the call came that panics.
fn run(what: &'static str, panics_at: usize) -> bool {
    let app = Arc::new(App {
        calls: Calls {
            what,
            panics_at,
            made: AtomicUsize::new(0),
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
    link.wait_until_ready(LONG).unwrap();
    assert!(link.close(LONG).is_empty());

    // What follows only looks.
    let made = app.calls.made.swap(panics_at + 1, Ordering::SeqCst);
    let panicked = made > panics_at;
    let ids = |pieces: Vec<&Piece>| {
        let mut ids: Vec<(u32, bool)> =
            pieces.iter().map(|piece| (piece.id, piece.fired)).collect();
        ids.sort_unstable();
        ids
    };
    store
        .read(|store| {
            let items = app.items.lock().unwrap();
            assert_eq!(
                ids(store.items().map(Arc::as_ref).collect()),
                ids(items.iter().collect())
            );
            let shown: Vec<&Piece> = store.list(list).unwrap().items().map(Arc::as_ref).collect();
            let view = view.lock().unwrap();
            assert_eq!(view.items().map(Arc::as_ref).collect::<Vec<_>>(), shown);
            store.check()
        })
        .unwrap()
        .unwrap();
    // A write that could not be forgotten is asked again by the next run, and no other.
    let left = app.kept.lock().unwrap().len();
    assert_eq!(left, usize::from(panicked && what == "forget"));
    let states = app.states.lock().unwrap();
    assert!(states.last().unwrap().is_ready());
    // The app began to listen too late to be sure to hear of the first calls.
    if panicked && ["load_more", "write"].contains(&what) {
        let says = format!("panicked: broken {what}");
        let said = |state: &LinkState| match state {
            LinkState::Failed { error, .. } => error.to_string().contains(&says),
            _ => false,
        };
        assert!(states.iter().any(said), "{states:?}");
    }
    panicked
}

#[test]
fn a_panic_at_any_call_of_the_apps_code_does_not_end_the_link() {
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
    for what in every {
        let calls = (0..).find(|call| !run(what, *call));
        assert!(calls > Some(0), "{what} is never called");
    }
}
