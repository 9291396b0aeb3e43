//! Links against a source in memory that fails in every way that a network has.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use proptest::prelude::*;
use std::collections::HashMap;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, mpsc};
use std::time::{Duration, Instant};
use usual_tide::writes::{Neighbours, Ticket, Write, WriteState};
use usual_tide::{Item, Place, Query, SharedStore, Store};
use usual_tide_sources::link::{
    Answer, Change, ChangeSender, DirectSource, Link, LinkOptions, LinkState, Loaded, Loading,
    Retry, Source, SourceError,
};

const LONG: Duration = Duration::from_secs(30);

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    title: u8,
    shelf: u8,
    saved: u64,
}

fn piece(id: u32) -> Piece {
    Piece {
        id,
        title: 0,
        shelf: 0,
        saved: 0,
    }
}

/// What a call of the source does wrong.
#[derive(Clone, Copy, PartialEq, Debug)]
enum Fault {
    None,
    NotReached,
    AnswerLost,
    Refused,
    NewsLost,
    NewsTwice,
    /// The next news comes first.
    NewsLate,
}

/// The server: its items, the number of its version, and what it has answered to whom.
struct Server {
    items: Vec<Piece>,
    version: u64,
    answered: HashMap<(usize, Ticket), Answer<Piece>>,
    listeners: Vec<ChangeSender<Piece>>,
    late: Option<(Change<Piece>, u64)>,
    faults: Vec<Fault>,
    calls: usize,
}

impl Server {
    fn fault(&mut self) -> Fault {
        self.calls += 1;
        match self.faults.len() {
            0 => Fault::None,
            len => self.faults[self.calls % len],
        }
    }

    /// Makes a write of an item that is there, or new.
    fn make(&mut self, write: &Write<Piece>) -> Result<Change<Piece>, Option<Piece>> {
        let at = self.items.iter().position(|item| item.id == write.key);
        self.version += 1;
        let Some(after) = write.after.as_deref() else {
            self.items.retain(|item| item.id != write.key);
            return Ok(Change::Removed(write.key));
        };
        let (mut item, at) = match (at, write.before.as_deref()) {
            (Some(at), Some(before)) => {
                let mut item = self.items.remove(at);
                if before.title != after.title {
                    item.title = after.title;
                }
                if before.shelf != after.shelf {
                    item.shelf = after.shelf;
                }
                (item, at)
            }
            (None, None) => (after.clone(), self.items.len()),
            (at, _) => {
                self.version -= 1;
                return Err(at.map(|at| self.items[at].clone()));
            }
        };
        item.saved = self.version;
        let find = |key: u32| self.items.iter().position(|item| item.id == key);
        let wanted = write
            .place
            .as_ref()
            .and_then(|place| match (place.after, place.before) {
                (None, _) => Some(0),
                (_, None) => Some(self.items.len()),
                (Some(after), Some(before)) => {
                    find(after).map(|at| at + 1).or_else(|| find(before))
                }
            });
        let at = wanted.unwrap_or(at);
        self.items.insert(at, item.clone());
        let key = |at: Option<usize>| Some(self.items.get(at?)?.id);
        let place = Neighbours {
            after: key(at.checked_sub(1)),
            before: key(Some(at + 1)),
        };
        Ok(Change::Put(item, Some(place)))
    }

    fn tell(&mut self, change: &Change<Piece>, fault: Fault) {
        let late = self.late.take();
        if fault == Fault::NewsLate {
            self.late = Some((change.clone(), self.version));
        }
        let times = match fault {
            Fault::NewsLost | Fault::NewsLate => 0,
            Fault::NewsTwice => 2,
            _ => 1,
        };
        for news in &self.listeners {
            for _ in 0..times {
                news.changed(vec![change.clone()], Some(self.version));
            }
            if let Some((change, version)) = &late {
                news.changed(vec![change.clone()], Some(*version));
            }
        }
    }
}

#[derive(Clone)]
struct Client {
    number: usize,
    server: Arc<Mutex<Server>>,
}

fn not_reached() -> SourceError {
    SourceError::unreachable("the server", "no route to it")
}

