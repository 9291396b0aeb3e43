//! A link under all kinds of interleavings of its thread, the app's and the source's, chosen by a checker:
//! `RUSTFLAGS="--cfg shuttle" cargo test -p usual-tide-sources --test interleavings`.

#![cfg(shuttle)]
#![allow(clippy::unwrap_used)]

use shuttle::thread;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};
use std::time::Duration;
use usual_tide::writes::{Ticket, Write};
use usual_tide::{Item, Place, SharedStore, Store};
use usual_tide_sources::link::{
    Answer, Change, ChangeSender, Link, LinkOptions, LinkState, Loaded, Loading, Outbox,
    OutboxError, Retry, Source, SourceError,
};

/// No time passes under the checker.
const EVER: Duration = Duration::from_secs(3600);

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    fired: bool,
}

fn piece(id: u32) -> Piece {
    Piece { id, fired: false }
}

/// Tries a program under many interleavings: by chance, and with few switches at places that matter (PCT; Burckhardt
/// and others, 2010).
fn check(program: fn()) {
    shuttle::check_random(program, 1000);
    shuttle::check_pct(program, 1000, 3);
}

/// The server. It is locked for moments in which nothing else can run.
#[derive(Default)]
struct Server {
    items: Vec<Piece>,
    version: u64,
    news: Vec<ChangeSender<Piece>>,
    written: Vec<Ticket>,
    /// How many calls fail before one comes through.
    failures: usize,
    kept: BTreeMap<u64, Ticket>,
    keep_before_send: bool,
    /// What must not happen and did. A panic in the source would be caught by the link.
    broken: Vec<&'static str>,
}

type Studio = Arc<Mutex<Server>>;

fn studio(items: std::ops::Range<u32>) -> Studio {
    Arc::new(Mutex::new(Server {
        items: items.map(piece).collect(),
        ..Server::default()
    }))
}

/// A source that saves at once.
struct Plain(Studio);

/// A source that reports what it has saved, to all who listen.
struct Live(Studio);

fn tried(studio: &Studio) -> Result<(), SourceError> {
    thread::yield_now();
    let failures = &mut studio.lock().unwrap().failures;
    match failures.checked_sub(1) {
        None => Ok(()),
        Some(rest) => {
            *failures = rest;
            Err(SourceError::unreachable("the studio", "nobody is there"))
        }
    }
}

impl Server {
    fn save(&mut self, write: &Write<Piece>) -> Change<Piece> {
        if self.written.contains(&write.ticket) {
            self.broken.push("a write was sent twice");
        }
        let is_kept = self.kept.values().any(|kept| *kept == write.ticket);
        if self.keep_before_send && !is_kept {
            self.broken.push("a write was sent before it was kept");
        }
        self.written.push(write.ticket);
        self.version += 1;
        let at = self.items.iter().position(|item| item.id == write.key);
        match (at, &write.after) {
            (Some(at), Some(after)) => self.items[at] = Piece::clone(after),
            (None, Some(after)) => self.items.push(Piece::clone(after)),
            (Some(at), None) => drop(self.items.remove(at)),
            (None, None) => {}
        }
        match &write.after {
            Some(after) => Change::Put(Piece::clone(after), None),
            None => Change::Removed(write.key),
        }
    }
}

impl Source<Piece> for Plain {
    fn load(&mut self, _: &mut Loading<'_>) -> Result<Loaded<Piece>, SourceError> {
        tried(&self.0)?;
        Ok(Loaded::all(self.0.lock().unwrap().items.clone()))
    }

    fn write(&mut self, write: &Write<Piece>) -> Result<Answer<Piece>, SourceError> {
        tried(&self.0)?;
        self.0.lock().unwrap().save(write);
        thread::yield_now();
        Ok(Answer::Saved)
    }
}

impl Source<Piece> for Live {
    fn load(&mut self, _: &mut Loading<'_>) -> Result<Loaded<Piece>, SourceError> {
        tried(&self.0)?;
        let server = self.0.lock().unwrap();
        Ok(Loaded {
            version: Some(server.version),
            ..Loaded::all(server.items.clone())
        })
    }

    fn write(&mut self, write: &Write<Piece>) -> Result<Answer<Piece>, SourceError> {
        tried(&self.0)?;
        let (change, version, news) = {
            let mut server = self.0.lock().unwrap();
            (server.save(write), server.version, server.news.clone())
        };
        for sender in news {
            sender.changed(vec![change.clone()], Some(version));
        }
        Ok(Answer::SavedIn(version))
    }

    fn watch(&mut self, news: ChangeSender<Piece>) {
        self.0.lock().unwrap().news.push(news);
    }
}

/// Keeps for as long as the server lives.
struct Kept(Studio, u64);

impl Outbox<Piece> for Kept {
    fn kept(&mut self) -> Result<Vec<(u64, Write<Piece>)>, OutboxError> {
        Ok(Vec::new())
    }

    fn keep(&mut self, writes: &[Arc<Write<Piece>>]) -> Result<Vec<u64>, OutboxError> {
        thread::yield_now();
        let first = self.1;
        self.1 += writes.len() as u64;
        let numbers: Vec<u64> = (first..self.1).collect();
        let tickets = writes.iter().map(|write| write.ticket);
        let kept = &mut self.0.lock().unwrap().kept;
        kept.extend(numbers.iter().copied().zip(tickets));
        Ok(numbers)
    }

