//! Lists that the server keeps for its clients.

use crate::cases;
use crate::serving::{LONG, Server};
use crate::support::write;
use proptest::prelude::*;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Write};
use std::net::TcpStream;
use tempfile::TempDir;

const SHELVES: [&str; 3] = ["A", "B", "C"];

/// Pieces whose fields say something to every query below.
fn pieces(count: usize) -> String {
    let piece = |at: usize| {
        let title = format!("{} {}", ["Bowl", "Mug", "Vase"][at % 3], at * 7 % 20);
        let shelf = SHELVES[at * 5 % 3];
        json!({"id": format!("P-{at:03}"), "title": title, "shelf": shelf, "height_mm": at * 37 % 100})
    };
    Value::Array((0..count).map(piece).collect()).to_string()
}

fn served(count: usize, options: &[&str]) -> (TempDir, Server) {
    let folder = tempfile::tempdir().unwrap();
    let path = write(&folder, "pieces.json", &pieces(count));
    let server = Server::start(&path, options);
    (folder, server)
}

/// Asks, and gives the status and the body.
fn ask(server: &Server, method: &str, path: &str, body: &Value) -> (u16, Value) {
    let body = match body {
        Value::Null => String::new(),
        body => body.to_string(),
    };
    let answer = server.ask(method, path, "", &body);
    let status = answer
        .split(' ')
        .nth(1)
        .and_then(|status| status.parse().ok());
    let body = answer.split("\r\n\r\n").nth(1).unwrap_or_default();
    (
        status.unwrap(),
        serde_json::from_str(body).unwrap_or(Value::Null),
    )
}

/// A stream of events.
struct Events(BufReader<TcpStream>);

/// An event: its id, its name, its data.
type Event = (Option<u64>, String, Value);

impl Events {
    fn of(server: &Server, path: &str) -> Self {
        let mut stream = TcpStream::connect(("127.0.0.1", server.port)).unwrap();
        stream.set_read_timeout(Some(LONG)).unwrap();
        let request = format!(
            "GET {path} HTTP/1.1\r\nHost: localhost:{}\r\n\r\n",
            server.port
        );
        stream.write_all(request.as_bytes()).unwrap();
        Self(BufReader::new(stream))
    }

    fn next(&mut self) -> Event {
        let (mut id, mut name, mut data) = (None, String::new(), Value::Null);
        loop {
            let mut line = String::new();
            assert!(
                self.0.read_line(&mut line).unwrap() > 0,
                "the stream has ended"
            );
            let line = line.trim_end();
            if let Some(text) = line.strip_prefix("id: ") {
                id = text.parse().ok();
            } else if let Some(text) = line.strip_prefix("event: ") {
                name = text.to_owned();
            } else if let Some(text) = line.strip_prefix("data: ") {
                data = serde_json::from_str(text).unwrap();
            } else if line.is_empty() && !name.is_empty() {
                return (id, name, data);
            }
        }
    }
}

fn array<'a>(value: &'a Value, name: &str) -> &'a Vec<Value> {
    value[name].as_array().unwrap()
}

fn number(value: &Value) -> usize {
    usize::try_from(value.as_u64().unwrap()).unwrap()
}

/// The rows after a change set, by the rule of application alone.
fn applied(rows: &[Value], changes: &Value) -> Vec<Value> {
    let item = |row: &Value| row["item"].clone();
    rearranged(rows, changes, item, |row, told| *row = item(told))
}

/// Rows or sections after a change set: what arrives and what is updated is made of the entries that tell it.
fn rearranged<E: Clone>(
    before: &[E],
    changes: &Value,
    arrives: impl Fn(&Value) -> E,
    update: impl Fn(&mut E, &Value),
) -> Vec<E> {
    assert_eq!(before.len(), number(&changes["before"]));
    let moved: Vec<(usize, usize)> = array(changes, "moved")
        .iter()
        .map(|row| (number(&row["from"]), number(&row["to"])))
        .collect();
    let removed: Vec<usize> = array(changes, "removed")
        .iter()
        .map(|row| number(&row["at"]))
        .collect();
    let leaves = |at: &usize| removed.contains(at) || moved.iter().any(|(from, _)| from == at);
    let mut after: Vec<E> = (0..before.len())
        .filter(|at| !leaves(at))
        .map(|at| before[at].clone())
        .collect();
    let mut arriving: Vec<(usize, E)> = array(changes, "inserted")
        .iter()
        .map(|row| (number(&row["at"]), arrives(row)))
        .collect();
    arriving.extend(moved.iter().map(|(from, to)| (*to, before[*from].clone())));
    arriving.sort_by_key(|row| row.0);
    for (at, row) in arriving {
        after.insert(at, row);
    }
    for row in array(changes, "updated") {
        update(&mut after[number(&row["to"])], row);
    }
    assert_eq!(after.len(), number(&changes["after"]));
    after
}

