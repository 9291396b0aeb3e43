//! The server against clients that are slow, rude, many or wrong, and sources that fail.

use super::serving::{LONG, Server};
use serde_json::{Value, json};
use std::fs;
use std::io::{Read, Write};
use std::net::TcpStream;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

fn pieces(path: &Path) {
    let items: Vec<Value> = (1..=3)
        .map(|id| json!({"id": id, "title": format!("Piece {id}")}))
        .collect();
    fs::write(path, Value::from(items).to_string()).unwrap();
}

fn file(folder: &tempfile::TempDir) -> PathBuf {
    let path = folder.path().join("pieces.json");
    pieces(&path);
    path
}

fn status(answer: &str) -> &str {
    answer.split(' ').nth(1).unwrap_or(answer)
}

fn connect(server: &Server) -> TcpStream {
    let stream = TcpStream::connect(("127.0.0.1", server.port)).unwrap();
    stream.set_read_timeout(Some(LONG)).unwrap();
    stream
}

fn wait_for(what: impl Fn() -> bool) {
    let begun = Instant::now();
    while !what() {
        assert!(begun.elapsed() < LONG, "it does not come");
        std::thread::sleep(Duration::from_millis(20));
    }
}

#[test]
fn streams_and_slow_bodies_keep_nobody_else_from_being_answered() {
    let folder = tempfile::tempdir().unwrap();
    let options = ["--connections", "8", "--event-streams", "12"];
    let server = Server::start(file(&folder).to_str().unwrap(), &options);
    let host = format!("Host: 127.0.0.1:{}\r\n", server.port);
    // More streams than there are places for other connections.
    let streams: Vec<TcpStream> = (0..12)
        .map(|_| {
            let mut stream = connect(&server);
            write!(stream, "GET /events HTTP/1.1\r\n{host}\r\n").unwrap();
            let mut begun = [0; 12];
            stream.read_exact(&mut begun).unwrap();
            assert_eq!(&begun, b"HTTP/1.1 200");
            stream
        })
        .collect();
    assert_eq!(status(&server.ask("GET", "/events", "", "")), "503");
    assert_eq!(status(&server.ask("GET", "/items", "", "")), "200");
    // Bodies that never come are given up, and then others have their places.
    let _slow: Vec<TcpStream> = (0..8)
        .map(|_| {
            let mut stream = connect(&server);
            write!(
                stream,
                "POST /items HTTP/1.1\r\n{host}Content-Length: 50\r\n\r\n{{"
            )
            .unwrap();
            stream
        })
        .collect();
    let begun = Instant::now();
    assert_eq!(status(&server.ask("GET", "/items", "", "")), "200");
    assert!(
        begun.elapsed() < Duration::from_secs(25),
        "{:?}",
        begun.elapsed()
    );
    drop(streams);
}

#[test]
#[cfg_attr(windows, ignore = "it is told to end by a signal")]
fn a_server_ends_when_it_is_told_to_whatever_is_connected() {
    let folder = tempfile::tempdir().unwrap();
    let options = ["--connections", "2", "--log", "off"];
    let mut server = Server::start(file(&folder).to_str().unwrap(), &options);
    let _taken: Vec<TcpStream> = (0..6).map(|_| connect(&server)).collect();
    std::thread::sleep(Duration::from_millis(200));
    let killed = std::process::Command::new("kill")
        .args(["-TERM", &server.process.id().to_string()])
        .status();
    assert!(killed.unwrap().success());
    let begun = Instant::now();
    let ended = server.process.wait().unwrap();
    assert!(ended.success() && begun.elapsed() < Duration::from_secs(12));
}

