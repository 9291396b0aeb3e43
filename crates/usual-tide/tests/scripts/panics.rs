//! User code that panics at any of its calls, whatever it is and whatever is asked of the store: nothing has
//! changed, and the same works afterwards.

use super::checks::{Sections, sections_of};
use super::model::{GIVEN, Thing, thing};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::atomic::{AtomicI64, Ordering};
use std::sync::{Arc, Mutex};
use usual_tide::changes::{Rows, ViewSink};
use usual_tide::fields::{InputError, Value};
use usual_tide::sections::SectionKey;
use usual_tide::{
    ChangeSet, Condition, Feed, Group, ListId, Place, Query, Rules, SharedStore, Sort, Store,
};

/// Counts calls of user code and panics at one of them.
#[derive(Clone, Default)]
struct Trap(Arc<AtomicI64>);

impl Trap {
    fn set(&self, calls: i64) {
        self.0.store(calls, Ordering::Relaxed);
    }

    fn step(&self) {
        assert!(self.0.fetch_sub(1, Ordering::Relaxed) != 1, "the trap");
    }
}

/// A query whose user code is trapped.
type Trapped = fn(&Trap) -> Query<Thing>;

fn queries() -> [Trapped; 8] {
    [
        |trap| {
            let trap = trap.clone();
            Query::new().filter(move |thing: &Thing| {
                trap.step();
                thing.on
            })
        },
        |trap| {
            let trap = trap.clone();
            let named = Condition::from_fn(move |thing: &Thing| {
                trap.step();
                !thing.name.is_empty()
            });
            Query::new().filter(named.and(Thing::ON.is(true)))
        },
        |trap| {
            let trap = trap.clone();
            Query::new().sort(Sort::from_fn(move |one: &Thing, two: &Thing| {
                trap.step();
                one.name.cmp(&two.name)
            }))
        },
        |trap| {
            let trap = trap.clone();
            let length = Sort::by_value(move |thing: &Thing| {
                trap.step();
                thing.name.len()
            });
            Query::new().sort(length.then(Thing::RANK)).skip(1).take(9)
        },
        |trap| {
            let (one, two) = (trap.clone(), trap.clone());
            let group = Group::from_fn(move |thing: &Thing| {
                one.step();
                thing.key % 3
            });
            Query::new().group(group.heading(move |value: &Value<'_>| {
                two.step();
                format!("{value:?}")
            }))
        },
        |trap| {
            let (one, two) = (trap.clone(), trap.clone());
            let group = Group::by(Thing::NAME)
                .heading(move |value: &Value<'_>| {
                    one.step();
                    format!("{value:?}!")
                })
                .regroup_with(move |thing, value| -> Result<(), InputError> {
                    two.step();
                    thing.name = value.as_text().unwrap_or_default().to_owned();
                    Ok(())
                });
            Query::new().group(group.in_order(GIVEN).keep_empty())
        },
        |trap| {
            let trap = trap.clone();
            // Told apart by what comes after the prefix.
            Query::new().sort(Sort::by_value(move |thing: &Thing| {
                trap.step();
                format!("kiln shelves {} {}", thing.key % 19, thing.name)
            }))
        },
        |_| Query::new().group(Group::by(Thing::ON)).sort(Thing::NAME),
    ]
}

fn rules(trap: &Trap) -> Rules<Thing> {
    let (one, two) = (trap.clone(), trap.clone());
    Rules::new()
        .check(Thing::NAME, move |thing: &Thing| {
            one.step();
            if thing.name.len() < 99 {
                Ok(())
            } else {
                Err("too long")
            }
        })
        .check_item(move |_: &Thing| -> Result<(), String> {
            two.step();
            Ok(())
        })
}

/// What is asked of the store; whether it can be done is not asked here.
type Operation = fn(&mut Store<Thing>, ListId, &Trap);

