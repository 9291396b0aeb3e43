//! A store with ten lists, drafts, undo and a link over a bad network, and clients of the server that come and go: at
//! the end all show the same, and neither memory, files nor threads have grown.
//!
//! Eight seconds in CI. An hour:
//! `USUAL_TIDE_SOAK_SECONDS=3600 cargo test --release -p usual-tide-cli --test soak -- --nocapture`

#![cfg(target_os = "linux")]
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod clients;
mod resources;

use fastrand::Rng;
use resources::{Resources, Sample};
use std::io::{BufRead, BufReader};
use std::process::{Child, ChildStdout, Command, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};
use usual_tide::record::{FieldName, Record, RecordKey, RecordMaker};
use usual_tide::{
    Draft, Feed, Group, Item, ListId, Place, Query, Search, SharedStore, Sort, Store,
};
use usual_tide_sources::http::{HttpOptions, HttpSource};
use usual_tide_sources::link::{Link, LinkOptions, Retry};

/// Items at most and at least.
const ITEMS: std::ops::Range<usize> = 200..400;

/// Writes that wait at most.
const WAITING: usize = 20;

fn piece(rng: &mut Rng, id: u64) -> Record {
    let title = ["Bowl", "Mug", "Vase", "Jug", "Plate"][rng.usize(..5)];
    let json = serde_json::json!({
        "id": id, "title": format!("{title} {}", rng.u8(..)), "shelf": shelf(rng), "height_mm": rng.u32(10..400),
    });
    RecordMaker::new(&key()).read(&json).unwrap()
}

fn shelf(rng: &mut Rng) -> &'static str {
    ["A", "B", "C", "D"][rng.usize(..4)]
}

fn key() -> FieldName {
    FieldName::parse("id").unwrap()
}

/// A server whose network and whose rules are bad.
struct Server {
    process: Child,
    /// What it says, which must have a reader as long as it lives.
    _said: BufReader<ChildStdout>,
    address: String,
}

