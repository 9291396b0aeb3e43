//! Sorts of one to four levels over every type of value, in both directions, with missing values at either end and
//! few different values: a bound list, one that is edited and a plain sort by comparison agree.

use super::cases;
use proptest::prelude::*;
use std::cmp::Ordering;
use std::str::FromStr;
use std::sync::Arc;
use usual_tide::fields::{AnyField, Value};
use usual_tide::query::SortValue;
use usual_tide::text::Collation;
use usual_tide::{Item, Place, Query, Sort, Store};

/// Which value an item has at each level.
#[derive(Clone, PartialEq, Debug, Item)]
struct Row {
    #[item(key)]
    key: u16,
    #[item(skip)]
    seeds: [u8; 4],
}

/// The value of a seed, and where it stands among those of its type.
struct Known<V> {
    value: V,
    place: Spot,
}

/// Where a value stands, whatever the direction of missing ones and those that are no number.
#[derive(Clone, Copy, PartialEq, Debug)]
enum Spot {
    At(i32),
    NotANumber,
    Missing,
}

fn ascending<V: Clone>(values: &[V]) -> Vec<Known<V>> {
    let known = values.iter().zip(0..).map(|(value, place)| Known {
        value: value.clone(),
        place: Spot::At(place),
    });
    known.collect()
}

fn optional<V>(known: Vec<Known<V>>) -> Vec<Known<Option<V>>> {
    let some = known.into_iter().map(|known| Known {
        value: Some(known.value),
        place: known.place,
    });
    let missing = Known {
        value: None,
        place: Spot::Missing,
    };
    [missing].into_iter().chain(some).collect()
}

fn texts() -> Vec<String> {
    let long = "kiln shelf ".repeat(9);
    let texts = [
        String::new(),
        "\0".into(),
        "a".into(),
        "a\0".into(),
        "a\0\0\0\0\0\0\0\0\0b".into(),
        "kiln sh".into(),
        "kiln shelf a".into(),
        "kiln shelf b".into(),
        format!("{long}a"),
        format!("{long}b"),
        "éééé".into(),
        "ééééé".into(),
        "窯窯窯a".into(),
        "窯窯窯窯".into(),
        "\u{10ffff}".into(),
    ];
    texts.into()
}

fn floats() -> Vec<Known<f64>> {
    let places = [-3, -2, -1, 0, 0, 1, 2, 3];
    let values = [
        f64::NEG_INFINITY,
        -1.5,
        -1e-300,
        -0.0,
        0.0,
        1.5,
        1e300,
        f64::INFINITY,
    ];
    let numbers = values.into_iter().zip(places).map(|(value, place)| Known {
        value,
        place: Spot::At(place),
    });
    let none = Known {
        value: f64::NAN,
        place: Spot::NotANumber,
    };
    numbers.chain([none]).collect()
}

/// Values of several kinds, equal ones written in several ways among them.
fn mixed() -> Vec<Known<Value<'static>>> {
    let decimal = |text: &str| Value::Decimal(rust_decimal::Decimal::from_str(text).unwrap());
    let values = [
        (Value::Bool(false), Spot::At(0)),
        (Value::Bool(true), Spot::At(1)),
        (Value::Integer(-(1 << 100)), Spot::At(2)),
        (decimal("-0.1"), Spot::At(3)),
        (Value::Integer(10), Spot::At(4)),
        (decimal("10.000"), Spot::At(4)),
        (Value::Float(10.0), Spot::At(4)),
        (decimal("10.1"), Spot::At(5)),
        (Value::Integer((1 << 53) + 1), Spot::At(6)),
        (Value::Integer((1 << 53) + 2), Spot::At(7)),
        (Value::Float(f64::NAN), Spot::NotANumber),
        (Value::from("a"), Spot::At(8)),
        (Value::from("kiln shelf a"), Spot::At(9)),
        (Value::from("kiln shelf b"), Spot::At(10)),
        (Value::Date(jiff::civil::date(-44, 3, 15)), Spot::At(11)),
        (Value::Date(jiff::civil::date(2026, 3, 5)), Spot::At(12)),
        (
            Value::Timestamp("1969-12-31T23:59:58.5Z".parse().unwrap()),
            Spot::At(13),
        ),
        (
            Value::Timestamp("1969-12-31T23:59:59Z".parse().unwrap()),
            Spot::At(14),
        ),
        (
            Value::Timestamp("2026-03-05T14:30:00.000000001Z".parse().unwrap()),
            Spot::At(15),
        ),
        (Value::List(vec![Value::Integer(1)]), Spot::At(16)),
        (Value::Missing, Spot::Missing),
    ];
    let known = values
        .into_iter()
        .map(|(value, place)| Known { value, place });
    known.collect()
}