fn operations() -> Vec<Operation> {
    vec![
        |store, _, _| drop(store.add(thing(100, 7), Place::Gap(3))),
        |store, _, trap| {
            drop(store.edit(&5, |item| {
                item.name = "kiln".into();
                trap.step();
                item.on = !item.on;
            }));
        },
        |store, _, trap| {
            drop(store.edit_many(&[2, 3, 7], |item| {
                item.name.push('x');
                trap.step();
            }));
        },
        |store, _, _| drop(store.move_many(&[2, 7, 9], Place::Start)),
        |store, _, _| drop(store.remove_many(&[3, 8])),
        |store, _, _| drop(store.add_many((200..212).map(|key| thing(key, key as u8)), Place::End)),
        |store, _, _| drop(store.reload((6..24).rev().map(|key| thing(key, (key * 7) as u8)))),
        |store, _, trap| {
            let more = (300..304).map(|key| {
                trap.step();
                thing(key, 3)
            });
            drop(store.add_many(more, Place::Start));
        },
        |store, _, trap| {
            let done = store.batch(|store| {
                store.remove(&4)?;
                trap.step();
                store.batch(|store| store.add(thing(4, 50), Place::Start))?;
                trap.step();
                store.edit(&6, |item| item.on = !item.on)
            });
            drop(done);
        },
        |store, _, trap| {
            drop(store.from_source(|store| {
                store.remove(&4)?;
                trap.step();
                store.edit(&6, |item| item.rank = Some(1))
            }));
        },
        |store, _, _| drop(store.history_mut().undo()),
        |store, _, _| drop(store.removals_mut().begin(&[1, 2, 6])),
        |store, _, _| {
            if let Ok(mut draft) = store.drafts_mut().begin(&6) {
                draft.set(Thing::NAME, "kiln shelf a".to_owned()).unwrap();
                drop(store.drafts_mut().commit(draft));
            }
        },
        |store, list, trap| {
            let trap = trap.clone();
            store.list_mut(list).unwrap().change_query(move |query| {
                trap.step();
                query.filter(move |thing: &Thing| {
                    trap.step();
                    thing.rank.is_some()
                })
            });
        },
        |store, list, trap| {
            let trap = trap.clone();
            let sort = Sort::from_fn(move |one: &Thing, two: &Thing| {
                trap.step();
                two.key.cmp(&one.key)
            });
            store
                .list_mut(list)
                .unwrap()
                .change_query(|query| query.sort(sort));
        },
        |store, list, trap| {
            let trap = trap.clone();
            let group = Group::from_fn(move |thing: &Thing| {
                trap.step();
                thing.on
            });
            store
                .list_mut(list)
                .unwrap()
                .change_query(|query| query.group(group));
        },
        |store, list, _| {
            store
                .list_mut(list)
                .unwrap()
                .change_query(|query| query.ungrouped().unsorted());
        },
        |store, list, _| store.list_mut(list).unwrap().load_more(3),
        |store, list, _| {
            store.list_mut(list).unwrap().collapse_all();
        },
        |store, list, _| {
            let to = SectionKey::from("kiln shelf b");
            drop(store.list_mut(list).unwrap().regroup(&[6, 7], &to));
        },
        |store, list, _| {
            let to = SectionKey::from("no such name");
            drop(
                store
                    .list_mut(list)
                    .unwrap()
                    .move_to_section(&[6], &to, Place::Start),
            );
        },
        |store, list, _| {
            drop(
                store
                    .list_mut(list)
                    .unwrap()
                    .add(thing(77, 4), Place::Start),
            )
        },
        |store, list, _| drop(store.list_mut(list).unwrap().move_down(&6)),
        |store, _, trap| {
            store.bind(queries()[0](trap));
        },
        |store, _, _| {
            let ticket = store.writes().pending().next().map(|write| write.ticket);
            if let Some(ticket) = ticket {
                drop(store.writes_mut().refuse(ticket, "not so"));
            }
        },
        |store, _, trap| {
            let ticket = store.writes().pending().last().map(|write| write.ticket);
            if let Some(ticket) = ticket {
                drop(store.writes_mut().confirm_by(&[ticket], |store| {
                    trap.step();
                    store.edit(&6, |item| item.rank = Some(5))
                }));
            }
        },
    ]
}

/// All that can be seen of a store and its lists.
type State = (Vec<Arc<Thing>>, Vec<Sections>, usize, usize, usize);

fn state(store: &Store<Thing>, lists: &[ListId]) -> State {
    let sections = |list: &ListId| sections_of(&store.list(*list).unwrap());
    (
        store.items().cloned().collect(),
        lists.iter().map(sections).collect(),
        store.history().undo_len(),
        store.writes().pending().count(),
        store.writes().refused().count(),
    )
}

fn world(query: Trapped, trap: &Trap) -> (Store<Thing>, [ListId; 2]) {
    let mut store = Store::load((0..20).map(|key| thing(key, (key * 11) as u8))).unwrap();
    store.set_rules(rules(trap)).unwrap();
    store.writes_mut().track();
    store.edit(&1, |item| item.on = !item.on).unwrap();
    store.remove(&0).unwrap();
    let lists = [store.bind(Query::new()), store.bind(query(trap))];
    (store, lists)
}

