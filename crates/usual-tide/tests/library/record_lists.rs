//! The same script on a store of structs and on one of records: the lists tell the same changes.

use crate::cases;
use proptest::prelude::*;
use serde_json::Value;
use usual_tide::fields::Fields;
use usual_tide::query::FilterText;
use usual_tide::record::{FieldName, Record, Schema, parse};
use usual_tide::{Feed, FieldValue, Group, Item, ListId, Place, Query, Search, Sort, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: i64,
    #[item(search)]
    title: String,
    height: Option<i32>,
    fired: bool,
}

fn piece(id: i64, seed: u8) -> Piece {
    let titles = [
        "Bowl",
        "Tall bowl",
        "kiln shelf a",
        "kiln shelf b",
        "Jug",
        "",
    ];
    Piece {
        id,
        title: titles[usize::from(seed) % titles.len()].to_owned(),
        height: (!seed.is_multiple_of(4)).then_some(i32::from(seed % 7) * 40 - 80),
        fired: seed.is_multiple_of(3),
    }
}

#[derive(Clone, Debug)]
enum Op {
    Add { id: i64, seed: u8, row: usize },
    Edit { at: usize, seed: u8 },
    EditMany { at: Vec<usize>, seed: u8 },
    Remove { at: usize },
    Move { at: usize, row: usize },
    Reload { seed: u8 },
    Undo,
    Redo,
    Query { with: usize },
}

fn op() -> impl Strategy<Value = Op> {
    let at = || 0..30usize;
    prop_oneof![
        4 => (0..40i64, any::<u8>(), at()).prop_map(|(id, seed, row)| Op::Add { id, seed, row }),
        4 => (at(), any::<u8>()).prop_map(|(at, seed)| Op::Edit { at, seed }),
        2 => (prop::collection::vec(at(), 0..9), any::<u8>())
            .prop_map(|(at, seed)| Op::EditMany { at, seed }),
        2 => at().prop_map(|at| Op::Remove { at }),
        3 => (at(), at()).prop_map(|(at, row)| Op::Move { at, row }),
        1 => any::<u8>().prop_map(|seed| Op::Reload { seed }),
        1 => Just(Op::Undo),
        1 => Just(Op::Redo),
        2 => (0..QUERIES.len()).prop_map(|with| Op::Query { with }),
    ]
}

/// Filter, sort, group and search, as text where there is some.
const QUERIES: [(&str, &str, &str, &str); 7] = [
    ("", "", "", ""),
    ("fired = FALSE", "title", "", ""),
    ("height > 40 OR height IS NULL", "-height, title", "", ""),
    ("title LIKE 'kiln%'", "", "fired", ""),
    ("", "-title", "height", "bo"),
    ("NOT (fired = TRUE)", "height", "title", ""),
    ("", "", "", "shelf"),
];

/// A store, a list of it and its feed.
struct Watched<T: Item + Fields> {
    store: Store<T>,
    list: ListId,
    feed: Feed<T>,
    named: fn(&str) -> Option<usual_tide::fields::AnyField<T>>,
}

impl<T: Item<Key: FieldValue> + Fields> Watched<T> {
    fn new(items: Vec<T>, named: fn(&str) -> Option<usual_tide::fields::AnyField<T>>) -> Self {
        let mut store = Store::load(items).unwrap();
        let list = store.bind(Query::new());
        let feed = store.feed(list).unwrap();
        Self {
            store,
            list,
            feed,
            named,
        }
    }

    fn key(&self, at: usize) -> Option<T::Key> {
        let item = self.store.at(at % self.store.len().max(1))?;
        Some(item.key().clone())
    }

