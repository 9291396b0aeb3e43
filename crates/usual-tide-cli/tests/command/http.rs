//! What `usual-tide serve` speaks, request by request.

use crate::serving::{LONG, Server, pieces};
use serde_json::Value;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::Command;
use std::time::{Duration, Instant};

#[test]
fn the_server_speaks_plain_http_and_turns_strangers_away() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    pieces(&path);
    let server = Server::start(path.to_str().unwrap(), &["--most-bytes", "200"]);
    let status = |answer: &str| answer.split(' ').nth(1).unwrap_or_default().to_owned();
    let header = |answer: &str, name: &str| -> String {
        let line = answer.lines().find(|line| line.starts_with(name));
        line.map(|line| line[name.len() + 2..].to_owned())
            .unwrap_or_default()
    };
    let all = server.ask("GET", "/items?limit=2", "", "");
    let next = "</items?limit=2&after=P%2D1>; rel=\"next\"";
    assert_eq!(
        (status(&all), header(&all, "link")),
        ("200".into(), next.into())
    );
    let etag = header(&all, "etag");
    let same = server.ask("GET", "/items", &format!("If-None-Match: {etag}\r\n"), "");
    assert_eq!(status(&same), "304");

    let one = header(&server.ask("GET", "/items/P-1", "", ""), "etag");
    let if_match = format!("If-Match: {one}\r\nIdempotency-Key: a\r\n");
    let done = server.ask(
        "PATCH",
        "/items/P-1",
        &if_match,
        "{\"title\": \"Jug\", \"note\": {\"a\": null}}",
    );
    assert_eq!(status(&done), "200");
    assert!(
        done.ends_with("{\"id\":\"P-1\",\"title\":\"Jug\",\"shelf\":1,\"note\":{}}"),
        "{done}"
    );
    let asked = "{\"title\": \"Jug\", \"note\": {\"a\": null}}";
    let again = server.ask("PATCH", "/items/P-1", &if_match, asked);
    assert!(
        again.ends_with("\"note\":{}}"),
        "the same request, the same answer: {again}"
    );
    for (method, path, body) in [
        ("PATCH", "/items/P-1", "{\"title\": \"Vase\"}"),
        ("DELETE", "/items/P-2", ""),
    ] {
        let other = server.ask(method, path, &if_match, body);
        assert_eq!(status(&other), "422", "another request: {other}");
    }
    let empty = server.ask("DELETE", "/items/P-2", "Idempotency-Key:\r\n", "");
    assert_eq!(status(&empty), "400");
    let late = server.ask(
        "PATCH",
        "/items/P-1",
        &format!("If-Match: {one}\r\n"),
        "{\"title\": \"Vase\"}",
    );
    assert_eq!(status(&late), "412");
    assert!(
        late.contains("\"item\":{\"id\":\"P-1\",\"title\":\"Jug\""),
        "{late}"
    );
    let refused = [
        ("POST", "/items", "", "{\"id\": \"P-1\"}", "409", "taken"),
        ("POST", "/items", "", "{\"title\": \"x\"}", "422", "id"),
        ("POST", "/items", "", "{\"id\":", "400", "the text ends"),
        (
            "POST",
            "/items?at=middle",
            "",
            "{\"id\": 3}",
            "400",
            "start or end",
        ),
        (
            "PATCH",
            "/items/P-1",
            "",
            "{\"id\": \"P-9\"}",
            "422",
            "cannot change the key",
        ),
        ("DELETE", "/items/P-77", "", "", "404", "P-77"),
        (
            "GET",
            "/items",
            "Origin: http://elsewhere.example\r\n",
            "",
            "403",
            "elsewhere",
        ),
        ("GET", "/other", "", "", "404", "/items, /events"),
        ("GET", "/items?after=none", "", "", "410", "gone"),
    ];
    for (method, path, headers, body, expected, why) in refused {
        let answer = server.ask(method, path, headers, body);
        assert_eq!(status(&answer), expected, "{method} {path}: {answer}");
        assert!(answer.contains(why), "{answer}");
    }
    let large = format!("{{\"id\": \"{}\"}}", "x".repeat(300));
    assert_eq!(status(&server.ask("POST", "/items", "", &large)), "413");
    let strange =
        server.raw("GET /items HTTP/1.1\r\nHost: studio.example\r\nConnection: close\r\n\r\n");
    assert_eq!(status(&strange), "403");
    let own = format!("Origin: {}\r\n", server.address());
    assert_eq!(status(&server.ask("GET", "/items", &own, "")), "200");
    assert!(server.ask("GET", "/", "", "").contains("src=\"/page.js\""));
    assert!(
        server
            .ask("GET", "/live-list.js", "", "")
            .contains("EventSource")
    );
    assert_eq!(status(&server.ask("DELETE", "/items/P-1", "", "")), "204");
    assert_eq!(server.items().len(), 5);
}

