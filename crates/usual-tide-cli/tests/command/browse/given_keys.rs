//! A server that gives new items keys of its own, and takes its time.

use super::terminal::{Browsed, CLEAR_LINE, END, ENTER, RIGHT, TAB};
use super::{PIECES, leave};
use serde_json::Value;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::{TcpListener, TcpStream};
use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, Mutex};

struct Shelf {
    items: Mutex<Vec<Value>>,
    /// A new item is answered when the test says so.
    answer: Mutex<Receiver<()>>,
}

fn serve() -> (String, Arc<Shelf>, Sender<()>) {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("http://{}", listener.local_addr().unwrap());
    let (answer, answered) = channel();
    let shelf = Arc::new(Shelf {
        items: Mutex::new(serde_json::from_str(PIECES).unwrap()),
        answer: Mutex::new(answered),
    });
    let served = Arc::clone(&shelf);
    std::thread::spawn(move || {
        for stream in listener.incoming() {
            let (stream, shelf) = (stream.unwrap(), Arc::clone(&served));
            std::thread::spawn(move || respond(stream, &shelf));
        }
    });
    (address, shelf, answer)
}

fn respond(mut stream: TcpStream, shelf: &Shelf) {
    let mut reader = BufReader::new(stream.try_clone().unwrap());
    let mut line = String::new();
    if reader.read_line(&mut line).unwrap_or(0) == 0 {
        return;
    }
    let mut words = line.split(' ').map(str::to_owned);
    let (method, path) = (words.next().unwrap(), words.next().unwrap());
    let mut length = 0;
    loop {
        let mut header = String::new();
        reader.read_line(&mut header).unwrap();
        if header.trim().is_empty() {
            break;
        }
        if let Some((name, value)) = header.split_once(':')
            && name.eq_ignore_ascii_case("content-length")
        {
            length = value.trim().parse().unwrap();
        }
    }
    let mut body = vec![0; length];
    reader.read_exact(&mut body).unwrap();
    let (status, answer) = answer(shelf, &method, &path, &body);
    let answer = answer.to_string();
    let _ = write!(
        stream,
        "HTTP/1.1 {status}\r\nContent-Type: application/json\r\nContent-Length: {}\r\nConnection: close\r\n\r\n{answer}",
        answer.len()
    );
}

fn answer(shelf: &Shelf, method: &str, path: &str, body: &[u8]) -> (&'static str, Value) {
    let key = path.strip_prefix("/items/");
    match (method, key) {
        ("GET", None) if path.starts_with("/items") => {
            ("200 OK", Value::Array(shelf.items.lock().unwrap().clone()))
        }
        ("POST", None) => {
            let mut item: Value = serde_json::from_slice(body).unwrap();
            shelf.answer.lock().unwrap().recv().unwrap();
            let mut items = shelf.items.lock().unwrap();
            item["id"] = format!("S-{}", items.len()).into();
            items.push(item.clone());
            ("201 Created", item)
        }
        ("PATCH" | "GET", Some(key)) => {
            let mut items = shelf.items.lock().unwrap();
            let Some(item) = items.iter_mut().find(|item| item["id"] == *key) else {
                return ("404 Not Found", Value::Null);
            };
            let changed: Value = serde_json::from_slice(body).unwrap_or_default();
            for (name, value) in changed.as_object().into_iter().flatten() {
                item[name.as_str()] = value.clone();
            }
            ("200 OK", item.clone())
        }
        _ => ("404 Not Found", Value::Null),
    }
}

#[test]
fn a_new_row_that_is_edited_again_goes_on_under_the_key_that_the_server_gives_it() {
    let (address, shelf, answer) = serve();
    let mut browsed = Browsed::start(150, 30, &[&address, "--check"]);
    browsed.shows("row 1 of 4");
    browsed.send(END).send(RIGHT).send("aa").shows("of 5");
    browsed
        .send("Jug")
        .send(TAB)
        .send("150")
        .send(ENTER)
        .shows("1 edit waiting");
    // It is edited again while the server has not answered.
    browsed
        .send(ENTER)
        .send(CLEAR_LINE)
        .send("160")
        .shows("P-5  Jug         160");
    answer.send(()).unwrap();
    browsed.hides("waiting").shows("S-4  Jug         160");
    browsed
        .send("5")
        .send(ENTER)
        .shows("Change height_mm of S-4");
    browsed.hides("waiting").hides("others had changed");
    leave(browsed);
    let items = shelf.items.lock().unwrap();
    assert_eq!(items.len(), 5);
    assert_eq!(
        (&items[4]["title"], &items[4]["height_mm"]),
        (&"Jug".into(), &1605.into())
    );
}
