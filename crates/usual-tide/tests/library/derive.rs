//! `#[derive(Item)]` on structs of many shapes.

mod shapes {
    use usual_tide::Item;

    /// Names that are keywords, types with parameters, fields of every visibility.
    #[derive(Clone, PartialEq, Debug, Item)]
    pub struct Crate<K, V>
    where
        K: Clone + Eq + std::hash::Hash + std::fmt::Debug + Send + Sync + 'static,
        V: Clone + PartialEq + Send + Sync + 'static,
    {
        pub r#type: V,
        #[item(key)]
        pub(crate) r#ref: K,
        hidden: [V; 2],
    }

    impl<K, V> Crate<K, V>
    where
        K: Clone + Eq + std::hash::Hash + std::fmt::Debug + Send + Sync + 'static,
        V: Clone + PartialEq + Send + Sync + 'static,
    {
        pub fn new(key: K, value: V) -> Self {
            let hidden = [value.clone(), value.clone()];
            Self {
                r#type: value,
                r#ref: key,
                hidden,
            }
        }

        pub fn hidden(&self) -> &[V; 2] {
            Self::HIDDEN.get(self).unwrap()
        }
    }
}

use shapes::Crate;
use usual_tide::{Item, Query, Sort, Store};

#[test]
fn keywords_parameters_and_private_fields_are_no_obstacle() {
    let one = Crate::new("a".to_owned(), 1_u32);
    assert_eq!(one.key(), "a");
    assert_eq!(Crate::<String, u32>::TYPE.name(), "type");
    assert_eq!(Crate::<String, u32>::REF.name(), "ref");
    assert_eq!(Crate::<String, u32>::TYPE.get(&one), Some(&1));
    assert_eq!(one.hidden(), &[1, 1]);
    let fields = one.changed_fields(&Crate::new("a".to_owned(), 2));
    let fields: Vec<String> = fields.iter().map(ToString::to_string).collect();
    assert_eq!(fields, ["type", "hidden"]);
    assert!(one.changed_fields(&one).is_empty());
}

#[test]
fn accessors_filter_and_sort() {
    let items = [3_i64, -1, 2].map(|value| Crate::new(value.unsigned_abs(), value));
    let mut store = Store::load(items).unwrap();
    let list = store.bind(Query::new().sort(Crate::<u64, i64>::TYPE.descending()));
    let values = |store: &Store<Crate<u64, i64>>| -> Vec<i64> {
        store
            .list(list)
            .unwrap()
            .items()
            .map(|item| item.r#type)
            .collect()
    };
    assert_eq!(values(&store), [3, 2, -1]);
    store
        .list_mut(list)
        .unwrap()
        .change_query(|query| query.filter(Crate::<u64, i64>::TYPE.is(2)));
    assert_eq!(values(&store), [2]);
    let by_size = Sort::by_value(|item: &Crate<u64, i64>| item.r#type.abs());
    store
        .list_mut(list)
        .unwrap()
        .change_query(|query| query.unfiltered().sort(by_size));
    assert_eq!(values(&store), [-1, 2, 3]);
}

#[test]
fn missing_values_and_numbers_that_are_none_come_last_in_either_direction() {
    let values = [
        Some(2.5),
        None,
        Some(f64::NAN),
        Some(-0.0),
        Some(f64::NEG_INFINITY),
        Some(0.0),
    ];
    let items = values
        .iter()
        .zip(0_u32..)
        .map(|(value, key)| Crate::new(key, *value));
    let mut store = Store::load(items).unwrap();
    let list = store.bind(Query::new());
    let mut keys = |sort: Sort<Crate<u32, Option<f64>>>| -> Vec<u32> {
        store
            .list_mut(list)
            .unwrap()
            .change_query(|query| query.sort(sort));
        store
            .list(list)
            .unwrap()
            .items()
            .map(|item| item.r#ref)
            .collect()
    };
    let by_value = || Crate::<u32, Option<f64>>::TYPE.ascending();
    assert_eq!(keys(by_value()), [4, 3, 5, 0, 2, 1]);
    assert_eq!(keys(by_value().descending()), [0, 3, 5, 4, 2, 1]);
    assert_eq!(keys(by_value().missing_first()), [1, 4, 3, 5, 0, 2]);
    assert_eq!(
        keys(by_value().descending().missing_first()),
        [1, 0, 3, 5, 4, 2]
    );
}

#[derive(Clone, PartialEq, usual_tide::Fields)]
struct Days {
    #[item(descending, missing_first)]
    fired: Option<u32>,
    due: u32,
}

#[derive(Clone, PartialEq, Item)]
struct Fired {
    #[item(key)]
    id: u32,
    #[item(nested)]
    days: Days,
}

/// Where a sort says no direction, the field's own counts, in a nested type and through a name too.
#[test]
fn a_field_has_a_natural_direction() {
    let fired = [Some(3), None, Some(9), Some(3)];
    let items = (0_u32..).zip(fired).map(|(id, fired)| Fired {
        id,
        days: Days { fired, due: id % 2 },
    });
    let mut store = Store::load(items).unwrap();
    let mut order = |text: &str| {
        let list = store.bind(Query::new().sort(Sort::parse(text).unwrap()));
        let ids: Vec<u32> = store.list(list).unwrap().items().map(|i| i.id).collect();
        ids
    };
    assert_eq!(order("days.fired"), [1, 2, 0, 3]);
    assert_eq!(order("+days.fired"), [1, 0, 3, 2]);
    assert_eq!(order("-days.fired, -days.due"), [1, 2, 3, 0]);
    assert_eq!(order("days.due, + days.fired"), [0, 2, 1, 3]);
    let typo = Sort::<Fired>::parse("days.due,+").unwrap_err();
    assert_eq!(
        (typo.column, typo.to_string().contains("missing")),
        (11, true)
    );
}