#[test]
fn a_server_can_serve_another_and_can_refuse_all_writes() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    pieces(&path);
    let first = Server::start(path.to_str().unwrap(), &[]);
    let second = Server::start(&first.address(), &[]);
    let third = Server::start(&second.address(), &["--no-writes"]);
    let answer = second.ask("PATCH", "/items/P-1?at=start", "", "{\"title\": \"Jug\"}");
    assert!(
        answer.contains("200 OK") && answer.contains("\"title\":\"Jug\""),
        "{answer}"
    );
    assert!(second.ask("DELETE", "/items/P-2", "", "").contains("204"));
    assert_eq!(first.items(), second.items());
    assert_eq!(first.items()[0]["title"], "Jug");
    let refused = third.ask("DELETE", "/items/P-1", "", "");
    assert!(refused.contains("403") && refused.contains("takes no writes"));
    let end = Instant::now() + LONG;
    while third.items() != first.items() {
        assert!(Instant::now() < end);
        std::thread::sleep(Duration::from_millis(10));
    }
}

#[test]
#[cfg_attr(windows, ignore = "it is told to end by a signal")]
fn streams_go_on_where_they_ended_and_end_with_the_server() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    pieces(&path);
    let mut server = Server::start(path.to_str().unwrap(), &[]);
    let id = server.ask("GET", "/items", "", "");
    let id = id
        .lines()
        .find_map(|line| line.strip_prefix("last-event-id: "))
        .unwrap()
        .to_owned();
    let life = id.strip_suffix("-0").unwrap();
    for (number, title) in ["Jug", "Mug", "Pot"].iter().enumerate() {
        let patch = format!("{{\"title\": \"{title}\"}}");
        server.ask("PATCH", &format!("/items/P-{number}"), "", &patch);
    }
    let listen = |last: &str| {
        let mut stream = TcpStream::connect(("127.0.0.1", server.port)).unwrap();
        stream.set_read_timeout(Some(LONG)).unwrap();
        let port = server.port;
        write!(
            stream,
            "GET /events HTTP/1.1\r\nHost: localhost:{port}\r\nLast-Event-ID: {last}\r\n\r\n"
        )
        .unwrap();
        BufReader::new(stream)
    };
    let next = |stream: &mut BufReader<TcpStream>, field: &str| loop {
        let mut line = String::new();
        assert!(
            stream.read_line(&mut line).unwrap() > 0,
            "the stream has ended"
        );
        if let Some(value) = line.trim_end().strip_prefix(&format!("{field}: ")) {
            break value.to_owned();
        }
    };
    let mut stream = listen(&format!("{life}-1"));
    assert_eq!(next(&mut stream, "id"), format!("{life}-2"));
    assert!(next(&mut stream, "data").contains("\"title\":\"Mug\""));
    assert_eq!(next(&mut stream, "id"), format!("{life}-3"));
    assert!(next(&mut stream, "data").contains("\"title\":\"Pot\""));
    assert_eq!(next(&mut listen("another-1"), "event"), "reset");

    // Another program writes the file.
    let mut items = server.items();
    items.remove(4);
    std::fs::write(&path, Value::Array(items).to_string()).unwrap();
    assert_eq!(next(&mut stream, "event"), "remove");
    assert_eq!(next(&mut stream, "data"), "{\"key\":\"P-4\"}");

    let pid = server.process.id().to_string();
    Command::new("kill").args(["-TERM", &pid]).status().unwrap();
    let mut rest = String::new();
    let _ = stream.read_to_string(&mut rest);
    assert!(server.process.wait().unwrap().success());
}

#[test]
#[cfg_attr(windows, ignore = "the name is none of a file there")]
fn the_page_shows_the_name_of_its_source_as_text() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a\"><img src=x onerror=alert(1)>&.json");
    pieces(&path);
    let server = Server::start(path.to_str().unwrap(), &["--no-writes"]);
    let page = server.ask("GET", "/", "", "");
    assert!(!page.contains("<img"), "{page}");
    assert!(
        page.contains("<title>a&quot;&gt;&lt;img src=x onerror=alert(1)&gt;&amp;.json</title>"),
        "{page}"
    );
    assert!(page.contains("data-writes=\"false\""), "{page}");
}
