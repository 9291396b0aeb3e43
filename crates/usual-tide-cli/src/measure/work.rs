//! What is measured, each beside the least that any program would have to do.

use crate::error::CommandError;
use fastrand::Rng;
use memchr::memmem;
use serde_json::Value;
use std::collections::{BTreeMap, HashMap};
use std::hint::black_box;
use std::time::{Duration, Instant};
use usual_tide::record::{FieldName, Record, RecordKey, Schema};
use usual_tide::{FieldLookup, Folding, Item, ListId, Query, Search, Sort, Store};

/// Edits of one round.
const EDITS: usize = 1000;

/// What the work and its floor took.
type Times = (Duration, Duration);

/// Work with its floor; both give the time that they took.
pub(super) struct Work {
    pub(super) name: &'static str,
    pub(super) floor: &'static str,
    pub(super) run: fn(&Subject<'_>, u64) -> Result<Times, CommandError>,
}

/// In the order in which an app comes to them.
pub(super) static ALL: [Work; 7] = [
    Work {
        name: "load",
        floor: "one hash pass over the keys",
        run: load,
    },
    Work {
        name: "first bind, sorted",
        floor: "sorting the bare texts",
        run: bind,
    },
    Work {
        name: "first letter of a search",
        floor: "one scan of the text",
        run: first_letter,
    },
    Work {
        name: "third letter",
        floor: "one scan of the text",
        run: third_letter,
    },
    Work {
        name: "1000 edits, each read",
        floor: "1000 times remove and insert in an ordered map",
        run: edits,
    },
    Work {
        name: "batch of 1000 edits",
        floor: "1000 times remove and insert in an ordered map",
        run: batch,
    },
    Work {
        name: "reload, 1 in 100 changed",
        floor: "comparing all items pair by pair",
        run: reload,
    },
];

/// Items and the field that they are sorted by.
pub(super) struct Subject<'a> {
    items: &'a [Record],
    field: &'a FieldName,
    schema: Schema,
}

impl<'a> Subject<'a> {
    pub(super) fn new(items: &'a [Record], field: &'a FieldName) -> Result<Self, CommandError> {
        Ok(Self {
            items,
            field,
            schema: Schema::infer(items),
        })
    }

    fn text<'b>(&self, item: &'b Record) -> &'b str {
        item.field(self.field)
            .and_then(Value::as_str)
            .unwrap_or_default()
    }

    fn texts(&self) -> Vec<&'a str> {
        self.items.iter().map(|item| self.text(item)).collect()
    }

    fn store(&self) -> Result<Store<Record>, CommandError> {
        Ok(Store::load(self.items.iter().cloned())?)
    }

    /// The list by the field.
    fn sorted(&self) -> Result<Query<Record>, CommandError> {
        let sort = Sort::parse_with(&self.field.to_string(), &self.schema)?;
        Ok(Query::new().sort(sort))
    }

    fn search(&self, text: &str) -> Search<Record> {
        Search::in_fields(text, self.schema.field(&self.field.to_string()))
    }

    /// A store with the list by the field.
    fn bound(&self) -> Result<(Store<Record>, ListId), CommandError> {
        let mut store = self.store()?;
        let list = store.bind(self.sorted()?);
        Ok((store, list))
    }

    /// The first letters of some word in the texts.
    fn letters(&self, count: usize, seed: u64) -> String {
        let mut random = Rng::with_seed(seed);
        let text = self.text(&self.items[random.usize(..self.items.len())]);
        let word = text.split_whitespace().max_by_key(|word| word.len());
        word.unwrap_or("a").chars().take(count).collect()
    }

    /// Which items get another text in one round, and which: that of another item.
    fn changes(&self, seed: u64) -> Vec<(RecordKey, String)> {
        let mut random = Rng::with_seed(seed);
        let mut some = || &self.items[random.usize(..self.items.len())];
        let changes = (0..EDITS).map(|_| {
            let (item, other) = (some(), some());
            (item.key().clone(), format!("{} again", self.text(other)))
        });
        changes.collect()
    }
}

fn timed<R>(work: impl FnOnce() -> R) -> (R, Duration) {
    let begun = Instant::now();
    let done = black_box(work());
    (done, begun.elapsed())
}

fn load(subject: &Subject<'_>, _: u64) -> Result<Times, CommandError> {
    let items = subject.items.to_vec();
    let (loaded, work) = timed(|| Store::load(items));
    loaded?;
    let (_, floor) = timed(|| {
        let keys = subject.items.iter().zip(0_usize..);
        keys.map(|(item, at)| (item.key(), at))
            .collect::<HashMap<_, _>>()
    });
    Ok((work, floor))
}