    fn run(&mut self, op: &Op, make: &dyn Fn(Piece) -> T, edit: fn(&mut T, u8)) -> String {
        let store = &mut self.store;
        let done = match op {
            Op::Add { id, seed, row } => {
                let row = (*row).min(store.len());
                store.add(make(piece(*id, *seed)), Place::Row(row)).is_ok()
            }
            Op::Edit { at, seed } => match self.key(*at) {
                Some(key) => self.store.edit(&key, |item| edit(item, *seed)).is_ok(),
                None => false,
            },
            Op::EditMany { at, seed } => {
                let mut keys: Vec<_> = at.iter().filter_map(|at| self.key(*at)).collect();
                keys.dedup();
                self.store
                    .edit_many(&keys, |item| edit(item, *seed))
                    .is_ok()
            }
            Op::Remove { at } => match self.key(*at) {
                Some(key) => self.store.remove(&key).is_ok(),
                None => false,
            },
            Op::Move { at, row } => match self.key(*at) {
                Some(key) => {
                    let row = row % self.store.len();
                    self.store.move_to(&key, Place::Row(row)).is_ok()
                }
                None => false,
            },
            Op::Reload { seed } => {
                let items = (0..20).filter(|id| (id * 7 + i64::from(*seed)) % 4 > 0);
                let items = items.map(|id| make(piece(id, seed.wrapping_mul(id as u8))));
                store.reload(items).is_ok()
            }
            Op::Undo => store.history_mut().undo().is_ok(),
            Op::Redo => store.history_mut().redo().is_ok(),
            Op::Query { with } => {
                let (filter, sort, group, search) = QUERIES[*with];
                let named = self.named;
                let mut query = Query::new();
                if !filter.is_empty() {
                    let filter: FilterText = filter.parse().unwrap();
                    query = query.filter(filter.check_with(&Named(named)).unwrap());
                }
                if !sort.is_empty() {
                    query = query.sort(Sort::parse_with(sort, &Named(named)).unwrap());
                }
                if !group.is_empty() {
                    query = query.group(Group::parse_with(group, &Named(named)).unwrap());
                }
                if !search.is_empty() {
                    query = query.search(Search::in_fields(search, named("title")));
                }
                let mut list = store.list_mut(self.list).unwrap();
                list.change_query(|_| query);
                true
            }
        };
        self.store.check().unwrap();
        let told = self.feed.read(&self.store).unwrap();
        let told = told.map_or(Value::Null, |set| set.to_json());
        let list = self.store.list(self.list).unwrap();
        let rows: Vec<Value> = list.items().map(|item| item.to_json()).collect();
        let headings: Vec<String> = list
            .sections()
            .map(|section| section.heading().to_string())
            .collect();
        format!("{done} {told} {} {headings:?}", Value::from(rows))
    }
}

/// Fields by name.
struct Named<T>(fn(&str) -> Option<usual_tide::fields::AnyField<T>>);

impl<T> usual_tide::query::FieldLookup<T> for Named<T> {
    fn field(&self, name: &str) -> Option<usual_tide::fields::AnyField<T>> {
        (self.0)(name)
    }

    fn names(&self) -> Vec<String> {
        Vec::new()
    }
}

fn record_of(piece: Piece) -> Record {
    let json = piece.to_json();
    Record::new(
        json.as_object().unwrap().clone(),
        &FieldName::parse("id").unwrap(),
    )
    .unwrap()
}

/// The fields as a file with all kinds of values in each would show them.
fn record_field(name: &str) -> Option<usual_tide::fields::AnyField<Record>> {
    use usual_tide::query::FieldLookup;
    let text = r#"[{"id": 1, "title": "Bowl", "height": 1, "fired": true}]"#;
    let records = parse(text, &FieldName::parse("id").unwrap()).unwrap();
    Schema::infer(&records).field(name)
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(300)) })]

    #[test]
    fn a_store_of_records_tells_what_a_store_of_structs_tells(
        start in prop::collection::btree_map(0..40i64, any::<u8>(), 0..20),
        ops in prop::collection::vec(op(), 1..30),
    ) {
        let start: Vec<Piece> = start.into_iter().map(|(id, seed)| piece(id, seed)).collect();
        let mut structs = Watched::new(start.clone(), Piece::field_named);
        let records = start.into_iter().map(record_of).collect();
        let mut records: Watched<Record> = Watched::new(records, record_field);
        for op in &ops {
            let edit_struct = |item: &mut Piece, seed: u8| *item = piece(item.id, seed);
            let edit_record = |item: &mut Record, seed: u8| {
                let with = piece(0, seed);
                let json = with.to_json();
                for name in ["title", "height", "fired"] {
                    item.set(name, json[name].clone()).unwrap();
                }
            };
            let told = structs.run(op, &|piece| piece, edit_struct);
            let also = records.run(op, &record_of, edit_record);
            prop_assert_eq!(told, also, "after {:?}", op);
        }
    }
}

#[test]
fn a_store_of_records_may_go_to_another_thread() {
    let records = vec![record_of(piece(1, 1)), record_of(piece(2, 2))];
    let mut watched: Watched<Record> = Watched::new(records, record_field);
    let told =
        std::thread::spawn(move || watched.run(&Op::Remove { at: 0 }, &record_of, |_, _| ()));
    assert!(told.join().unwrap().starts_with("true"));
}
