//! What is measured, each beside the least that any program would have to do, and edits also beside what an app does
//! that sorts and compares all rows.

use crate::error::CommandError;
use fastrand::Rng;
use memchr::memmem;
use std::collections::{BTreeMap, HashMap};
use std::hint::black_box;
use std::sync::Arc;
use std::time::{Duration, Instant};
use usual_tide::query::FieldLookup;
use usual_tide::record::{FieldName, Record, RecordKey, Schema};
use usual_tide::text::Folding;
use usual_tide::{Feed, Item, ListId, Query, Search, Sort, Store};

/// Edits of one round.
const EDITS: usize = 1000;

/// Edits after each of which all rows are sorted and compared.
const EDITS_COMPARED: usize = 10;

/// As a search folds text.
const FOLDING: Folding = Folding::CaseAndAccents;

/// What the work and its floor took.
type Times = (Duration, Duration);

/// Work with its floor; both give the time that they took.
pub(super) struct Work {
    pub(super) name: &'static str,
    pub(super) floor: &'static str,
    pub(super) run: fn(&mut Subject<'_>, u64) -> Result<Times, CommandError>,
}

/// In the order in which an app comes to them.
pub(super) static ALL: [Work; 8] = [
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
        name: "10 edits, each read",
        floor: "sorting and comparing all rows, 10 times",
        run: against_comparing_all,
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

/// Items, and a store with a list of them by one field that the rounds work on.
pub(super) struct Subject<'a> {
    items: &'a [Record],
    field: &'a FieldName,
    schema: Schema,
    store: Store<Record>,
    list: ListId,
    feed: Feed<Record>,
    /// The field's texts as a search sees them, one a line.
    folded: String,
}

impl<'a> Subject<'a> {
    pub(super) fn new(
        file: &str,
        items: &'a [Record],
        field: &'a FieldName,
    ) -> Result<Self, CommandError> {
        let schema = Schema::infer(items);
        let mut store =
            Store::load(items.iter().cloned()).map_err(CommandError::not_a_list(file))?;
        let by_field = schema.field(&field.to_string()).map(Sort::by_field);
        let query = by_field.map_or_else(Query::new, |sort| Query::new().sort(sort));
        let list = store.bind(query);
        let feed = store.feed(list)?;
        let texts = items.iter().map(|item| FOLDING.fold(text(item, field)));
        Ok(Self {
            items,
            field,
            schema,
            store,
            list,
            feed,
            folded: texts.collect::<Vec<_>>().join("\n"),
        })
    }

    fn search(&self, text: &str) -> Search<Record> {
        Search::in_fields(text, self.schema.field(&self.field.to_string()))
    }

    fn some_item(&self, random: &mut Rng) -> &'a Record {
        &self.items[random.usize(..self.items.len())]
    }

    /// The first letters of some word in the texts.
    fn letters(&self, count: usize, seed: u64) -> String {
        let text = text(self.some_item(&mut Rng::with_seed(seed)), self.field);
        let word = text.split_whitespace().max_by_key(|word| word.len());
        word.unwrap_or("a").chars().take(count).collect()
    }

    /// Which items get another text in one round, and which: that of another item.
    fn changes(&self, seed: u64) -> Vec<(RecordKey, String)> {
        let mut random = Rng::with_seed(seed);
        let changes = (0..EDITS).map(|_| {
            let key = self.some_item(&mut random).key().clone();
            let other = text(self.some_item(&mut random), self.field);
            (key, format!("{other} {seed}"))
        });
        changes.collect()
    }

    fn edit(&mut self, key: &RecordKey, text: &str) -> Result<(), CommandError> {
        edit(&mut self.store, self.field, key, text)
    }

    fn read(&self) -> Result<(), CommandError> {
        black_box(self.feed.read(&self.store)?);
        Ok(())
    }
}

fn text<'a>(item: &'a Record, field: &FieldName) -> &'a str {
    item.field(field)
        .and_then(|value| value.as_text())
        .unwrap_or_default()
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

fn timed<R>(work: impl FnOnce() -> R) -> (R, Duration) {
    let begun = Instant::now();
    let done = black_box(work());
    (done, begun.elapsed())
}