/// A section of a list: its heading, and its rows.
type Section = (Value, Vec<Value>);

/// The sections after a change set whose positions are by section and row.
fn applied_by_section(sections: &[Section], changes: &Value) -> Vec<Section> {
    let place = |place: &Value| (number(&place["section"]), number(&place["row"]));
    let mut arriving: Vec<((usize, usize), Value)> = array(changes, "inserted")
        .iter()
        .map(|row| (place(&row["at"]), row["item"].clone()))
        .collect();
    let mut leaving: Vec<(usize, usize)> = array(changes, "removed")
        .iter()
        .map(|row| place(&row["at"]))
        .collect();
    for row in array(changes, "moved") {
        let (section, at) = place(&row["from"]);
        arriving.push((place(&row["to"]), sections[section].1[at].clone()));
        leaving.push((section, at));
    }
    leaving.sort_unstable_by(|one, other| other.cmp(one));
    arriving.sort_by_key(|row| row.0);
    let mut staying = sections.to_vec();
    for (section, at) in leaving {
        staying[section].1.remove(at);
    }
    let mut after = rearranged(
        &staying,
        &changes["sections"],
        |told| (told["heading"].clone(), Vec::new()),
        |section, told| section.0 = told["heading"].clone(),
    );
    for ((section, at), item) in arriving {
        after[section].1.insert(at, item);
    }
    for row in array(changes, "updated") {
        let (section, at) = place(&row["to"]);
        after[section].1[at] = row["item"].clone();
    }
    after
}

/// The sections that an answer tells; rows without a grouping are one section, unless there are none.
fn sections_of(list: &Value) -> Vec<Section> {
    let mut rows = array(list, "rows").iter().cloned();
    match list["sections"].as_array() {
        Some(sections) => {
            let sections = sections.iter().map(|section| {
                let rows = rows.by_ref().take(number(&section["rows"])).collect();
                (section["heading"].clone(), rows)
            });
            sections.collect()
        }
        None if rows.len() == 0 => Vec::new(),
        None => vec![(json!(""), rows.collect())],
    }
}

/// As few rows are moved as can be: those that are kept less the longest run of them that is in order.
fn assert_minimal(before: &[Value], after: &[Value], changes: &Value) {
    let place = |row: &Value| before.iter().position(|other| other["id"] == row["id"]);
    let kept: Vec<usize> = after.iter().filter_map(place).collect();
    let mut ends: Vec<usize> = Vec::new();
    for place in &kept {
        let at = ends.partition_point(|end| end < place);
        match ends.get_mut(at) {
            Some(end) => *end = *place,
            None => ends.push(*place),
        }
    }
    assert_eq!(array(changes, "moved").len(), kept.len() - ends.len());
    assert_eq!(array(changes, "removed").len(), before.len() - kept.len());
    assert_eq!(array(changes, "inserted").len(), after.len() - kept.len());
}

#[test]
fn a_client_gets_the_rows_once_and_change_sets_from_then_on() {
    let (_folder, server) = served(9, &[]);
    let (status, list) = ask(
        &server,
        "POST",
        "/lists",
        &json!({"search": "bowl", "sort": "-height_mm"}),
    );
    assert_eq!(
        (status, list["version"].as_u64(), list["matching"].as_u64()),
        (201, Some(0), Some(3))
    );
    let rows = array(&list, "rows").clone();
    let path = format!("/lists/{}", list["list"].as_str().unwrap());
    let mut events = Events::of(&server, &format!("{path}/changes?last-event-id=0"));
    let key = rows[2]["id"].as_str().unwrap();
    ask(
        &server,
        "PATCH",
        &format!("/items/{key}"),
        &json!({"height_mm": 500}),
    );
    assert_eq!(events.next().2, json!({"matching": 3}));
    let (id, name, changes) = events.next();
    assert_eq!((id, &*name), (Some(1), "changes"));
    assert_eq!(array(&changes, "moved").len(), 1);
    let rows = applied(&rows, &changes);
    assert_eq!(rows[0]["height_mm"], 500);
    // Another letter, another sort and another window come as one minimal set each.
    let (status, told) = ask(
        &server,
        "PATCH",
        &path,
        &json!({"search": "b", "sort": "id", "take": 2}),
    );
    assert_eq!((status, told["version"].as_u64()), (200, Some(2)));
    let (_, _, changes) = events.next();
    let narrow = applied(&rows, &changes);
    let (_, _, matching) = events.next();
    assert_eq!(matching, json!({"matching": told["matching"]}));
    assert_minimal(&rows, &narrow, &changes);
    let (_, now) = ask(&server, "GET", &path, &Value::Null);
    assert_eq!(array(&now, "rows"), &narrow);
    assert_eq!(
        now["query"],
        json!({"search": "b", "sort": "id", "take": 2})
    );
    ask(&server, "PATCH", &path, &json!({"skip": 1}));
    let (_, _, changes) = events.next();
    assert_eq!(applied(&narrow, &changes).len(), 2);
    // Closed, the stream says so, and there is no such list any more.
    assert_eq!(ask(&server, "DELETE", &path, &Value::Null).0, 204);
    ask(
        &server,
        "POST",
        "/items",
        &json!({"id": "P-900", "title": "Jug", "shelf": "A", "height_mm": 1}),
    );
    assert_eq!(events.next().1, "closed");
    assert_eq!(ask(&server, "GET", &path, &Value::Null).0, 404);
}

