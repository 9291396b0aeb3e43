//! Requests of a server: each is answered without a defect, and the store stays sound. Requests are separated by a
//! line of three dashes; each has a method and an address, headers, a blank line and a body.

#![no_main]

use libfuzzer_sys::fuzz_target;
use usual_tide::record::parse_value;
use usual_tide_cli::fuzzing::{Asked, TestServer};
use usual_tide_fuzz::pieces;

fuzz_target!(|text: &str| {
    let server = TestServer::new(pieces(8)).expect("the pieces can be served");
    // What was named in an answer can be named again: `LIST` in an address is the last list that was opened.
    let mut list = String::new();
    for request in text.split("\n---\n").take(12) {
        let (head, body) = request.split_once("\n\n").unwrap_or((request, ""));
        let mut lines = head.lines();
        let Some((method, address)) = lines.next().and_then(|line| line.split_once(' ')) else {
            continue;
        };
        let address = address.replace("LIST", &list);
        let headers = lines.filter_map(|line| line.split_once(": ")).collect();
        let body = body.as_bytes();
        let asked = Asked {
            method,
            address: &address,
            headers,
            body,
        };
        let Some(answered) = server.ask(&asked) else {
            continue;
        };
        assert_ne!(answered.status, 500, "{asked:?}");
        if answered.kind.contains("json") {
            let told = String::from_utf8(answered.body).expect("JSON is text");
            let told = parse_value(&told).unwrap_or_else(|why| panic!("{asked:?}: {why}: {told}"));
            if let Some(name) = told.get("list").and_then(|name| name.as_str()) {
                list = name.to_owned();
            }
        }
    }
});