#[test]
fn what_is_asked_in_a_wrong_way_is_a_problem_that_says_so() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(file(&folder).to_str().unwrap(), &["--most-bytes", "100"]);
    let host = format!("Host: 127.0.0.1:{}\r\n", server.port);
    let raw = |request: String| server.raw(&request);
    let ask = |method: &str, path: &str, headers: &str, body: &str| {
        server.ask(method, path, headers, body)
    };
    let cases = [
        ("405", ask("DELETE", "/items", "", "")),
        ("405", ask("POST", "/health", "", "")),
        ("400", ask("GET", "/items?limit=x", "", "")),
        ("400", ask("GET", "/items?limit=0", "", "")),
        ("400", ask("GET", "/items/%ff", "", "")),
        ("404", ask("GET", "/nothing", "", "")),
        (
            "400",
            ask("PATCH", "/items/1", "If-Match: \u{e9}\r\n", "{}"),
        ),
        ("400", ask("PATCH", "/items/1", "If-Match: half\r\n", "{}")),
        (
            "412",
            ask(
                "PATCH",
                "/items/1",
                "If-Match: W/\"0-0\", \"1-1\"\r\n",
                "{}",
            ),
        ),
        ("400", ask("GET", "/items/1", "If-None-Match: \"a\r\n", "")),
        (
            "400",
            ask(
                "POST",
                "/items",
                "",
                "{\"id\": 9, \"a\": {\"$serde_json::private::Number\": \"12\"}}",
            ),
        ),
        ("400", ask("POST", "/items", "", "[1]")),
        ("422", ask("POST", "/items", "", "{\"id\": null}")),
        (
            "400",
            raw(format!(
                "GET /items HTTP/1.1\r\n{host}{host}Connection: close\r\n\r\n"
            )),
        ),
        (
            "413",
            raw(format!(
                "POST /items HTTP/1.1\r\n{host}Content-Length: 99999999\r\nConnection: close\r\n\r\n"
            )),
        ),
    ];
    for (expected, answer) in cases {
        assert_eq!(status(&answer), expected, "{answer}");
        assert!(answer.contains("application/problem+json"), "{answer}");
        assert!(
            answer.contains("x-content-type-options: nosniff"),
            "{answer}"
        );
    }
    let page = ask("GET", "/", "", "");
    assert!(page.contains("content-security-policy: default-src 'none'; script-src 'self';"));
    assert!(ask("GET", "/health", "", "").contains("\"items\":3"));
    // Conditions mean the same on every route.
    let etag = |answer: &str| {
        let line = answer
            .lines()
            .find(|line| line.starts_with("etag: "))
            .unwrap();
        line["etag: ".len()..].to_owned()
    };
    for path in ["/items", "/items/1"] {
        let now = etag(&ask("GET", path, "", ""));
        for tags in [
            now.clone(),
            format!("\"x\", {now}"),
            format!("W/{now}"),
            "*".to_owned(),
        ] {
            let answer = ask("GET", path, &format!("If-None-Match: {tags}\r\n"), "");
            assert_eq!(status(&answer), "304", "{path} {tags}");
        }
    }
    let now = etag(&ask("GET", "/items/1", "", ""));
    let weak = format!("If-Match: W/{now}\r\n");
    assert_eq!(
        status(&ask("PATCH", "/items/1", &weak, "{\"title\": \"x\"}")),
        "412"
    );
    let one_of = format!("If-Match: \"x\", {now}\r\n");
    assert_eq!(
        status(&ask("PATCH", "/items/1", &one_of, "{\"title\": \"x\"}")),
        "200"
    );
    assert_eq!(
        status(&ask("POST", "/items", "If-Match: *\r\n", "{\"id\": 8}")),
        "412"
    );
    assert_eq!(
        status(&ask(
            "POST",
            "/items",
            "If-None-Match: *\r\n",
            "{\"id\": 8}"
        )),
        "201"
    );
}

#[test]
fn what_cannot_be_read_back_is_refused_and_the_file_stays_readable() {
    let folder = tempfile::tempdir().unwrap();
    let path = file(&folder);
    let server = Server::start(path.to_str().unwrap(), &[]);
    let deep = format!(
        "{{\"id\": 9, \"a\": {}1{}}}",
        "[".repeat(110),
        "]".repeat(110)
    );
    assert_eq!(status(&server.ask("POST", "/items", "", &deep)), "422");
    assert_eq!(
        status(&server.ask("POST", "/items", "", "{\"id\": 9}")),
        "201"
    );
    drop(server);
    assert_eq!(Server::start(path.to_str().unwrap(), &[]).items().len(), 4);

    let path = folder.path().join("pieces.csv");
    fs::write(&path, "id,fee.amount,title\n1,4.50,Bowl\n2,5,Jug\n").unwrap();
    let server = Server::start(path.to_str().unwrap(), &[]);
    let name = "a.".repeat(20_000);
    for body in [
        "{\"fee\": 5}",
        "{\"title\": {\"en\": \"a\"}}",
        "{\"fee\": {\"\": \"x\"}}",
        "{\"\": {\"en\": \"a\"}}",
        "{\"title.sub\": 1}",
        &format!("{{\"{name}\": 1}}"),
    ] {
        assert_eq!(
            status(&server.ask("PATCH", "/items/1", "", body)),
            "422",
            "{body:.40}"
        );
    }
    let added = server.ask(
        "POST",
        "/items",
        "",
        "{\"id\": \"P-9\", \"title\": \"123\"}",
    );
    assert!(
        added.contains("\"title\":\"123\"") && added.contains("201"),
        "{added}"
    );
    drop(server);
    let server = Server::start(path.to_str().unwrap(), &[]);
    let ids: Vec<Value> = server
        .items()
        .iter()
        .map(|item| item["id"].clone())
        .collect();
    assert_eq!(ids, [json!(1), json!(2), json!("P-9")]);
    assert_eq!(server.items()[2]["title"], "123");
    for id in ["1", "2", "P-9"] {
        assert_eq!(
            status(&server.ask("DELETE", &format!("/items/{id}"), "", "")),
            "204"
        );
    }
    drop(server);
    assert!(
        Server::start(path.to_str().unwrap(), &[])
            .items()
            .is_empty()
    );
}