fn bind(subject: &Subject<'_>, _: u64) -> Result<Times, CommandError> {
    let mut store = subject.store()?;
    let query = subject.sorted()?;
    let (_, work) = timed(|| store.bind(query));
    let texts = subject.texts();
    let mut order: Vec<usize> = (0..texts.len()).collect();
    let (_, floor) = timed(|| order.sort_by(|one, two| texts[*one].cmp(texts[*two])));
    Ok((work, floor))
}

fn first_letter(subject: &Subject<'_>, seed: u64) -> Result<Times, CommandError> {
    keystroke(subject, "", &subject.letters(1, seed))
}

fn third_letter(subject: &Subject<'_>, seed: u64) -> Result<Times, CommandError> {
    keystroke(
        subject,
        &subject.letters(2, seed),
        &subject.letters(3, seed),
    )
}

/// One letter more, until the view has its change set.
fn keystroke(subject: &Subject<'_>, before: &str, after: &str) -> Result<Times, CommandError> {
    let (mut store, list) = subject.bound()?;
    store.prepare_search(&subject.search(after));
    store.change_query(list, |query| query.search(subject.search(before)))?;
    let feed = store.feed(list)?;
    let search = subject.search(after);
    let (read, work) = timed(|| {
        store.change_query(list, |query| query.search(search))?;
        Ok::<_, CommandError>(feed.read(&store)?)
    });
    black_box(read?);
    let folding = Folding::CaseAndAccents;
    let texts = subject.texts();
    let folded: Vec<String> = texts.iter().map(|text| folding.fold(text)).collect();
    let whole = folded.join("\n");
    let letters = folding.fold(after);
    let (_, floor) = timed(|| memmem::find_iter(whole.as_bytes(), letters.as_bytes()).count());
    Ok((work, floor))
}

fn edits(subject: &Subject<'_>, seed: u64) -> Result<Times, CommandError> {
    let (mut store, list) = subject.bound()?;
    let feed = store.feed(list)?;
    let changes = subject.changes(seed);
    let (done, work) = timed(|| {
        for (key, text) in &changes {
            edit(&mut store, subject.field, key, text)?;
            black_box(feed.read(&store)?);
        }
        Ok::<_, CommandError>(())
    });
    done?;
    Ok((work, ordered_map(subject, seed)))
}

fn batch(subject: &Subject<'_>, seed: u64) -> Result<Times, CommandError> {
    let (mut store, list) = subject.bound()?;
    let feed = store.feed(list)?;
    let changes = subject.changes(seed);
    let (done, work) = timed(|| {
        store.batch(|store| {
            let mut changes = changes.iter();
            changes.try_for_each(|(key, text)| edit(store, subject.field, key, text))
        })?;
        black_box(feed.read(&store)?);
        Ok::<_, CommandError>(())
    });
    done?;
    Ok((work, ordered_map(subject, seed)))
}

fn edit(
    store: &mut Store<Record>,
    field: &FieldName,
    key: &RecordKey,
    text: &str,
) -> Result<(), CommandError> {
    let mut set = Ok(());
    store.edit(key, |item| set = item.set_field(field, text.into()))?;
    Ok(set?)
}

fn ordered_map(subject: &Subject<'_>, seed: u64) -> Duration {
    let rows = subject.items.len() as u64;
    let mut random = Rng::with_seed(seed);
    let mut keys: Vec<u64> = (0..rows).map(|_| random.u64(..)).collect();
    let mut map: BTreeMap<(u64, u32), ()> = keys
        .iter()
        .zip(0..)
        .map(|(key, at)| ((*key, at), ()))
        .collect();
    let (_, floor) = timed(|| {
        for _ in 0..EDITS {
            let at = random.usize(..keys.len());
            map.remove(&(keys[at], at as u32));
            keys[at] = random.u64(..);
            map.insert((keys[at], at as u32), ());
        }
    });
    floor
}

fn reload(subject: &Subject<'_>, seed: u64) -> Result<Times, CommandError> {
    let (mut store, list) = subject.bound()?;
    let feed = store.feed(list)?;
    let mut random = Rng::with_seed(seed);
    let mut later = subject.items.to_vec();
    for item in later.iter_mut().filter(|_| random.u8(..100) == 0) {
        let text = format!("{} again", subject.text(item));
        item.set_field(subject.field, text.into())?;
    }
    let (_, floor) = timed(|| {
        let pairs = subject.items.iter().zip(&later);
        pairs.filter(|(one, two)| one == two).count()
    });
    let (done, work) = timed(|| {
        store.reload(later)?;
        Ok::<_, CommandError>(feed.read(&store)?)
    });
    black_box(done?);
    Ok((work, floor))
}
