//! Clients of the server that open lists, read them for a while, ask for others, and go without a word.

use fastrand::Rng;
use std::io::{Read, Write};
use std::net::TcpStream;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

const QUERIES: [&str; 5] = [
    "{}",
    r#"{"sort": "title", "take": 20}"#,
    r#"{"group": "shelf", "search": "bo"}"#,
    r#"{"filter": "height_mm > 100", "sort": "-height_mm"}"#,
    r#"{"filter": "height_mm >", "sort": "nothing"}"#,
];

/// Goes on until it is told to end. Nothing that fails here matters: the network is bad on purpose.
pub(crate) fn come_and_go(address: &str, seed: u64, ended: &AtomicBool) {
    let mut rng = Rng::with_seed(seed);
    while !ended.load(Ordering::Relaxed) {
        let asked = visit(address, &mut rng);
        if asked.is_err() {
            std::thread::sleep(Duration::from_millis(5));
        }
    }
}

fn visit(address: &str, rng: &mut Rng) -> std::io::Result<()> {
    let opened = ask(address, "POST", "/lists", QUERIES[rng.usize(..5)])?;
    let Some(list) = opened
        .split("\"list\":")
        .nth(1)
        .and_then(|rest| rest.split('"').nth(1))
    else {
        return Ok(());
    };
    let path = format!("/lists/{list}");
    let by = ["row", "section"][rng.usize(..2)];
    let mut stream = begin(address, "GET", &format!("{path}/changes?by={by}"), "")?;
    stream.set_read_timeout(Some(Duration::from_millis(rng.u64(5..150))))?;
    let mut chunk = [0; 8192];
    while stream.read(&mut chunk).is_ok_and(|read| read > 0) && rng.u8(..10) > 0 {}
    if rng.bool() {
        ask(address, "PATCH", &path, QUERIES[rng.usize(..5)])?;
    }
    if rng.bool() {
        ask(address, "DELETE", &path, "")?;
    }
    Ok(())
}

fn begin(address: &str, method: &str, path: &str, body: &str) -> std::io::Result<TcpStream> {
    let mut stream = TcpStream::connect(address)?;
    stream.set_read_timeout(Some(Duration::from_secs(5)))?;
    let length = body.len();
    write!(
        stream,
        "{method} {path} HTTP/1.1\r\nHost: {address}\r\nConnection: close\r\nContent-Type: application/json\r\nContent-Length: {length}\r\n\r\n{body}"
    )?;
    Ok(stream)
}

fn ask(address: &str, method: &str, path: &str, body: &str) -> std::io::Result<String> {
    let mut answer = Vec::new();
    begin(address, method, path, body)?.read_to_end(&mut answer)?;
    Ok(String::from_utf8_lossy(&answer).into_owned())
}