/// One level of a sort: how the list is to sort, and where a seed's value stands.
struct Level {
    sort: Sort<Row>,
    places: Vec<Spot>,
    descending: bool,
    missing_first: bool,
}

fn by_value<V>(at: usize, known: Vec<Known<V>>) -> (Sort<Row>, Vec<Spot>)
where
    V: SortValue + Clone + Send + Sync + 'static,
{
    let places = known.iter().map(|known| known.place).collect();
    let values: Vec<V> = known.into_iter().map(|known| known.value).collect();
    let get = move |row: &Row| values[usize::from(row.seeds[at]) % values.len()].clone();
    (Sort::by_value(get), places)
}

/// The same through a field that is shown by a closure, and so has no prefix of its own type.
fn by_field(at: usize) -> (Sort<Row>, Vec<Spot>) {
    let texts = texts();
    let places = (0..texts.len() as i32).map(Spot::At).collect();
    let show = move |row: &Row| texts[usize::from(row.seeds[at]) % texts.len()].clone();
    (Sort::by_field(AnyField::shown_only("text", show)), places)
}

fn by_collation(at: usize) -> (Sort<Row>, Vec<Spot>) {
    let nines = "9".repeat(300);
    let large = format!("1{}", "0".repeat(400));
    let texts = ["Shelf 2", "shelf 2", "shelf 10", &nines, &large].map(str::to_owned);
    // Digits come before letters, numbers by their values.
    let places = [2, 3, 4, 0, 1].map(Spot::At);
    let show = move |row: &Row| texts[usize::from(row.seeds[at]) % texts.len()].clone();
    let collation = Collation::plain()
        .numeric()
        .case_first(usual_tide::text::CaseFirst::Upper);
    let field = AnyField::shown_only("shelf", show);
    (Sort::by_text(field, &collation), places.into())
}

const TYPES: u8 = 24;

fn level(at: usize, (kind, descending, missing_first): (u8, bool, bool)) -> Level {
    let decimals = || {
        let texts = [
            "-79228162514264337593543950335",
            "-0.0001",
            "0",
            "0.1",
            "10.1",
        ];
        ascending(&texts.map(|text| rust_decimal::Decimal::from_str(text).unwrap()))
    };
    let dates = || {
        ascending(
            &[(-44, 3, 15), (2026, 3, 4), (2026, 3, 5)].map(|(y, m, d)| jiff::civil::date(y, m, d)),
        )
    };
    let moments = || {
        let texts = [
            "-000044-01-01T00:00:00Z",
            "1969-12-31T23:59:58.5Z",
            "1970-01-01T00:00:00Z",
            "1970-01-01T00:00:00.000000001Z",
        ];
        ascending(&texts.map(|text| text.parse::<jiff::Timestamp>().unwrap()))
    };
    let singles = || {
        let numbers = ascending(&[f32::NEG_INFINITY, -1.5, 0.0, f32::MIN_POSITIVE, 1e30]);
        let none = Known {
            value: f32::NAN,
            place: Spot::NotANumber,
        };
        numbers.into_iter().chain([none]).collect::<Vec<_>>()
    };
    let (sort, places) = match kind % TYPES {
        0 => by_value(at, ascending(&[0_u8, 1, u8::MAX])),
        1 => by_value(at, ascending(&[0_u16, 1, u16::MAX])),
        2 => by_value(at, ascending(&[0_u32, 1, u32::MAX])),
        3 => by_value(at, ascending(&[0_u64, 1, u64::MAX])),
        4 => by_value(at, ascending(&[0_usize, 1, usize::MAX])),
        5 => by_value(at, ascending(&[i8::MIN, 0, i8::MAX])),
        6 => by_value(at, ascending(&[i16::MIN, 0, i16::MAX])),
        7 => by_value(at, ascending(&[i32::MIN, 0, i32::MAX])),
        8 => by_value(at, ascending(&[i64::MIN, 0, i64::MAX])),
        9 => by_value(at, ascending(&[isize::MIN, 0, isize::MAX])),
        10 => by_value(at, ascending(&[false, true])),
        11 => by_value(at, ascending(&['a', 'z', '\u{10ffff}'])),
        12 => by_value(at, floats()),
        13 => by_value(at, singles()),
        14 => by_value(at, ascending(&texts())),
        15 => by_value(at, optional(ascending(&texts()))),
        16 => by_value(at, optional(ascending(&[0_u64, 1, u64::MAX]))),
        17 => by_value(at, optional(floats())),
        18 => by_value(at, decimals()),
        19 => by_value(at, optional(dates())),
        20 => by_value(at, moments()),
        21 => by_value(at, mixed()),
        22 => by_collation(at),
        _ => by_field(at),
    };
    let sort = if descending {
        sort.descending()
    } else {
        sort.ascending()
    };
    let sort = if missing_first {
        sort.missing_first()
    } else {
        sort.missing_last()
    };
    Level {
        sort,
        places,
        descending,
        missing_first,
    }
}

