//! Fields whose types are the standard library's or another crate's, and fields without a name.

use proptest::prelude::*;
use std::borrow::Cow;
use std::net::IpAddr;
use std::num::{NonZeroI8, NonZeroU32};
use std::sync::Arc;
use std::time::{Duration, SystemTime};
use usual_tide::fields::{AnyField, FieldPath, InputError, Kind, Value, merge};
use usual_tide::query::{FilterText, SortValue};
use usual_tide::{FieldValue, Fields, Item, Query, Sort, Store};

#[derive(Clone, PartialEq, Debug, FieldValue)]
struct Minutes(u64);

impl From<Duration> for Minutes {
    fn from(time: Duration) -> Self {
        Self(time.as_secs() / 60)
    }
}

impl From<Minutes> for Duration {
    fn from(minutes: Minutes) -> Self {
        Self::from_secs(minutes.0 * 60)
    }
}

/// What no form can show.
#[derive(Clone, PartialEq, Debug)]
struct Drawing(Vec<u8>);

#[derive(Clone, PartialEq, Debug, Fields)]
struct Shape {
    #[item(skip)]
    outline: Drawing,
    width: u32,
    #[item(text, search)]
    maker: Option<u128>,
}

#[derive(Clone, PartialEq, Debug, Item)]
struct Kiln {
    #[item(key)]
    id: NonZeroU32,
    name: Arc<str>,
    note: Cow<'static, str>,
    seen: SystemTime,
    step: NonZeroI8,
    #[item(text, rename = "at", search)]
    address: IpAddr,
    #[item(text, missing_first, format = in_brackets)]
    spare: Option<IpAddr>,
    #[item(through = Minutes, descending)]
    soak: Duration,
    #[item(through = Minutes)]
    cool: Option<Duration>,
    #[item(nested)]
    shape: Option<Shape>,
    #[item(skip)]
    drawing: Drawing,
    #[item(skip)]
    plan: Drawing,
}

fn in_brackets(address: &Option<IpAddr>) -> String {
    address.map_or("none".to_owned(), |address| format!("[{address}]"))
}

fn kiln(id: u32) -> Kiln {
    Kiln {
        id: NonZeroU32::new(id).unwrap(),
        name: "Large".into(),
        note: Cow::Borrowed("by the door"),
        seen: SystemTime::UNIX_EPOCH + Duration::from_nanos(1),
        step: NonZeroI8::MIN,
        address: IpAddr::from([10, 0, 0, 7]),
        spare: None,
        soak: Duration::from_secs(600),
        cool: None,
        shape: Some(Shape {
            outline: Drawing(vec![]),
            width: 40,
            maker: None,
        }),
        drawing: Drawing(vec![]),
        plan: Drawing(vec![]),
    }
}

fn field(name: &str) -> AnyField<Kiln> {
    Kiln::field_named(name).unwrap()
}

#[test]
fn they_are_shown_typed_and_read() {
    let mut kiln = kiln(1);
    let all = Kiln::fields();
    let shown: Vec<_> = all.iter().map(|f| (f.name(), f.shown(&kiln))).collect();
    let expected = [
        ("id", "1"),
        ("name", "Large"),
        ("note", "by the door"),
        ("seen", "1970-01-01T00:00:00.000000001Z"),
        ("step", "-128"),
        ("at", "10.0.0.7"),
        ("spare", "none"),
        ("soak", "10"),
        ("cool", ""),
        ("shape.width", "40"),
        ("shape.maker", ""),
    ];
    assert_eq!(shown, expected.map(|(name, text)| (name, text.to_owned())));
    // What a form begins with is read back as what it was.
    for field in &all {
        let mut copy = kiln.clone();
        field.read(&mut copy, &field.typed(&kiln)).unwrap();
        assert_eq!(copy, kiln, "{}", field.name());
    }
    let typed = [
        ("note", "in the yard"),
        ("seen", "2026-03-05T14:30:00Z"),
        ("step", "7"),
        ("at", " ::1 "),
        ("spare", "10.0.0.9"),
        ("soak", "90"),
        ("cool", "5"),
        ("shape.maker", "340282366920938463463374607431768211455"),
    ];
    for (name, text) in typed {
        field(name).read(&mut kiln, text).unwrap();
        assert_eq!(field(name).typed(&kiln), text.trim(), "{name}");
    }
    assert_eq!(kiln.soak, Duration::from_secs(5400));
    assert_eq!(kiln.shape.as_ref().unwrap().maker, Some(u128::MAX));
    field("spare").read(&mut kiln, "  ").unwrap();
    assert_eq!(kiln.spare, None);
    assert!(field("at").is_searched() && field("shape.maker").is_searched());
    assert!(field("soak").is_naturally_descending() && field("spare").is_naturally_missing_first());
    assert_eq!(field("cool").kind(), Kind::Integer);
}

