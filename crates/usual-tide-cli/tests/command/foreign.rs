//! A server of another make: pages, odd headers, secrets, cut answers.

use crate::support;
use crate::support::{command, run, stderr, stdout};
use serde_json::Value;
use std::io::{BufRead, BufReader, Write};
use std::net::{TcpListener, TcpStream};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use usual_tide::record::{FieldName, Record};
use usual_tide::{Item, Place, SharedStore, Store};
use usual_tide_sources::http::HttpSource;
use usual_tide_sources::link::Link;

const LONG: Duration = Duration::from_secs(20);

/// Answers each request by what `answer` makes of its first line and headers.
fn serve(
    answer: impl Fn(&str, &[String]) -> String + Send + 'static,
) -> (String, Arc<Mutex<Vec<String>>>) {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("http://{}", listener.local_addr().unwrap());
    let seen: Arc<Mutex<Vec<String>>> = Arc::default();
    let noted = Arc::clone(&seen);
    std::thread::spawn(move || {
        for stream in listener.incoming() {
            let mut stream: TcpStream = stream.unwrap();
            let mut lines = BufReader::new(stream.try_clone().unwrap()).lines();
            let first = lines.next().unwrap().unwrap();
            let headers: Vec<String> = lines
                .map_while(Result::ok)
                .take_while(|line| !line.is_empty())
                .collect();
            noted.lock().unwrap().extend(headers.iter().cloned());
            let _ = stream.write_all(answer(&first, &headers).as_bytes());
        }
    });
    (address, seen)
}

fn page(links: &str, body: &str) -> String {
    let length = body.len();
    format!("HTTP/1.1 200 OK\r\n{links}Content-Length: {length}\r\nConnection: close\r\n\r\n{body}")
}

fn ids(output: &std::process::Output) -> Vec<i64> {
    let items: Value = serde_json::from_str(&stdout(output)).unwrap();
    items
        .as_array()
        .unwrap()
        .iter()
        .map(|item| item["id"].as_i64().unwrap())
        .collect()
}

#[test]
fn all_pages_are_followed_however_they_are_named() {
    let (address, _) = serve(|first, _| match first.split(' ').nth(1).unwrap() {
        "/api/items" => page(
            "Link: <https://studio.example/help>; rel=\"help, me\", <?page=2>; title=\"a, b\"; rel=\"prev next\"\r\n",
            "[{\"id\": 1}, {\"id\": 2}]",
        ),
        "/api/items?page=2" => page(
            "Link: </api/items>; rel=first\r\nlink: </api/items?page=3>; REL=next\r\n",
            "[{\"id\": 2}, {\"id\": 3}]",
        ),
        "/api/items?page=3" => page("", "[{\"id\": 4}]"),
        other => panic!("{other}"),
    });
    let output = run(&["show", &format!("{address}/api"), "--format", "json"]);
    assert_eq!(ids(&output), [1, 2, 3, 4]);
}

#[test]
fn an_edit_that_a_server_answers_with_another_item_is_done_as_asked() {
    let asked = Arc::new(Mutex::new(0));
    let patched = Arc::clone(&asked);
    let (address, _) = serve(move |first, _| match first.trim_end_matches(" HTTP/1.1") {
        "GET /items" => page("", "[{\"id\": 1, \"t\": \"a\"}]"),
        "GET /items/1" => page("", "{\"id\": 1, \"t\": \"a\"}"),
        "PATCH /items/1" => {
            *patched.lock().unwrap() += 1;
            page("", "{\"id\": 9, \"t\": \"b\"}")
        }
        other => panic!("{other}"),
    });
    let folder = tempfile::tempdir().unwrap();
    let patch = "[{\"op\": \"replace\", \"path\": \"/0/t\", \"value\": \"b\"}]";
    let patch = support::write(&folder, "patch.json", patch);
    let output = run(&["apply", &address, &patch, "-o", &address]);
    assert!(output.status.success(), "{output:?}");
    assert_eq!(*asked.lock().unwrap(), 1);
}

#[test]
fn a_server_without_versions_that_sends_no_items_back_is_written_to() {
    let asked: Arc<Mutex<Vec<String>>> = Arc::default();
    let noted = Arc::clone(&asked);
    let (address, _) = serve(move |first, _| {
        let request = first.trim_end_matches(" HTTP/1.1").to_owned();
        noted.lock().unwrap().push(request.clone());
        match request.as_str() {
            "GET /items" => page("", "[{\"id\": 1, \"t\": \"a\"}, {\"id\": 2}]"),
            "GET /items/1" => page("", "{\"id\": 1, \"t\": \"a\"}"),
            "GET /items/2" => page("", "{\"id\": 2}"),
            _ => "HTTP/1.1 204 No Content\r\nConnection: close\r\n\r\n".to_owned(),
        }
    });
    let folder = tempfile::tempdir().unwrap();
    let patch = "[{\"op\": \"replace\", \"path\": \"/0/t\", \"value\": \"b\"}, {\"op\": \"remove\", \"path\": \"/1\"}]";
    let patch = support::write(&folder, "patch.json", patch);
    let output = run(&["apply", &address, &patch, "-o", &address]);
    assert!(output.status.success(), "{output:?}");
    let asked = asked.lock().unwrap();
    for expected in ["PATCH /items/1", "DELETE /items/2"] {
        let times = asked.iter().filter(|asked| *asked == expected).count();
        assert_eq!(times, 1, "{asked:?}");
    }
}