impl Level {
    fn compare(&self, one: u8, two: u8) -> Ordering {
        let spot = |seed: u8| self.places[usize::from(seed) % self.places.len()];
        let rank = |spot: Spot| match spot {
            Spot::Missing if self.missing_first => 0,
            Spot::At(_) => 1,
            Spot::NotANumber => 2,
            Spot::Missing => 3,
        };
        let (one, two) = (spot(one), spot(two));
        let values = match (one, two) {
            (Spot::At(one), Spot::At(two)) if self.descending => two.cmp(&one),
            (Spot::At(one), Spot::At(two)) => one.cmp(&two),
            _ => Ordering::Equal,
        };
        rank(one).cmp(&rank(two)).then(values)
    }
}

fn expected(store: &Store<Row>, levels: &[Level]) -> Vec<u16> {
    let mut rows: Vec<&Arc<Row>> = store.items().collect();
    rows.sort_by(|one, two| {
        let by_level = levels.iter().zip(one.seeds).zip(two.seeds);
        by_level.fold(Ordering::Equal, |order, ((level, one), two)| {
            order.then_with(|| level.compare(one, two))
        })
    });
    rows.iter().map(|row| row.key).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(150)) })]

    #[test]
    fn every_way_to_sort_is_the_plain_one(
        types in prop::collection::vec((0..TYPES, any::<bool>(), any::<bool>()), 1..5),
        // Few or many values at each level, so that many or few rows tie.
        spread in prop::array::uniform4(prop_oneof![2 => 1..3u8, 1 => 1..22u8]),
        seeds in prop::collection::vec(any::<[u8; 4]>(), 0..90),
        edits in prop::collection::vec((any::<u16>(), any::<[u8; 4]>()), 1..40),
        at_once in 0..3u8,
    ) {
        let few = |seeds: [u8; 4]| std::array::from_fn(|at| seeds[at] % spread[at]);
        let levels: Vec<Level> = types.iter().enumerate().map(|(at, kind)| level(at, *kind)).collect();
        let sorts = levels.iter().map(|level| level.sort.clone());
        let sort = sorts.reduce(Sort::then).unwrap();
        let rows = seeds.iter().zip(0..).map(|(seeds, key)| Row { key, seeds: few(*seeds) });
        let mut store = Store::load(rows).unwrap();
        let list = store.bind(Query::new().sort(sort.clone()));
        let keys = |store: &Store<Row>, list| -> Vec<u16> {
            store.list(list).unwrap().items().map(|row| row.key).collect()
        };
        prop_assert_eq!(keys(&store, list), expected(&store, &levels));

        let edit = |store: &mut Store<Row>, (key, seeds): &(u16, [u8; 4])| {
            let key = key % 100;
            if store.edit(&key, |row| row.seeds = few(*seeds)).is_err() {
                store.add(Row { key, seeds: few(*seeds) }, Place::Start).unwrap();
            }
            Ok::<(), ()>(())
        };
        match at_once {
            0 => for one in &edits {
                edit(&mut store, one).unwrap();
            },
            1 => store.batch(|store| edits.iter().try_for_each(|one| edit(store, one))).unwrap(),
            _ => {
                // Hidden and shown again: the rows come back all over the list.
                store.list_mut(list).unwrap().change_query(|query| query.filter(|row: &Row| row.key.is_multiple_of(3)));
                for one in &edits {
                    edit(&mut store, one).unwrap();
                }
                store.list_mut(list).unwrap().change_query(|query| query.unfiltered());
            }
        }
        prop_assert_eq!(store.check(), Ok(()));
        prop_assert_eq!(keys(&store, list), expected(&store, &levels));
        let anew = store.bind(Query::new().sort(sort));
        prop_assert_eq!(keys(&store, anew), expected(&store, &levels));
    }
}

#[test]
fn sixteen_ties_over_a_key_that_fills_the_prefix_keep_missing_values_last() {
    for ties in [15, 16, 17, 200] {
        for (descending, first) in [(false, false), (false, true), (true, false), (true, true)] {
            let glaze = |row: &Row| (row.key != 3).then(|| "celadon".to_owned());
            let sort = Sort::by_value(|_: &Row| 7_u64).then(Sort::by_value(glaze));
            let sort = if descending { sort.descending() } else { sort };
            let sort = if first { sort.missing_first() } else { sort };
            let mut store = Store::load((0..ties).map(|key| Row { key, seeds: [0; 4] })).unwrap();
            let list = store.bind(Query::new().sort(sort));
            let at = store.list(list).unwrap().position(&3);
            assert_eq!(at, Some(if first { 0 } else { usize::from(ties) - 1 }));
            store.check().unwrap();
        }
    }
}