    fn forget(&mut self, number: u64) -> Result<(), OutboxError> {
        thread::yield_now();
        let mut server = self.0.lock().unwrap();
        if server.kept.remove(&number).is_none() {
            server.broken.push("what was not kept was forgotten");
        }
        Ok(())
    }
}

fn options() -> LinkOptions<Piece> {
    LinkOptions::default()
        .retry(Retry {
            first: Duration::ZERO,
            most: Duration::ZERO,
        })
        .patience(EVER)
        .writes_at_once(2)
}

/// Two threads that edit what they need not agree about.
fn edit_on_two_threads(store: &SharedStore<Piece>) -> [thread::JoinHandle<()>; 2] {
    [0, 1].map(|number| {
        let store = store.clone();
        thread::spawn(move || {
            store
                .edit(|store| store.add(piece(10 + number), Place::End))
                .unwrap()
                .unwrap();
            store
                .edit(|store| store.edit(&(10 + number), |piece| piece.fired = true))
                .unwrap()
                .unwrap();
        })
    })
}

fn by_id(items: &[Piece]) -> Vec<Piece> {
    let mut items = items.to_vec();
    items.sort_by_key(|piece| piece.id);
    items
}

fn assert_in_step(store: &SharedStore<Piece>, studio: &Studio) {
    let held: Vec<Piece> = store
        .read(|store| store.items().map(|piece| Piece::clone(piece)).collect())
        .unwrap();
    assert_eq!(by_id(&held), by_id(&studio.lock().unwrap().items));
    assert_eq!(studio.lock().unwrap().broken, [""; 0]);
    assert_eq!(
        store
            .read(|store| store.writes().pending().count())
            .unwrap(),
        0
    );
    store.read(|store| store.check()).unwrap().unwrap();
}

#[test]
fn what_several_threads_write_while_the_link_loads_is_sent_once() {
    check(|| {
        let studio = studio(0..2);
        studio.lock().unwrap().failures = 2;
        let store = SharedStore::new(Store::new());
        store.edit(|store| store.writes_mut().track()).unwrap();
        let editors = edit_on_two_threads(&store);
        let link = Link::start_with(store.clone(), Plain(Arc::clone(&studio)), options()).unwrap();
        for editor in editors {
            editor.join().unwrap();
        }
        link.wait_until_ready(EVER).unwrap();
        link.flush(EVER).unwrap();
        assert_in_step(&store, &studio);
        assert!(link.close(EVER).is_empty());
        assert_eq!(studio.lock().unwrap().written.len(), 4);
    });
}

#[test]
fn a_write_is_kept_before_it_is_sent_and_forgotten_after() {
    check(|| {
        let studio = studio(0..1);
        studio.lock().unwrap().keep_before_send = true;
        let store = SharedStore::new(Store::new());
        let outbox = Kept(Arc::clone(&studio), 0);
        let options = options().outbox(outbox);
        // It is told first, and takes its time.
        let list = store
            .edit(|store| store.bind(usual_tide::Query::new()))
            .unwrap();
        let _slow = store
            .subscribe(list, |_| {
                |_: &usual_tide::ChangeSet<Piece>| thread::yield_now()
            })
            .unwrap();
        let link = Link::start_with(store.clone(), Plain(Arc::clone(&studio)), options).unwrap();
        let editors = edit_on_two_threads(&store);
        for editor in editors {
            editor.join().unwrap();
        }
        link.flush(EVER).unwrap();
        link.close(EVER);
        assert_in_step(&store, &studio);
        assert_eq!(studio.lock().unwrap().kept, BTreeMap::new());
    });
}

#[test]
fn news_of_the_source_and_edits_meet_and_end_equal() {
    check(|| {
        let studio = studio(0..2);
        let store = SharedStore::new(Store::new());
        let link = Link::start_with(store.clone(), Live(Arc::clone(&studio)), options()).unwrap();
        let other = {
            let studio = Arc::clone(&studio);
            thread::spawn(move || {
                thread::yield_now();
                let (version, news) = {
                    let mut server = studio.lock().unwrap();
                    server.items.push(piece(20));
                    server.version += 1;
                    (server.version, server.news.clone())
                };
                for sender in news {
                    sender.changed(vec![Change::Put(piece(20), None)], Some(version));
                }
            })
        };
        for editor in edit_on_two_threads(&store) {
            editor.join().unwrap();
        }
        other.join().unwrap();
        link.wait_until_ready(EVER).unwrap();
        link.flush(EVER).unwrap();
        link.close(EVER);
        assert_in_step(&store, &studio);
    });
}

#[test]
fn who_listens_to_the_state_ends_with_the_last_one() {
    check(|| {
        let studio = studio(0..1);
        studio.lock().unwrap().failures = 1;
        let store = SharedStore::new(Store::new());
        let link = Link::start_with(store, Plain(studio), options()).unwrap();
        let told: Arc<Mutex<Option<LinkState>>> = Arc::default();
        let last = Arc::clone(&told);
        link.on_state(move |state| {
            thread::yield_now();
            *last.lock().unwrap() = Some(state.clone());
        });
        link.wait_until_ready(EVER).unwrap();
        link.close(EVER);
        assert!(
            told.lock()
                .unwrap()
                .as_ref()
                .is_some_and(LinkState::is_ready)
        );
    });
}
