//! A connection that is cut at each byte of an answer: no items that are half of them, and no write that is done
//! twice or called saved without being so.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::collections::HashSet;
use std::io::{BufRead, BufReader, Read, Write as _};
use std::net::{TcpListener, TcpStream};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use usual_tide::Store;
use usual_tide::record::{FieldName, Record};
use usual_tide::writes::Write;
use usual_tide_sources::http::{HttpOptions, HttpSource};
use usual_tide_sources::link::{Answer, DirectSource, Retry};

const ITEMS: &str = r#"[{"id": 1, "title": "Bowl"}, {"id": 2, "title": "Cañon mug"}]"#;

#[derive(Clone, Copy, PartialEq, Debug)]
enum Asked {
    Load,
    Write,
}

/// What shows the end of an answer.
#[derive(Clone, Copy, Debug)]
enum EndOf {
    Length,
    Chunks,
    Closing,
}

fn answer(ends: EndOf, body: &str) -> Vec<u8> {
    let head = "HTTP/1.1 200 OK\r\nContent-Type: application/json\r\nConnection: close\r\n";
    let (length, half) = (body.len(), body.len() / 2);
    // Chunks may end within a character.
    let (one, two) = body.as_bytes().split_at(half);
    let mut bytes = head.as_bytes().to_vec();
    match ends {
        EndOf::Length => bytes.extend(format!("Content-Length: {length}\r\n\r\n{body}").bytes()),
        EndOf::Closing => bytes.extend(format!("\r\n{body}").bytes()),
        EndOf::Chunks => {
            bytes.extend(b"Transfer-Encoding: chunked\r\n\r\n");
            for chunk in [one, two, &[][..]] {
                bytes.extend(format!("{:x}\r\n", chunk.len()).bytes());
                bytes.extend(chunk);
                bytes.extend(b"\r\n");
            }
        }
    }
    bytes
}

/// A server whose next answers are cut.
struct Server {
    address: String,
    plan: Arc<Mutex<Plan>>,
}

struct Plan {
    ends: EndOf,
    /// The bytes that are sent of the next answer to a load or to a write, which is cut there.
    cut: Option<(Asked, usize)>,
    /// What was done, by the keys of the writes.
    done: Vec<String>,
}

impl Server {
    fn start(ends: EndOf) -> Self {
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let address = format!("http://{}", listener.local_addr().unwrap());
        let (cut, done) = (None, Vec::new());
        let plan = Arc::new(Mutex::new(Plan { ends, cut, done }));
        let planned = Arc::clone(&plan);
        std::thread::spawn(move || {
            for stream in listener.incoming() {
                serve(stream.unwrap(), &planned);
            }
        });
        Self { address, plan }
    }

    fn cut(&self, at: Option<(Asked, usize)>) {
        self.plan.lock().unwrap().cut = at;
    }

    fn done(&self) -> Vec<String> {
        self.plan.lock().unwrap().done.clone()
    }

    fn source(&self) -> DirectSource<Record> {
        let retry = Retry::default();
        let options = HttpOptions::default()
            .timeout(Duration::from_secs(5))
            .retry(retry);
        let key = FieldName::parse("id").unwrap();
        DirectSource::new(HttpSource::with(&self.address, &key, options))
    }
}

/// Answers one request.
fn serve(mut stream: TcpStream, plan: &Mutex<Plan>) {
    let mut from = BufReader::new(stream.try_clone().unwrap());
    let (mut first, mut length, mut key) = (String::new(), 0, String::new());
    from.read_line(&mut first).unwrap_or(0);
    loop {
        let mut line = String::new();
        if from.read_line(&mut line).unwrap_or(0) == 0 || line.trim().is_empty() {
            break;
        }
        let (name, value) = line.split_once(':').unwrap();
        match &*name.to_ascii_lowercase() {
            "content-length" => length = value.trim().parse().unwrap(),
            "idempotency-key" => value.trim().clone_into(&mut key),
            _ => {}
        }
    }
    let mut body = vec![0; length];
    from.read_exact(&mut body).unwrap();
    let mut plan = plan.lock().unwrap();
    let mut words = first.split(' ');
    let (asked, text) = match (words.next(), words.next()) {
        (Some("GET"), Some("/events")) => return,
        (Some("GET"), Some("/items")) => (Asked::Load, ITEMS),
        (Some("GET"), _) => (Asked::Load, r#"{"id": 1, "title": "Bowl"}"#),
        _ => {
            if !plan.done.contains(&key) {
                plan.done.push(key);
            }
            (Asked::Write, r#"{"id": 1, "title": "Deep bowl"}"#)
        }
    };
    let bytes = answer(plan.ends, text);
    let sent = match plan.cut.take_if(|(of, _)| *of == asked) {
        Some((_, cut)) => cut.min(bytes.len()),
        None => bytes.len(),
    };
    drop(plan);
    let _ = stream.write_all(&bytes[..sent]);
}

#[test]
fn items_are_loaded_whole_or_not_at_all() {
    for ends in [EndOf::Length, EndOf::Chunks, EndOf::Closing] {
        let server = Server::start(ends);
        let mut refused = 0;
        for cut in 0..answer(ends, ITEMS).len() {
            let mut source = server.source();
            server.cut(Some((Asked::Load, cut)));
            match source.load() {
                // The end of the last chunk, say, says nothing more.
                Ok(loaded) => assert_eq!(loaded.items.len(), 2, "{ends:?}, {cut}"),
                Err(why) => {
                    refused += 1;
                    assert!(why.to_string().contains(&server.address), "{why}");
                }
            }
            server.cut(None);
            assert_eq!(source.load().unwrap().items.len(), 2);
        }
        assert!(refused > 100, "{ends:?}: {refused}");
    }
}

/// Whether an answer says that the source has what was asked for.
fn is_saved(answer: &Answer<Record>) -> bool {
    match answer {
        Answer::Saved => true,
        Answer::SavedAs(item) => item.get("title").unwrap().as_text() == Some("Deep bowl"),
        _ => false,
    }
}

#[test]
fn a_write_whose_answer_is_cut_is_asked_again_under_its_key() {
    for ends in [EndOf::Length, EndOf::Chunks, EndOf::Closing] {
        let server = Server::start(ends);
        let mut source = server.source();
        let items = source.load().unwrap().items;
        let mut tickets = HashSet::new();
        for cut in 0..answer(ends, r#"{"id": 1, "title": "Deep bowl"}"#).len() {
            let mut store = Store::load(items.clone()).unwrap();
            store.writes_mut().track();
            store
                .edit(&1.into(), |item| {
                    item.set("title", "Deep bowl".into()).unwrap()
                })
                .unwrap();
            let write: Arc<Write<Record>> = store.writes().pending().next().cloned().unwrap();
            // Another source is another client, whose writes have keys of their own.
            let mut source = server.source();
            source.load().unwrap();
            let before = server.done().len();
            server.cut(Some((Asked::Write, cut)));
            if let Ok(answer) = source.write(&write) {
                assert!(is_saved(&answer), "{ends:?}, {cut}: {answer:?}");
            }
            server.cut(None);
            let again = source.write(&write).unwrap();
            assert!(is_saved(&again), "{ends:?}, {cut}: {again:?}");
            assert_eq!(
                server.done().len(),
                before + 1,
                "{ends:?}, {cut}: done once"
            );
            tickets.extend(server.done());
        }
        assert_eq!(tickets.len(), server.done().len());
    }
}