#[test]
fn how_many_items_match_is_told_also_where_no_row_of_the_window_changes() {
    let (_folder, server) = served(9, &[]);
    let (_, list) = ask(&server, "POST", "/lists", &json!({"sort": "id", "take": 3}));
    let path = format!("/lists/{}", list["list"].as_str().unwrap());
    let mut events = Events::of(&server, &format!("{path}/changes?last-event-id=0"));
    let matching = |items: usize| (None, "matching".to_owned(), json!({"matching": items}));
    assert_eq!(events.next(), matching(9));
    ask(&server, "DELETE", "/items/P-008", &Value::Null);
    assert_eq!(events.next(), matching(8));
    // An edit beyond the window is told to nobody.
    ask(&server, "PATCH", "/items/P-007", &json!({"title": "Jug"}));
    ask(&server, "DELETE", "/items/P-000", &Value::Null);
    assert_eq!(events.next().1, "changes");
    assert_eq!(events.next(), matching(7));
    // Whoever comes back is told it first.
    let mut again = Events::of(&server, &format!("{path}/changes?last-event-id=1"));
    assert_eq!(again.next(), matching(7));
    let mut rows = Events::of(&server, &format!("{path}/changes"));
    assert_eq!(rows.next().1, "rows");
    ask(&server, "DELETE", "/items/P-006", &Value::Null);
    assert_eq!(
        [&mut again, &mut rows].map(Events::next),
        [matching(6), matching(6)]
    );
}

#[test]
fn queries_that_cannot_be_are_refused_with_what_is_wrong() {
    let (_folder, server) = served(
        9,
        &["--list-rows", "5", "--lists", "3", "--lists-of-client", "2"],
    );
    for (query, status, why) in [
        (
            json!({"filter": "heigth_mm > 3"}),
            422,
            "filter: column 1: there is no field",
        ),
        (
            json!({"sort": "maker"}),
            422,
            "sort: column 1: there is no field",
        ),
        (
            json!({"take": 6}),
            422,
            "take is 6: a list of this server has at most 5 rows",
        ),
        (json!({"limit": 6}), 400, "limit"),
        (json!([]), 400, "expected an object"),
    ] {
        let (answered, problem) = ask(&server, "POST", "/lists", &query);
        let detail = problem["detail"].as_str().unwrap();
        assert!(
            answered == status && detail.contains(why),
            "{query} {answered} {detail}"
        );
    }
    // Without a number of rows there are as many as there may be.
    let (status, list) = ask(&server, "POST", "/lists", &Value::Null);
    assert_eq!(
        (
            status,
            array(&list, "rows").len(),
            list["matching"].as_u64()
        ),
        (201, 5, Some(9))
    );
    assert_eq!(
        ask(&server, "POST", "/lists", &json!({"sort": "id"})).0,
        201
    );
    let (status, problem) = ask(&server, "POST", "/lists", &Value::Null);
    assert!(
        status == 429 && problem["detail"].as_str().unwrap().contains("close one"),
        "{problem}"
    );
    assert_eq!(ask(&server, "GET", "/lists/none", &Value::Null).0, 404);
    assert_eq!(
        ask(&server, "GET", "/lists/none/changes", &Value::Null).0,
        404
    );
}