#[cfg(unix)]
#[test]
fn a_source_that_cannot_be_read_is_told_and_tried_again() {
    let folder = tempfile::tempdir().unwrap();
    let path = file(&folder);
    let server = Server::start(path.to_str().unwrap(), &["--log", "off"]);
    let mut stream = connect(&server);
    write!(
        stream,
        "GET /events HTTP/1.1\r\nHost: 127.0.0.1:{}\r\n\r\n",
        server.port
    )
    .unwrap();
    fs::rename(&path, folder.path().join("away.json")).unwrap();
    wait_for(|| status(&server.ask("GET", "/items", "", "")) == "503");
    let health = server.ask("GET", "/health", "", "");
    assert!(
        health.contains("503") && health.contains("No such file"),
        "{health}"
    );
    assert_eq!(status(&server.ask("DELETE", "/items/1", "", "")), "503");
    fs::rename(folder.path().join("away.json"), &path).unwrap();
    wait_for(|| status(&server.ask("GET", "/items", "", "")) == "200");
    let mut told = String::new();
    let mut chunk = [0; 4096];
    let begun = Instant::now();
    while !told.contains("event: source-ready") {
        assert!(begun.elapsed() < LONG, "{told}");
        let read = stream.read(&mut chunk).unwrap();
        told.push_str(&String::from_utf8_lossy(&chunk[..read]));
    }
    assert!(
        told.contains("event: source-failed") && told.contains("No such file"),
        "{told}"
    );
}

#[test]
fn reading_does_not_wait_for_a_database_that_is_locked() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("studio.db");
    let database = rusqlite::Connection::open(&path).unwrap();
    let sql = "PRAGMA journal_mode = WAL; CREATE TABLE p (id INTEGER PRIMARY KEY, n INTEGER); INSERT INTO p VALUES (1, 1);";
    database.execute_batch(sql).unwrap();
    let source = format!("sqlite:{}?table=p", path.display());
    let server = Server::start(&source, &["--log", "off"]);
    database.execute_batch("BEGIN IMMEDIATE").unwrap();
    std::thread::scope(|scope| {
        let writing = scope.spawn(|| server.ask("PATCH", "/items/1", "", "{\"n\": 2}"));
        std::thread::sleep(Duration::from_millis(200));
        let begun = Instant::now();
        assert_eq!(server.items().len(), 1);
        assert!(
            begun.elapsed() < Duration::from_millis(900),
            "{:?}",
            begun.elapsed()
        );
        std::thread::sleep(Duration::from_millis(300));
        database.execute_batch("COMMIT").unwrap();
        assert_eq!(status(&writing.join().unwrap()), "200");
    });
}

#[test]
#[cfg_attr(windows, ignore = "a database that is open cannot be replaced")]
fn another_database_in_its_place_is_followed() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("studio.db");
    let database = rusqlite::Connection::open(&path).unwrap();
    let sql = "PRAGMA journal_mode = WAL; CREATE TABLE p (id INTEGER PRIMARY KEY, n INTEGER); INSERT INTO p VALUES (1, 1);";
    database.execute_batch(sql).unwrap();
    drop(database);
    let source = format!("sqlite:{}?table=p", path.display());
    let server = Server::start(&source, &["--log", "off"]);
    assert_eq!(server.items().len(), 1);
    let other = folder.path().join("other.db");
    let database = rusqlite::Connection::open(&other).unwrap();
    database.execute_batch("CREATE TABLE p (id INTEGER PRIMARY KEY, n INTEGER); INSERT INTO p VALUES (7, 7), (8, 8);").unwrap();
    drop(database);
    for end in ["", "-wal", "-shm"] {
        let _ = fs::remove_file(format!("{}{end}", path.display()));
    }
    fs::rename(&other, &path).unwrap();
    wait_for(|| server.items().len() == 2);
    assert_eq!(
        status(&server.ask("PATCH", "/items/7", "", "{\"n\": 9}")),
        "200"
    );
    let database = rusqlite::Connection::open(&path).unwrap();
    let n: i64 = database
        .query_row("SELECT n FROM p WHERE id = 7", [], |row| row.get(0))
        .unwrap();
    assert_eq!(n, 9);
}