fn load(subject: &mut Subject<'_>, _: u64) -> Result<Times, CommandError> {
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

fn bind(subject: &mut Subject<'_>, _: u64) -> Result<Times, CommandError> {
    let query = subject.store.list(subject.list)?.query().clone();
    let (list, work) = timed(|| subject.store.bind(query));
    subject.store.unbind(list)?;
    let items = subject.store.items();
    let texts: Vec<&str> = items.map(|item| text(item, subject.field)).collect();
    let mut order: Vec<usize> = (0..texts.len()).collect();
    let (_, floor) = timed(|| order.sort_by(|one, two| texts[*one].cmp(texts[*two])));
    Ok((work, floor))
}

fn first_letter(subject: &mut Subject<'_>, seed: u64) -> Result<Times, CommandError> {
    let letter = subject.letters(1, seed);
    keystroke(subject, "", &letter)
}

fn third_letter(subject: &mut Subject<'_>, seed: u64) -> Result<Times, CommandError> {
    let letters = subject.letters(3, seed);
    let before: String = letters.chars().take(2).collect();
    keystroke(subject, &before, &letters)
}

/// One letter more, until the view has its change set.
fn keystroke(subject: &mut Subject<'_>, before: &str, after: &str) -> Result<Times, CommandError> {
    let (list, search) = (subject.list, subject.search(after));
    subject.store.prepare_search(&search);
    let earlier = subject.search(before);
    subject
        .store
        .list_mut(list)?
        .change_query(|query| query.search(earlier));
    subject.read()?;
    let (read, work) = timed(|| {
        subject
            .store
            .list_mut(list)?
            .change_query(|query| query.search(search));
        subject.read()
    });
    read?;
    subject
        .store
        .list_mut(list)?
        .change_query(Query::unsearched);
    subject.read()?;
    let letters = FOLDING.fold(after);
    let (text, letters) = (subject.folded.as_bytes(), letters.as_bytes());
    let (_, floor) = timed(|| memmem::find_iter(text, letters).count());
    Ok((work, floor))
}

fn edits(subject: &mut Subject<'_>, seed: u64) -> Result<Times, CommandError> {
    let changes = subject.changes(seed);
    let (done, work) = timed(|| {
        changes.iter().try_for_each(|(key, text)| {
            subject.edit(key, text)?;
            subject.read()
        })
    });
    done?;
    Ok((work, ordered_map(subject, seed)))
}

/// What an app pays that sorts its rows anew after each edit and looks for what is different.
fn against_comparing_all(subject: &mut Subject<'_>, seed: u64) -> Result<Times, CommandError> {
    let mut changes = subject.changes(seed.wrapping_add(1 << 33));
    changes.truncate(EDITS_COMPARED);
    let mut shown: Vec<Arc<Record>> = subject.store.items().cloned().collect();
    let field = subject.field;
    shown.sort_by_cached_key(|item| text(item, field).to_owned());
    let mut floor = Duration::ZERO;
    let mut work = Duration::ZERO;
    for (key, with) in &changes {
        let (done, edited) = timed(|| {
            subject.edit(key, with)?;
            subject.read()
        });
        done?;
        work += edited;
        let items: Vec<Arc<Record>> = subject.store.items().cloned().collect();
        let (rows, compared) = timed(|| {
            let texts = items.iter().map(|item| (text(item, field), item));
            let mut rows: Vec<(&str, &Arc<Record>)> = texts.collect();
            rows.sort_by(|one, two| one.0.cmp(two.0));
            let before = shown.iter().enumerate().map(|(at, item)| (item.key(), at));
            let before: HashMap<_, _> = before.collect();
            let differs = |(at, (_, item)): &(usize, &(&str, &Arc<Record>))| {
                let was = before.get(item.key());
                was != Some(at) || *shown[*at] != ***item
            };
            black_box(rows.iter().enumerate().filter(differs).count());
            rows
        });
        floor += compared;
        shown = rows.into_iter().map(|(_, item)| Arc::clone(item)).collect();
    }
    Ok((work, floor))
}

fn batch(subject: &mut Subject<'_>, seed: u64) -> Result<Times, CommandError> {
    let changes = subject.changes(seed.wrapping_add(1 << 32));
    let (done, work) = timed(|| {
        let field = subject.field;
        subject.store.batch(|store| {
            let mut changes = changes.iter();
            changes.try_for_each(|(key, text)| edit(store, field, key, text))
        })?;
        subject.read()
    });
    done?;
    Ok((work, ordered_map(subject, seed)))
}

fn ordered_map(subject: &Subject<'_>, seed: u64) -> Duration {
    let mut random = Rng::with_seed(seed);
    let mut keys: Vec<u64> = subject.items.iter().map(|_| random.u64(..)).collect();
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

fn reload(subject: &mut Subject<'_>, seed: u64) -> Result<Times, CommandError> {
    let mut random = Rng::with_seed(seed);
    let now: Vec<Arc<Record>> = subject.store.items().cloned().collect();
    let mut later: Vec<Record> = now.iter().map(|item| Record::clone(item)).collect();
    for item in later.iter_mut().filter(|_| random.u8(..100) == 0) {
        let text = format!("{} {seed}", text(item, subject.field));
        item.set_field(subject.field, text.into())?;
    }
    let (_, floor) = timed(|| {
        let pairs = now.iter().zip(&later);
        pairs.filter(|(one, two)| ***one == **two).count()
    });
    drop(now);
    let (done, work) = timed(|| {
        subject.store.reload(later)?;
        subject.read()
    });
    done?;
    Ok((work, floor))
}