#[test]
fn a_move_that_a_server_does_not_know_is_shown_as_the_server_has_it() {
    let (address, _) = serve(move |first, _| match first.trim_end_matches(" HTTP/1.1") {
        "GET /items" => page("", "[{\"id\": 1}, {\"id\": 2}]"),
        "GET /items/2" => page("", "{\"id\": 2}"),
        "PATCH /items/2?at=start" => page("", "{\"id\": 2}"),
        _ => "HTTP/1.1 404 Not Found\r\nContent-Length: 0\r\nConnection: close\r\n\r\n".to_owned(),
    });
    let store = SharedStore::new(Store::<Record>::new());
    let source = HttpSource::new(&address, &FieldName::parse("id").unwrap());
    let link = Link::start(store.clone(), source).unwrap();
    link.wait_until_ready(LONG).unwrap();
    let shown = || {
        let keys =
            |store: &Store<Record>| store.items().map(|item| item.key().to_string()).collect();
        store.read(keys).unwrap()
    };
    let moved = store.edit(|store| store.move_to(&2.into(), Place::Start));
    moved.unwrap().unwrap();
    let moved: Vec<String> = shown();
    assert_eq!(moved, ["2", "1"]);
    link.flush(LONG).unwrap();
    let begun = Instant::now();
    while shown() != ["1", "2"] {
        assert!(begun.elapsed() < LONG, "{:?}", shown());
        std::thread::sleep(Duration::from_millis(5));
    }
    link.close(LONG);
}

#[test]
fn other_addresses_are_followed_without_the_headers_of_this_one() {
    let (other, others) = serve(|_, _| page("", "[{\"id\": 5}]"));
    let (address, _) = serve(move |first, _| match first.contains("/items ") {
        true => "HTTP/1.1 302 Found\r\nLocation: /moved\r\nConnection: close\r\n\r\n".to_owned(),
        false => format!(
            "HTTP/1.1 307 Temporary Redirect\r\nLocation: {other}/there\r\nConnection: close\r\n\r\n"
        ),
    });
    let output = run(&[
        "show",
        &address,
        "--header",
        "X-Key: s3cret",
        "--format",
        "json",
    ]);
    assert_eq!(ids(&output), [5], "{output:?}");
    assert!(!others.lock().unwrap().join("\n").contains("s3cret"));
    let (address, _) = serve(|_, _| {
        "HTTP/1.1 302 Found\r\nLocation: /items\r\nConnection: close\r\n\r\n".to_owned()
    });
    let output = run(&["show", &address]);
    assert!(stderr(&output).contains("more than 5 times"), "{output:?}");
}

#[test]
fn pages_without_end_and_answers_that_are_cut_are_told() {
    let (address, _) = serve(|first, _| match first.contains("page=2") {
        false => page("Link: </items?page=2>; rel=\"next\"\r\n", "[{\"id\": 1}]"),
        true => page("Link: </items?page=2>; rel=\"next\"\r\n", "[{\"id\": 1}]"),
    });
    let output = run(&["show", &address]);
    assert_eq!(output.status.code(), Some(1));
    assert!(
        stderr(&output).contains("a page brings no new item"),
        "{output:?}"
    );
    let (address, _) =
        serve(|_, _| "HTTP/1.1 200 OK\r\nContent-Length: 500\r\n\r\n[{\"id\": 1},".to_owned());
    let output = run(&["show", &address]);
    assert_eq!(output.status.code(), Some(1), "{output:?}");
    assert!(!stderr(&output).is_empty() && stdout(&output).is_empty());
}

#[test]
fn headers_and_tokens_are_sent_to_their_server_alone_and_are_in_no_message() {
    let (other, others) = serve(|_, _| page("", "[{\"id\": 2}]"));
    let elsewhere = format!("Link: <{other}/items?page=2>; rel=\"next\"\r\n");
    let (address, seen) = serve(move |_, _| page(&elsewhere, "[{\"id\": 1}]"));
    let output = command(&[
        "show",
        &address,
        "--header",
        "X-Studio: north",
        "--format",
        "json",
    ])
    .env("USUAL_TIDE_TOKEN", "s3cret")
    .output()
    .unwrap();
    assert_eq!(ids(&output), [1, 2]);
    let seen = seen.lock().unwrap().join("\n").to_lowercase();
    assert!(seen.contains("authorization: bearer s3cret") && seen.contains("x-studio: north"));
    let others = others.lock().unwrap().join("\n").to_lowercase();
    assert!(
        !others.contains("s3cret") && !others.contains("x-studio"),
        "{others}"
    );

    let (address, _) =
        serve(|_, _| "HTTP/1.1 401 Unauthorized\r\nContent-Length: 0\r\n\r\n".to_owned());
    let folder = tempfile::tempdir().unwrap();
    let token = support::write(&folder, "token", "s3cret\n");
    let output = run(&["show", &address, "--token-file", &token]);
    let told = stderr(&output);
    assert!(told.contains("401") && !told.contains("s3cret"), "{told}");
    for header in ["Authorization s3cret", "X: s3cret\u{e9}"] {
        let output = run(&["show", &address, "--header", header]);
        assert_eq!(output.status.code(), Some(2));
        assert!(!stderr(&output).contains("s3cret"), "{output:?}");
    }
    let bad = support::write(&folder, "bad", "two words");
    let told = stderr(&run(&["show", &address, "--token-file", &bad]));
    assert!(
        told.contains("a token has no blanks") && !told.contains("words"),
        "{told}"
    );
}