#[test]
fn a_panic_at_any_call_of_user_code_leaves_everything_as_it_was() {
    let mut sprung = 0;
    for query in queries() {
        for (number, operation) in operations().into_iter().enumerate() {
            for calls in 1.. {
                let trap = Trap::default();
                let (mut store, lists) = world(query, &trap);
                let feeds: Vec<Feed<Thing>> = lists
                    .iter()
                    .map(|list| store.feed(*list).unwrap())
                    .collect();
                let before = state(&store, &lists);

                trap.set(calls);
                let done =
                    catch_unwind(AssertUnwindSafe(|| operation(&mut store, lists[1], &trap)));
                trap.set(0);

                store.check().unwrap();
                if done.is_ok() {
                    break;
                }
                sprung += 1;
                assert!(
                    state(&store, &lists) == before,
                    "operation {number} after {calls} calls"
                );
                for feed in &feeds {
                    assert_eq!(feed.read(&store).unwrap(), None);
                }
                // And the same works as if nothing had been.
                operation(&mut store, lists[1], &trap);
                store.check().unwrap();
                let (mut fresh, fresh_lists) = world(query, &trap);
                operation(&mut fresh, fresh_lists[1], &trap);
                assert!(state(&store, &lists) == state(&fresh, &fresh_lists));
            }
        }
    }
    assert!(sprung > 1000, "the trap was sprung {sprung} times");
}

/// Copies rows, and panics at one of its calls.
struct Screen(Vec<u16>, Trap);

impl ViewSink<Thing> for Screen {
    fn rows_removed(&mut self, at: usize, count: usize) {
        self.1.step();
        self.0.drain(at..at + count);
    }

    fn rows_inserted(&mut self, at: usize, rows: &Rows<Thing>) {
        self.1.step();
        self.0.splice(at..at, rows.iter().map(|row| row.key));
    }

    fn row_moved(&mut self, from: usize, to: usize) {
        self.1.step();
        let key = self.0.remove(from);
        self.0.insert(to, key);
    }

    fn row_updated(&mut self, _: usize, _: &Arc<Thing>) {
        self.1.step();
    }
}

#[test]
fn a_view_that_panics_breaks_nothing_but_itself() {
    let mut store = Store::load((0..14).map(|key| thing(key, key as u8))).unwrap();
    let list = store.bind(Query::new());
    let feed = store.feed(list).unwrap();
    store.move_to(&3, Place::End).unwrap();
    store.remove_many(&[5, 9]).unwrap();
    store.add(thing(50, 1), Place::Start).unwrap();
    store.edit(&7, |item| item.on = !item.on).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    let shown: Vec<u16> = store
        .list(list)
        .unwrap()
        .items()
        .map(|item| item.key)
        .collect();
    let mut sprung = 0;
    for calls in 1.. {
        let trap = Trap::default();
        trap.set(calls);
        let mut screen = Screen((0..14).collect(), trap.clone());
        let driven = catch_unwind(AssertUnwindSafe(|| changes.drive(&mut screen)));
        store.check().unwrap();
        if driven.is_ok() {
            assert_eq!(screen.0, shown);
            break;
        }
        sprung += 1;
    }
    assert!(sprung >= 4, "{sprung}");
}

#[test]
fn a_callback_that_panics_loses_nothing_and_keeps_no_other_from_being_called() {
    let store = Store::load((0..4).map(|key| thing(key, key as u8))).unwrap();
    let shared = SharedStore::new(store);
    let list = shared.edit(|store| store.bind(Query::new())).unwrap();
    let trap = Trap::default();
    let seen = Arc::new(Mutex::new([Vec::new(), Vec::new()]));
    let subscribe = |at: usize| {
        let (trap, seen) = (trap.clone(), Arc::clone(&seen));
        shared.subscribe(list, move |rows| {
            let mut view: Vec<Arc<Thing>> = rows.items().cloned().collect();
            move |changes: &ChangeSet<Thing>| {
                changes.apply(&mut view).unwrap();
                seen.lock().unwrap()[at] = view.iter().map(|row| row.key).collect();
                if at == 0 {
                    trap.step();
                }
            }
        })
    };
    let _subscriptions = [subscribe(0).unwrap(), subscribe(1).unwrap()];
    for key in 10..14 {
        trap.set(1);
        let edit = || shared.edit(|store| store.add(thing(key, 1), Place::End));
        assert!(catch_unwind(AssertUnwindSafe(edit)).is_err());
        trap.set(0);
    }
    // What was not delivered is delivered with the next edit.
    shared.edit(|store| store.remove(&0)).unwrap().unwrap();
    let keys: Vec<u16> = shared
        .read(|store| store.items().map(|item| item.key).collect())
        .unwrap();
    assert_eq!(*seen.lock().unwrap(), [keys.clone(), keys]);
    shared.read(|store| store.check().unwrap()).unwrap();
}