impl Source<Piece> for Client {
    fn load(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<Piece>, SourceError> {
        let mut server = self.server.lock().unwrap();
        if server.fault() == Fault::NotReached {
            return Err(not_reached());
        }
        loading.progress(1, Some(2))?;
        Ok(Loaded {
            items: server.items.clone(),
            version: Some(server.version),
            more: false,
        })
    }

    fn write(&mut self, write: &Write<Piece>) -> Result<Answer<Piece>, SourceError> {
        let mut server = self.server.lock().unwrap();
        let fault = server.fault();
        if fault == Fault::NotReached {
            return Err(not_reached());
        }
        let id = (self.number, write.ticket);
        let answer = match server.answered.get(&id).cloned() {
            Some(answer) => answer,
            None if fault == Fault::Refused => Answer::refused("not today"),
            None => match server.make(write) {
                Ok(change) => {
                    server.tell(&change, fault);
                    Answer::SavedIn(server.version)
                }
                Err(current) => Answer::Refused {
                    reason: "somebody was faster".into(),
                    current: Some(current),
                },
            },
        };
        server.answered.insert(id, answer.clone());
        match fault {
            Fault::AnswerLost => Err(not_reached()),
            _ => Ok(answer),
        }
    }

    fn watch(&mut self, news: ChangeSender<Piece>) {
        self.server.lock().unwrap().listeners.push(news);
    }
}

fn options() -> LinkOptions<Piece> {
    LinkOptions::default()
        .retry(Retry {
            first: Duration::from_millis(1),
            most: Duration::from_millis(5),
        })
        .patience(Duration::from_millis(20))
}

fn server(faults: Vec<Fault>) -> Arc<Mutex<Server>> {
    Arc::new(Mutex::new(Server {
        items: (0..6).map(piece).collect(),
        version: 1,
        answered: HashMap::new(),
        listeners: Vec::new(),
        late: None,
        faults,
        calls: 0,
    }))
}

fn edit(store: &mut Store<Piece>, (what, at, to): (u8, u8, u8), new: u32) {
    let len = store.len();
    let key = store.at(usize::from(at) % len.max(1)).map(|item| item.id);
    let row = Place::Row(usize::from(to) % len.max(1));
    let edited = match (what % 5, key) {
        (0, _) | (_, None) => store.add(piece(new), row),
        (1, Some(key)) => store.edit(&key, |piece| piece.title = to).map(drop),
        (2, Some(key)) => store.edit(&key, |piece| piece.shelf = to).map(drop),
        (3, Some(key)) => store.move_to(&key, row).map(drop),
        (_, Some(key)) => store.remove(&key).map(drop),
    };
    edited.unwrap();
}

fn shown(store: &SharedStore<Piece>) -> Vec<Piece> {
    let items = |store: &Store<Piece>| store.items().map(|item| Piece::clone(item)).collect();
    store.read(items).unwrap()
}

fn fault() -> impl Strategy<Value = Fault> {
    prop_oneof![
        8 => Just(Fault::None),
        1 => Just(Fault::NotReached),
        1 => Just(Fault::AnswerLost),
        1 => Just(Fault::Refused),
        1 => Just(Fault::NewsLost),
        1 => Just(Fault::NewsTwice),
        1 => Just(Fault::NewsLate),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn two_clients_of_a_bad_network_end_equal(
        faults in prop::collection::vec(fault(), 3..40),
        edits in prop::collection::vec((any::<bool>(), any::<(u8, u8, u8)>(), 0..3u8), 1..40),
    ) {
        let well = faults.contains(&Fault::None);
        prop_assume!(well);
        let untold = faults.contains(&Fault::NewsLost) || faults.contains(&Fault::NewsLate);
        let server = server(faults);
        let stores = [0, 1].map(|_| SharedStore::new(Store::new()));
        let links = [0, 1].map(|number| {
            let client = Client { number, server: Arc::clone(&server) };
            let options = options().writes_at_once(1 + 2 * number);
            Link::start_with(stores[number].clone(), client, options).unwrap()
        });
        for link in &links {
            link.wait_until_ready(LONG).unwrap();
        }
        for (new, (second, what, wait)) in edits.into_iter().enumerate() {
            let store = &stores[usize::from(second)];
            store.edit(|store| edit(store, what, 100 + u32::try_from(new).unwrap())).unwrap();
            std::thread::sleep(Duration::from_micros(u64::from(wait) * 300));
        }
        for link in &links {
            link.flush(LONG).unwrap();
        }
        // The network is well now: each list comes to show what the server has.
        server.lock().unwrap().faults.clear();
        for (link, store) in links.iter().zip(&stores) {
            // Only the last news can be lost without anyone noticing.
            if untold {
                link.refresh();
            }
            let end = Instant::now() + LONG;
            while shown(store) != server.lock().unwrap().items {
                prop_assert!(Instant::now() < end, "{:?}", shown(store));
                std::thread::sleep(Duration::from_millis(1));
            }
        }
        // What the server refused was told to the client that had asked, with the edits of an item that was not
        // added; nothing else was.
        let server = server.lock().unwrap();
        for (number, store) in stores.iter().enumerate() {
            let told = store.read(|store| {
                assert_eq!(store.check(), Ok(()));
                store.writes().refused().map(|refused| {
                    (refused.write.ticket, refused.reason.clone())
                }).collect::<HashMap<Ticket, String>>()
            }).unwrap();
            for ((client, ticket), answer) in &server.answered {
                let refused = matches!(answer, Answer::Refused { .. });
                if *client == number && refused {
                    prop_assert!(told.contains_key(ticket), "{ticket} was refused untold");
                }
            }
            for (ticket, reason) in &told {
                let answer = server.answered.get(&(number, *ticket));
                let refused = matches!(answer, Some(Answer::Refused { .. }));
                prop_assert!(refused || reason.starts_with("the item was not added"));
            }
        }
    }
}

#[test]
fn the_state_tells_loading_from_failed_from_ready() {
    let server = server(vec![Fault::NotReached]);
    let store = SharedStore::new(Store::new());
    let client = Client {
        number: 0,
        server: Arc::clone(&server),
    };
    let states = Arc::new(Mutex::new(Vec::new()));
    let link = Link::start_with(store.clone(), client, options()).unwrap();
    let seen = Arc::clone(&states);
    link.on_state(move |state| seen.lock().unwrap().push(state.clone()));
    let waited = link
        .wait_until_ready(Duration::from_millis(50))
        .unwrap_err();
    assert!(waited.to_string().starts_with("not in time"), "{waited}");
    assert!(store.read(Store::is_empty).unwrap());

    server.lock().unwrap().faults.clear();
    link.wait_until_ready(LONG).unwrap();
    assert_eq!(store.read(Store::len).unwrap(), 6);
    // Who waits for a state may go on before everyone is told of it.
    let end = Instant::now() + LONG;
    while !states
        .lock()
        .unwrap()
        .last()
        .is_some_and(LinkState::is_ready)
    {
        assert!(Instant::now() < end);
        std::thread::sleep(Duration::from_millis(1));
    }
    let states = states.lock().unwrap();
    let half = |state: &LinkState| {
        let LinkState::Loading { done, total } = state else {
            return false;
        };
        (*done, *total) == (1, Some(2))
    };
    assert!(states.iter().any(half));
    let failed = states.iter().find_map(|state| match state {
        LinkState::Failed { error, .. } => Some(error.to_string()),
        _ => None,
    });
    assert_eq!(failed.unwrap(), "the server: no route to it");
}

#[test]
fn closing_tells_what_was_not_sent() {
    let server = server(Vec::new());
    let store = SharedStore::new(Store::new());
    let client = Client {
        number: 0,
        server: Arc::clone(&server),
    };
    let link = Link::start_with(store.clone(), client, options()).unwrap();
    link.wait_until_ready(LONG).unwrap();
    let edit = |key: u32| store.edit(|store| store.edit(&key, |piece| piece.title = 1));
    edit(1).unwrap().unwrap();
    link.flush(LONG).unwrap();
    assert_eq!(
        store.read(|store| store.writes().state(&1)).unwrap(),
        WriteState::Saved
    );

    server.lock().unwrap().faults = vec![Fault::NotReached];
    edit(2).unwrap().unwrap();
    let unsent = link.close(Duration::from_millis(50));
    assert_eq!(unsent.len(), 1);
    assert_eq!(unsent[0].key, 2);
    assert_eq!(
        store.read(|store| store.writes().state(&2)).unwrap(),
        WriteState::Pending
    );
}

#[test]
fn a_store_has_one_link_at_a_time() {
    let server = server(vec![]);
    let client = |number| Client {
        number,
        server: Arc::clone(&server),
    };
    let store = SharedStore::new(Store::new());
    let link = Link::start_with(store.clone(), client(0), options()).unwrap();
    let refused = Link::start_with(store.clone(), client(1), options()).unwrap_err();
    let message = "another link sends this store's writes already: close that first";
    assert_eq!(refused.to_string(), message);
    link.wait_until_ready(LONG).unwrap();
    assert!(link.close(LONG).is_empty());

    // The next one goes on.
    let link = Link::start_with(store.clone(), client(1), options()).unwrap();
    link.wait_until_ready(LONG).unwrap();
    store
        .edit(|store| store.add(piece(900), Place::End))
        .unwrap()
        .unwrap();
    link.flush(LONG).unwrap();
    assert!(link.close(LONG).is_empty());
    assert_eq!(server.lock().unwrap().items.last().unwrap().id, 900);
}

/// A client that notes how many writes wait when it is given one.
struct Noting {
    client: Client,
    store: SharedStore<Piece>,
    waiting: Arc<Mutex<Vec<usize>>>,
}

impl Source<Piece> for Noting {
    fn load(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<Piece>, SourceError> {
        self.client.load(loading)
    }

    fn write(&mut self, write: &Write<Piece>) -> Result<Answer<Piece>, SourceError> {
        let waiting = self.store.read(|store| store.writes().pending().count());
        self.waiting.lock().unwrap().push(waiting.unwrap());
        self.client.write(write)
    }

    fn watch(&mut self, news: ChangeSender<Piece>) {
        self.client.watch(news);
    }
}

#[test]
fn what_the_source_reports_is_applied_while_a_long_queue_is_sent_and_not_one_by_one() {
    let store = SharedStore::new(Store::new());
    let list = store.bind(Query::new()).unwrap();
    let told = Arc::new(AtomicUsize::new(0));
    let count = Arc::clone(&told);
    let _subscription = store
        .subscribe(list, |_| {
            move |_: &_| {
                count.fetch_add(1, Ordering::Relaxed);
            }
        })
        .unwrap();
    let waiting = Arc::new(Mutex::new(Vec::new()));
    let source = Noting {
        client: Client {
            number: 0,
            server: server(vec![]),
        },
        store: store.clone(),
        waiting: Arc::clone(&waiting),
    };
    let options = options().patience(LONG).writes_at_once(10);
    let link = Link::start_with(store.clone(), source, options).unwrap();
    link.wait_until_ready(LONG).unwrap();
    let made = store.edit(|store| (100..200).try_for_each(|id| store.add(piece(id), Place::End)));
    made.unwrap().unwrap();
    let before = told.load(Ordering::Relaxed);
    link.flush(LONG).unwrap();

    let waiting = waiting.lock().unwrap();
    assert_eq!(waiting.len(), 100);
    assert_eq!((waiting[0], waiting[99]), (100, 10), "{waiting:?}");
    let told = told.load(Ordering::Relaxed) - before;
    assert!(told <= 20, "{told} change sets for ten times ten writes");
    assert!(
        store
            .read(|store| store.writes().pending().count())
            .unwrap()
            == 0
    );
    link.close(LONG);
}

/// A source of two pages that waits with each answer until it may give it.
struct Paged {
    asked: mpsc::Sender<()>,
    go_on: mpsc::Receiver<()>,
    /// Kept as long as the source is, and not used.
    news: Option<ChangeSender<Piece>>,
}

/// Such a source, what tells of each write, and what lets it be answered.
fn paged() -> (Paged, mpsc::Receiver<()>, mpsc::Sender<()>) {
    let (asked, was_asked) = mpsc::channel();
    let (may_go_on, go_on) = mpsc::channel();
    let source = Paged {
        asked,
        go_on,
        news: None,
    };
    (source, was_asked, may_go_on)
}

impl Source<Piece> for Paged {
    fn load(&mut self, _: &mut Loading<'_>) -> Result<Loaded<Piece>, SourceError> {
        Ok(Loaded {
            more: true,
            ..Loaded::all(vec![piece(1)])
        })
    }

    fn load_more(&mut self, _: &mut Loading<'_>) -> Result<Loaded<Piece>, SourceError> {
        Ok(Loaded::all(vec![piece(2)]))
    }

    fn write(&mut self, _: &Write<Piece>) -> Result<Answer<Piece>, SourceError> {
        self.asked.send(()).unwrap();
        self.go_on.recv_timeout(LONG).unwrap();
        Ok(Answer::Saved)
    }

    fn watch(&mut self, news: ChangeSender<Piece>) {
        self.news = Some(news);
    }
}

/// A link of such a source that is sending a write, with its store, what tells that the source is gone, and what lets it answer.
fn sending() -> (
    SharedStore<Piece>,
    Link<Piece>,
    mpsc::Receiver<()>,
    mpsc::Sender<()>,
) {
    let (source, was_asked, go_on) = paged();
    let store = SharedStore::new(Store::new());
    let link = Link::start_with(store.clone(), source, options()).unwrap();
    link.wait_until_ready(LONG).unwrap();
    let added = store.edit(|store| store.add(piece(900), Place::Start));
    added.unwrap().unwrap();
    was_asked.recv_timeout(LONG).unwrap();
    (store, link, was_asked, go_on)
}

#[test]
fn a_page_that_is_asked_for_while_a_write_is_sent_is_loaded() {
    let (store, link, _was_asked, go_on) = sending();
    link.load_more();
    go_on.send(()).unwrap();

    let since = Instant::now();
    while !store.read(|store| store.contains(&2)).unwrap() {
        assert!(since.elapsed() < LONG, "the page does not come");
        std::thread::sleep(Duration::from_millis(1));
    }
    assert!(link.close(LONG).is_empty());
}

#[test]
fn a_link_that_is_closed_while_a_write_is_sent_ends() {
    let (_store, link, was_asked, go_on) = sending();
    let unanswered = link.close(Duration::ZERO);
    assert_eq!(unanswered.len(), 1);
    go_on.send(()).unwrap();
    // The source is dropped, and with it what it holds.
    let dropped = was_asked.recv_timeout(LONG);
    assert_eq!(dropped, Err(mpsc::RecvTimeoutError::Disconnected));
}

/// Looks for changes once an hour, on a thread of its own that says when it ends.
struct Hourly(mpsc::Sender<()>);

impl Source<Piece> for Hourly {
    fn load(&mut self, _: &mut Loading<'_>) -> Result<Loaded<Piece>, SourceError> {
        Ok(Loaded::all(Vec::new()))
    }

    fn write(&mut self, _: &Write<Piece>) -> Result<Answer<Piece>, SourceError> {
        Ok(Answer::Saved)
    }

    fn watch(&mut self, news: ChangeSender<Piece>) {
        let ended = self.0.clone();
        std::thread::spawn(move || {
            while !news.wait_until_closed(Duration::from_secs(3600)) {
                news.stale();
            }
            ended.send(()).unwrap();
        });
    }
}

#[test]
fn a_thread_that_looks_for_changes_ends_with_the_link() {
    let (sender, ended) = mpsc::channel();
    let store = SharedStore::new(Store::new());
    let link = Link::start(store, Hourly(sender.clone())).unwrap();
    link.wait_until_ready(LONG).unwrap();
    assert!(ended.try_recv().is_err());
    link.close(LONG);
    ended.recv_timeout(LONG).unwrap();

    let direct = DirectSource::new(Hourly(sender));
    assert!(ended.try_recv().is_err());
    drop(direct);
    ended.recv_timeout(LONG).unwrap();
}