#[test]
fn what_cannot_be_read_is_told_and_changes_nothing() {
    let mut kiln = kiln(1);
    let before = kiln.clone();
    let told = |name: &str, kiln: &mut Kiln, text: &str| {
        let why: InputError = field(name).read(kiln, text).unwrap_err();
        why.to_string()
    };
    assert_eq!(told("step", &mut kiln, "0"), "it cannot be 0");
    assert!(told("step", &mut kiln, "200").contains("-128 to 127"));
    assert!(told("at", &mut kiln, "the yard").starts_with("\"the yard\": "));
    assert!(told("soak", &mut kiln, "long").contains("not a whole number"));
    assert!(told("seen", &mut kiln, "today").contains("not a date and time"));
    let missing = field("at").set(&mut kiln, Value::Missing).unwrap_err();
    assert_eq!(missing.to_string(), "a value is needed: text");
    let number = field("at").set(&mut kiln, Value::from(7)).unwrap_err();
    assert_eq!(number.to_string(), "\"7\" is not text");
    assert_eq!(kiln, before);
    kiln.shape = None;
    let part = field("shape.maker").read(&mut kiln, "7").unwrap_err();
    assert_eq!(
        part.to_string(),
        "\"shape\" is missing: set it as a whole first"
    );
    assert_eq!(field("shape.maker").value(&kiln), Value::Missing);
}

#[test]
fn they_filter_sort_and_are_written_as_json() {
    let kilns = [(1, 9, "b"), (2, 200, "a"), (3, 7, "c")].map(|(id, soak, name)| Kiln {
        name: name.into(),
        soak: Duration::from_secs(soak * 60),
        ..kiln(id)
    });
    let mut store = Store::load(kilns).unwrap();
    let mut order = |query: Query<Kiln>| -> Vec<u32> {
        let list = store.bind(query);
        let rows = store.list(list).unwrap();
        rows.items().map(|kiln| kiln.id.get()).collect()
    };
    assert_eq!(order(Query::new().sort(Kiln::NAME)), [2, 1, 3]);
    assert_eq!(order(Query::new().sort(Kiln::SOAK)), [2, 1, 3]);
    assert_eq!(
        order(Query::new().sort(Sort::parse("soak").unwrap())),
        [2, 1, 3]
    );
    assert_eq!(order(Query::new().sort(Kiln::ID.descending())), [3, 2, 1]);
    let filter = |text: &str| {
        let text: FilterText = text.parse().unwrap();
        Query::new().filter(text.check().unwrap())
    };
    assert_eq!(order(filter("soak > 8 AND at = '10.0.0.7'")), [1, 2]);
    let within = "seen < TIMESTAMP('1970-01-02T00:00:00Z') AND step < 0 AND cool IS NULL";
    assert_eq!(order(filter(within)), [1, 2, 3]);
    // What can be copied only is nothing to sort by.
    for name in ["drawing", "/drawing", "shape", "/shape", "/shape/outline"] {
        assert!(Sort::<Kiln>::parse(name).is_err(), "{name}");
    }
    assert!(Sort::<Kiln>::parse("/shape/width").is_ok());
    let json = kiln(1).to_json();
    assert_eq!(
        (&json["soak"], &json["at"]),
        (&10.into(), &"10.0.0.7".into())
    );
    assert_eq!(json.get("drawing"), None);
}

/// Fields that nobody names take part where two versions are merged, in drafts and below pending edits.
#[test]
fn what_has_no_name_is_merged_as_well() {
    let mut store = Store::load([kiln(1)]).unwrap();
    let key = NonZeroU32::new(1).unwrap();
    store.writes_mut().track();
    let mut draft = store.drafts_mut().begin(&key).unwrap();
    draft.edit(|kiln| kiln.drawing.0.push(1)).unwrap();
    draft
        .edit(|kiln| kiln.shape.as_mut().unwrap().outline.0.push(2))
        .unwrap();
    store.edit(&key, |kiln| kiln.step = NonZeroI8::MAX).unwrap();
    store
        .from_source(|store| {
            store.edit(&key, |kiln| {
                kiln.plan.0.push(3);
                kiln.shape.as_mut().unwrap().width = 41;
            })
        })
        .unwrap();
    store.drafts_mut().commit(draft).unwrap();
    let mut expected = kiln(1);
    expected.step = NonZeroI8::MAX;
    (expected.drawing.0, expected.plan.0) = (vec![1], vec![3]);
    let shape = expected.shape.as_mut().unwrap();
    (shape.outline.0, shape.width) = (vec![2], 41);
    assert_eq!(**store.get(&key).unwrap(), expected);
    // A pending edit of one such field stays where the source changes the other.
    store.edit(&key, |kiln| kiln.drawing.0.push(4)).unwrap();
    store
        .from_source(|store| store.edit(&key, |kiln| kiln.plan.0.push(5)))
        .unwrap();
    (expected.drawing.0, expected.plan.0) = (vec![1, 4], vec![3, 5]);
    assert_eq!(**store.get(&key).unwrap(), expected);
}