#[test]
fn a_list_that_nobody_reads_is_closed() {
    let (_folder, server) = served(3, &["--list-unused", "1"]);
    let (_, list) = ask(&server, "POST", "/lists", &Value::Null);
    let path = format!("/lists/{}", list["list"].as_str().unwrap());
    // As long as a stream reads it, it is kept.
    let stream = Events::of(&server, &format!("{path}/changes"));
    std::thread::sleep(std::time::Duration::from_millis(1500));
    assert_eq!(ask(&server, "GET", &path, &Value::Null).0, 200);
    drop(stream);
    let begun = std::time::Instant::now();
    loop {
        // A server notices that a stream has ended when it next writes to it.
        ask(
            &server,
            "PATCH",
            "/items/P-000",
            &json!({"height_mm": begun.elapsed().as_millis().to_string().len()}),
        );
        ask(&server, "PATCH", "/items/P-000", &json!({"height_mm": 77}));
        std::thread::sleep(std::time::Duration::from_millis(1200));
        if ask(&server, "GET", &path, &Value::Null).0 == 404 {
            break;
        }
        assert!(begun.elapsed() < LONG, "it is kept");
    }
}

#[test]
fn a_client_that_was_away_too_long_gets_the_rows() {
    let (_folder, server) = served(5, &[]);
    let (_, list) = ask(&server, "POST", "/lists", &json!({"sort": "title"}));
    let path = format!("/lists/{}/changes", list["list"].as_str().unwrap());
    for unknown in ["7", "x", ""] {
        let mut events = Events::of(&server, &format!("{path}?last-event-id={unknown}"));
        let (id, name, rows) = events.next();
        assert_eq!((id, &*name), (Some(0), "rows"));
        assert_eq!(rows["rows"], list["rows"]);
    }
}

#[derive(Clone, Debug)]
enum Step {
    Edit {
        key: usize,
        height: u8,
        shelf: usize,
    },
    Remove {
        key: usize,
    },
    Add {
        key: usize,
    },
    Move {
        key: usize,
        after: usize,
    },
    Query {
        client: usize,
        part: usize,
        which: usize,
    },
    /// The client's stream is cut, and goes on from what it had last.
    Read {
        client: usize,
        by: &'static str,
    },
}

fn steps() -> impl Strategy<Value = Vec<Step>> {
    let (key, client) = (0..30_usize, 0..3_usize);
    let step = prop_oneof![
        (key.clone(), any::<u8>(), 0..3_usize).prop_map(|(key, height, shelf)| Step::Edit {
            key,
            height,
            shelf
        }),
        key.clone().prop_map(|key| Step::Remove { key }),
        key.clone().prop_map(|key| Step::Add { key }),
        (key.clone(), key).prop_map(|(key, after)| Step::Move { key, after }),
        (client.clone(), 0..5_usize, 0..4_usize).prop_map(|(client, part, which)| Step::Query {
            client,
            part,
            which
        }),
        (client, prop_oneof![Just("row"), Just("section")])
            .prop_map(|(client, by)| Step::Read { client, by }),
    ];
    proptest::collection::vec(step, 1..25)
}

/// One part of a query, with its values to choose from.
fn query(part: usize, which: usize) -> Value {
    let texts = |texts: [&str; 4]| json!(texts[which]);
    match part {
        0 => json!({"search": texts(["", "b", "bowl", "mug"])}),
        1 => json!({"filter": texts(["", "height_mm > 30", "shelf = 'A'", "height_mm < 80"])}),
        2 => json!({"sort": texts(["", "title", "-height_mm,id", "shelf"])}),
        3 => json!({"group": texts(["", "shelf", "title:initial", "height_mm:width=25"])}),
        _ => {
            let (skip, take) = [(0, 3), (1, 8), (2, 20), (0, 10_000)][which];
            json!({"skip": skip, "take": take})
        }
    }
}

/// One that reads its list by row, and another time by section.
struct Client {
    path: String,
    version: u64,
    sections: Vec<Section>,
}

impl Client {
    fn rows(&self) -> Vec<Value> {
        let rows = self.sections.iter().flat_map(|section| &section.1);
        rows.cloned().collect()
    }