#[test]
fn the_port_that_is_taken_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let path = file(&folder);
    let server = Server::start(path.to_str().unwrap(), &[]);
    let address = format!("127.0.0.1:{}", server.port);
    let output = std::process::Command::new(env!("CARGO_BIN_EXE_usual-tide"))
        .args(["serve", path.to_str().unwrap(), "--listen", &address])
        .output()
        .unwrap();
    let told = String::from_utf8_lossy(&output.stderr).into_owned();
    assert_eq!(output.status.code(), Some(1));
    assert!(
        told.contains(&format!("another program listens at {address}")),
        "{told}"
    );
}

#[cfg(unix)]
#[test]
fn the_log_tells_what_is_asked_for_and_no_more() {
    let folder = tempfile::tempdir().unwrap();
    let path = file(&folder);
    for (level, expected) in [("info", true), ("warn", false)] {
        let log = folder.path().join(level);
        let shell = format!(
            "exec {} serve {} --listen 127.0.0.1:0 --fail-every 2 --log {level} 2> {}",
            env!("CARGO_BIN_EXE_usual-tide"),
            path.display(),
            log.display()
        );
        let mut server = std::process::Command::new("sh")
            .args(["-c", &shell])
            .stdout(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        let mut said = std::io::BufReader::new(server.stdout.take().unwrap());
        let mut line = String::new();
        std::io::BufRead::read_line(&mut said, &mut line).unwrap();
        let port: u16 = line
            .split(':')
            .nth(2)
            .unwrap()
            .split('/')
            .next()
            .unwrap()
            .parse()
            .unwrap();
        for _ in 0..2 {
            let mut stream = TcpStream::connect(("127.0.0.1", port)).unwrap();
            write!(
                stream,
                "GET /items HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nConnection: close\r\n\r\n"
            )
            .unwrap();
            stream.read_to_end(&mut Vec::new()).unwrap();
        }
        let _ = server.kill();
        server.wait().unwrap();
        let told = fs::read_to_string(log).unwrap();
        assert_eq!(
            told.contains("request method=GET path=\"/items\" status=200"),
            expected,
            "{told}"
        );
        assert_eq!(told.contains("failing on purpose"), expected, "{told}");
        assert!(expected || told.is_empty(), "{told}");
    }
}

#[test]
fn names_are_known_with_and_without_the_default_port() {
    let folder = tempfile::tempdir().unwrap();
    let allowed = [
        "--allow-host",
        "Studio.Example",
        "--allow-host",
        "kiln.example:8443",
    ];
    let server = Server::start(file(&folder).to_str().unwrap(), &allowed);
    for (host, expected) in [
        ("studio.example", "200"),
        ("STUDIO.example:80", "200"),
        ("kiln.example:8443", "200"),
        ("kiln.example", "403"),
        ("other.example", "403"),
    ] {
        let request = format!("GET /items HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n");
        assert_eq!(status(&server.raw(&request)), expected, "{host}");
    }
}

#[test]
fn the_page_comes_whole_however_much_goes_wrong() {
    let folder = tempfile::tempdir().unwrap();
    let path = file(&folder);
    let faults = [
        "--fail-every",
        "1",
        "--garble-every",
        "1",
        "--drop-every",
        "2",
    ];
    let server = Server::start(path.to_str().unwrap(), &faults);
    let page = server.ask("GET", "/", "", "");
    assert_eq!(status(&page), "200");
    let script = server.ask("GET", "/page.js", "", "");
    let imported = script
        .split("from \"./")
        .skip(1)
        .map(|rest| rest.split('"').next().unwrap());
    let files: Vec<String> = imported.map(|name| format!("/{name}")).collect();
    assert!(files.len() > 5, "{script}");
    for file in files.iter().map(String::as_str).chain(["/page.css"]) {
        let answer = server.ask("GET", file, "", "");
        assert_eq!(status(&answer), "200", "{file}");
        assert!(answer.len() > 500, "{answer}");
    }
    assert_eq!(status(&server.ask("GET", "/items", "", "")), "503");
}