impl Server {
    fn start(path: &str) -> Self {
        let bad = "--latency 0..3 --refuse-every 37 --conflict-every 41 --fail-every 43 --drop-every 47 --garble-every 53";
        let mut process = Command::new(env!("CARGO_BIN_EXE_usual-tide"))
            .args([
                "serve",
                path,
                "--listen",
                "127.0.0.1:0",
                "--list-unused",
                "1",
                "--log",
                "off",
            ])
            .args(bad.split(' '))
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut said = BufReader::new(process.stdout.take().unwrap());
        let mut line = String::new();
        said.read_line(&mut line).unwrap();
        let address = line.split(" at http://").nth(1).unwrap();
        let address = address.split('/').next().unwrap().to_owned();
        Self {
            process,
            _said: said,
            address,
        }
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

/// A list with a copy of its rows that change sets alone keep up to date.
struct View {
    list: ListId,
    feed: Feed<Record>,
    rows: Vec<Arc<Record>>,
    /// How many steps it waits before it reads.
    patience: usize,
}

impl View {
    fn open(store: &mut Store<Record>, query: Query<Record>, patience: usize) -> Self {
        let list = store.bind(query);
        let feed = store.feed(list).unwrap();
        let rows = store.list(list).unwrap().items().cloned().collect();
        Self {
            list,
            feed,
            rows,
            patience,
        }
    }

    fn read(&mut self, store: &Store<Record>) {
        if let Some(changes) = self.feed.read(store).unwrap() {
            changes.apply(&mut self.rows).unwrap();
        }
        let shown = store.list(self.list).unwrap();
        assert!(shown.items().eq(&self.rows), "a copy differs from its list");
    }
}

fn query(rng: &mut Rng) -> Query<Record> {
    let mut query = Query::new();
    if rng.bool() {
        let sorts = ["title", "-height_mm", "shelf,title", "-id"];
        query = query.sort(Sort::parse(sorts[rng.usize(..4)]).unwrap());
    }
    if rng.u8(..3) == 0 {
        query = query.group(Group::parse(["shelf", "title:initial"][rng.usize(..2)]).unwrap());
    }
    if rng.u8(..3) == 0 {
        query = query.search(Search::new(["bo", "mu", "a", "1"][rng.usize(..4)]));
    }
    if rng.u8(..3) == 0 {
        let from = rng.u32(50..300);
        query = query.filter(usual_tide::Condition::from_fn(move |piece: &Record| {
            piece.get("height_mm").and_then(|height| height.as_i64()) > Some(from.into())
        }));
    }
    match rng.u8(..4) {
        0 => query.skip(rng.usize(..20)).take(rng.usize(1..60)),
        _ => query,
    }
}

/// A person's steps.
struct Person {
    rng: Rng,
    drafts: Vec<Draft<Record>>,
    next_id: u64,
}

impl Person {
    fn some_key(&mut self, store: &Store<Record>) -> Option<RecordKey> {
        let at = self.rng.usize(..store.len().max(1));
        store.at(at).map(|piece| piece.key().clone())
    }

    /// What does not fit the moment is refused, which is fine here.
    fn step(&mut self, store: &mut Store<Record>, views: &[View]) {
        let Some(at) = self.some_key(store) else {
            return;
        };
        let shelf = shelf(&mut self.rng);
        let rng = &mut self.rng;
        match rng.u8(..24) {
            0..=3 if store.len() < ITEMS.end => {
                self.next_id += 1;
                drop(store.add(piece(rng, self.next_id), Place::After(at)));
            }
            0..=6 if store.len() > ITEMS.start => drop(store.remove(&at)),
            7 => drop(store.history_mut().undo()),
            8 => drop(store.history_mut().redo()),
            9 => self.drafts.extend(store.drafts_mut().begin(&at)),
            10 | 11 => {
                if let Some(draft) = self.drafts.last_mut() {
                    drop(draft.type_text("title", "Typed"));
                }
            }
            12 | 13 => {
                if let Some(draft) = self.drafts.pop() {
                    drop(store.drafts_mut().commit(draft));
                }
            }
            14 => drop(self.drafts.pop()),
            15 => {
                let view = &views[rng.usize(..views.len())];
                let query = query(rng);
                store.list_mut(view.list).unwrap().set_query(query);
            }
            16 => {
                let refused: Vec<_> = store
                    .writes()
                    .refused()
                    .map(|refused| refused.write.ticket)
                    .collect();
                for ticket in refused {
                    drop(store.writes_mut().dismiss(ticket));
                }
            }
            _ => drop(store.edit(&at, |piece| drop(piece.set("shelf", shelf.into())))),
        }
        self.drafts.truncate(5);
    }
}

fn linked(address: &str) -> (SharedStore<Record>, Link<Record>) {
    let quick = Retry {
        first: Duration::from_millis(2),
        most: Duration::from_millis(50),
    };
    let source = HttpSource::with(
        &format!("http://{address}"),
        &key(),
        HttpOptions::default().retry(quick),
    );
    let store = SharedStore::new(Store::new());
    let link =
        Link::start_with(store.clone(), source, LinkOptions::default().retry(quick)).unwrap();
    link.wait_until_ready(Duration::from_secs(60)).unwrap();
    (store, link)
}

#[test]
fn nothing_grows_and_all_show_the_same() {
    let seconds = std::env::var("USUAL_TIDE_SOAK_SECONDS").ok();
    let seconds: u64 = seconds.map_or(8, |seconds| seconds.parse().unwrap());
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    let mut rng = Rng::with_seed(11);
    let items: Vec<_> = (0..300)
        .map(|id| piece(&mut rng, id).to_members())
        .collect();
    std::fs::write(&path, serde_json::to_vec(&items).unwrap()).unwrap();
    let server = Server::start(path.to_str().unwrap());
    let (store, link) = linked(&server.address);

    let mut views: Vec<View> = store
        .edit(|store| {
            (0..10)
                .map(|at| View::open(store, query(&mut rng), [1, 3, 50, 2000][at % 4]))
                .collect()
        })
        .unwrap();
    let ended = AtomicBool::new(false);
    let mut resources = Resources::of([std::process::id(), server.process.id()]);
    let mut person = Person {
        rng,
        drafts: Vec::new(),
        next_id: 1000,
    };
    let (begun, mut steps) = (Instant::now(), 0_usize);
    std::thread::scope(|scope| {
        for number in 0..3 {
            let (address, ended) = (&server.address, &ended);
            scope.spawn(move || clients::come_and_go(address, number, ended));
        }
        let length = Duration::from_secs(seconds);
        while begun.elapsed() < length {
            // Nobody types faster than the server saves, for an hour.
            let waiting = store.read(|store| store.writes().pending().count());
            if waiting.unwrap() > WAITING {
                std::thread::sleep(Duration::from_millis(5));
                continue;
            }
            steps += 1;
            store.edit(|store| person.step(store, &views)).unwrap();
            for view in views
                .iter_mut()
                .filter(|view| steps.is_multiple_of(view.patience))
            {
                store.read(|store| view.read(store)).unwrap();
            }
            if let Some(sample) = resources.sample_each(length / 40) {
                let sample: &Sample = sample;
                println!(
                    "{:>5} s, {steps} steps: {sample}",
                    begun.elapsed().as_secs()
                );
            }
            std::thread::sleep(Duration::from_millis(2));
        }
        ended.store(true, Ordering::Relaxed);
    });
    // What waits is sent, and what was refused is seen to.
    store
        .edit(|store| {
            person
                .drafts
                .drain(..)
                .for_each(|draft| drop(store.drafts_mut().discard(draft)));
        })
        .unwrap();
    link.flush(Duration::from_secs(120)).unwrap();
    store.read(|store| store.check().unwrap()).unwrap();
    for view in &mut views {
        store.read(|store| view.read(store)).unwrap();
    }
    let held = || -> Vec<(RecordKey, Record)> {
        let mut held: Vec<_> = store
            .read(|store| {
                store
                    .items()
                    .map(|item| (item.key().clone(), (**item).clone()))
                    .collect::<Vec<_>>()
            })
            .unwrap();
        held.sort_by_key(|(key, _)| key.to_string());
        held
    };
    let served = || {
        let mut saved: Vec<_> = usual_tide_sources::files::read_file(&path, &key())
            .unwrap()
            .into_iter()
            .map(|item| (item.key().clone(), item))
            .collect();
        saved.sort_by_key(|(key, _)| key.to_string());
        saved
    };
    let end = Instant::now() + Duration::from_secs(60);
    while held() != served() {
        assert!(
            Instant::now() < end,
            "the store does not hold what the source holds"
        );
        link.refresh();
        std::thread::sleep(Duration::from_millis(200));
    }
    assert!(steps > 100, "{steps} steps");
    if seconds >= 60 {
        resources.assert_flat();
    }
    drop(link);
}