    /// Reads what it has missed, applies it, and compares with the rows that the server has.
    fn catch_up(&mut self, server: &Server, by: &str) {
        let (_, now) = ask(server, "GET", &self.path, &Value::Null);
        let version = now["version"].as_u64().unwrap();
        if version > self.version {
            let since = format!("last-event-id={}&by={by}", self.version);
            let mut events = Events::of(server, &format!("{}/changes?{since}", self.path));
            let (id, name, told) = events.next();
            assert_eq!(id, Some(version));
            self.version = version;
            match (&*name, by) {
                ("rows", _) => self.sections = sections_of(&told),
                (_, "section") => self.sections = applied_by_section(&self.sections, &told),
                _ => {
                    let before = self.rows();
                    let after = applied(&before, &told);
                    assert_minimal(&before, &after, &told);
                    assert_eq!(array(&now, "rows"), &after);
                    self.sections = sections_of(&now);
                }
            }
        }
        assert_eq!(sections_of(&now), self.sections);
        let shown = now["sections"].as_array().map(|sections| {
            let rows = sections.iter().map(|section| number(&section["rows"]));
            rows.sum::<usize>()
        });
        assert!(shown.is_none_or(|shown| shown == array(&now, "rows").len()));
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(8), failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn clients_have_the_rows_of_their_lists_whatever_happens(steps in steps()) {
        let (_folder, server) = served(20, &[]);
        let mut clients: Vec<Client> = [json!({"sort": "title"}), json!({"sort": "title"}), json!({"group": "shelf"})]
            .iter()
            .map(|query| {
                let (_, list) = ask(&server, "POST", "/lists", query);
                Client {
                    path: format!("/lists/{}", list["list"].as_str().unwrap()),
                    version: 0,
                    sections: sections_of(&list),
                }
            })
            .collect();
        for step in steps {
            match step {
                Step::Edit { key, height, shelf } => {
                    let shelf = SHELVES[shelf];
                    let edit = json!({"height_mm": height, "shelf": shelf});
                    ask(&server, "PATCH", &format!("/items/P-{key:03}"), &edit);
                }
                Step::Remove { key } => {
                    ask(&server, "DELETE", &format!("/items/P-{key:03}"), &Value::Null);
                }
                Step::Add { key } => {
                    let piece = json!({"id": format!("P-{key:03}"), "title": "Bowl", "shelf": "B", "height_mm": key});
                    ask(&server, "POST", "/items?at=start", &piece);
                }
                Step::Move { key, after } => {
                    ask(&server, "PATCH", &format!("/items/P-{key:03}?after=P-{after:03}"), &json!({}));
                }
                Step::Query { client, part, which } => {
                    let (status, told) = ask(&server, "PATCH", &clients[client].path, &query(part, which));
                    prop_assert_eq!(status, 200, "{}", told);
                }
                Step::Read { client, by } => clients[client].catch_up(&server, by),
            }
        }
        for client in &mut clients {
            client.catch_up(&server, "section");
        }
    }
}

#[test]
fn sections_tell_the_totals_that_are_asked_for() {
    let (_folder, server) = served(30, &[]);
    let query = json!({"group": "shelf", "totals": "height_mm:sum, height_mm:maximum"});
    let (status, opened) = ask(&server, "POST", "/lists", &query);
    assert_eq!(status, 201, "{opened}");
    let mut held = std::collections::BTreeMap::new();
    for item in server.items() {
        let height = item["height_mm"].as_u64().unwrap();
        let shelf = item["shelf"].as_str().unwrap().to_owned();
        let (sum, most): &mut (u64, u64) = held.entry(shelf).or_default();
        (*sum, *most) = (*sum + height, height.max(*most));
    }
    let told: Vec<Value> = opened["sections"].as_array().unwrap().clone();
    assert_eq!(told.len(), held.len());
    for (section, (shelf, (sum, most))) in told.iter().zip(held) {
        assert_eq!(
            (&section["heading"], &section["totals"]),
            (&json!(shelf), &json!([sum, most]))
        );
    }
    let path = format!("/lists/{}", opened["list"].as_str().unwrap());
    for (change, expected) in [
        (json!({"totals": "height_mm:product"}), "is no field with"),
        (json!({"totals": "heigth_mm:sum"}), "there is no field"),
        (json!({"totals": "title:sum"}), "a number is needed"),
        (json!({"group": null}), "they go with a group"),
    ] {
        let (status, refused) = ask(&server, "PATCH", &path, &change);
        assert_eq!(status, 422, "{change}: {refused}");
        let detail = refused["detail"].as_str().unwrap();
        assert!(detail.contains(expected), "{change}: {detail}");
    }
    // Taken away with the grouping, or alone.
    let (status, _) = ask(&server, "PATCH", &path, &json!({"totals": null}));
    assert_eq!(status, 200);
    let (_, rows) = ask(&server, "GET", &path, &Value::Null);
    assert_eq!(rows["sections"][0].get("totals"), None);
    let (status, _) = ask(
        &server,
        "PATCH",
        &path,
        &json!({"group": null, "totals": null}),
    );
    assert_eq!(status, 200);
}