/// A kiln in which some fields are as they were and the others have other values.
fn edited() -> impl Strategy<Value = [u8; 7]> {
    prop::array::uniform7(prop_oneof![3 => Just(0_u8), 1 => 1..3_u8])
}

fn with(edits: [u8; 7]) -> Kiln {
    let [drawing, plan, outline, width, soak, address, spare] = edits;
    let mut kiln = kiln(1);
    (kiln.drawing.0, kiln.plan.0) = (vec![drawing], vec![plan]);
    let shape = kiln.shape.as_mut().unwrap();
    (shape.outline.0, shape.width) = (vec![outline], width.into());
    // Seconds that the field as it is read does not tell apart.
    kiln.soak = Duration::from_secs(soak.into());
    kiln.address = IpAddr::from([10, 0, 0, address]);
    kiln.spare = (spare > 0).then(|| IpAddr::from([10, 0, 0, spare]));
    kiln
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(300)) })]

    #[test]
    fn each_field_is_merged_by_itself(mine in edited(), theirs in edited()) {
        let merged = merge(&with([0; 7]), &with(mine), &with(theirs));
        let names = ["drawing", "plan", "shape.outline", "shape.width", "soak", "at", "spare"];
        let mut expected = [0; 7];
        let mut colliding: Vec<&str> = Vec::new();
        for (at, name) in names.into_iter().enumerate() {
            expected[at] = if theirs[at] == 0 { mine[at] } else { theirs[at] };
            if mine[at] != 0 && theirs[at] != 0 && mine[at] != theirs[at] {
                colliding.push(name);
            }
        }
        prop_assert_eq!(merged.item, with(expected));
        let mut told: Vec<String> = merged.colliding.iter().map(FieldPath::to_string).collect();
        told.sort_unstable();
        colliding.sort_unstable();
        prop_assert_eq!(told, colliding);
    }

    /// Numbers as near each other as they come, at either end too.
    #[test]
    fn prefixes_keep_the_order(
        one in prop_oneof![any::<i128>(), -3..3_i128, (-3..3_i128).prop_map(|near| i128::from(i64::MAX) + near)],
        two in prop_oneof![any::<i128>(), -3..3_i128, (-3..3_i128).prop_map(|near| i128::from(i64::MAX) + near)],
    ) {
        fn keeps<V: SortValue + ?Sized>(one: &V, two: &V) -> bool {
            let (prefixes, values) = (one.prefix().cmp(&two.prefix()), one.compare(two));
            prefixes == values || prefixes.is_eq() && V::DECIDING_BITS < 64
        }
        prop_assert!(keeps(&one, &two));
        prop_assert!(keeps(&(one as u128), &(two as u128)));
        let time = |number: i128| {
            let by = Duration::from_nanos(number.unsigned_abs() as u64);
            let moved = match number < 0 {
                true => SystemTime::UNIX_EPOCH.checked_sub(by),
                false => SystemTime::UNIX_EPOCH.checked_add(by),
            };
            moved.unwrap()
        };
        prop_assert!(keeps(&time(one), &time(two)));
        let distance = |number: i128| Duration::new(number as u64, (number.unsigned_abs() % 1_000_000_000) as u32);
        prop_assert!(keeps(&distance(one), &distance(two)));
        let not_zero = |number: i128| NonZeroI8::new(number as i8).unwrap_or(NonZeroI8::MIN);
        prop_assert!(keeps(&not_zero(one), &not_zero(two)));
        let (one, two) = (one.to_string(), two.to_string());
        prop_assert!(keeps::<Arc<str>>(&one.as_str().into(), &two.as_str().into()));
        prop_assert!(keeps::<Box<str>>(&one.as_str().into(), &two.as_str().into()));
        prop_assert!(keeps::<Cow<'_, str>>(&one.as_str().into(), &two.as_str().into()));
    }
}
