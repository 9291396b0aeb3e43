//! A server to test against, and what it serves.

use serde_json::Value;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, ChildStdout, Command, Stdio};
use std::time::Duration;
use usual_tide::record::{FieldName, Record, parse};

pub(crate) const LONG: Duration = Duration::from_secs(40);

/// A server that is stopped when the test ends.
pub(crate) struct Server {
    pub(crate) process: Child,
    /// What it says, which must have a reader as long as it lives.
    _said: BufReader<ChildStdout>,
    pub(crate) port: u16,
}

impl Server {
    pub(crate) fn start(source: &str, options: &[&str]) -> Self {
        Self::start_at(source, "0", options)
    }

    pub(crate) fn start_at(source: &str, port: &str, options: &[&str]) -> Self {
        let mut process = Command::new(env!("CARGO_BIN_EXE_usual-tide"))
            .args(["serve", source, "--listen", &format!("127.0.0.1:{port}")])
            .args(options)
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut said = BufReader::new(process.stdout.take().unwrap());
        let mut line = String::new();
        said.read_line(&mut line).unwrap();
        let mut server = Self {
            process,
            _said: said,
            port: 0,
        };
        let port = line.split(" at http://127.0.0.1:").nth(1);
        let port = port.and_then(|rest| rest.split('/').next());
        server.port = port.unwrap_or(&line).parse().unwrap();
        server
    }

    pub(crate) fn address(&self) -> String {
        format!("http://127.0.0.1:{}", self.port)
    }

    /// Sends a request as it is, and reads all that comes back.
    pub(crate) fn raw(&self, request: &str) -> String {
        let mut stream = TcpStream::connect(("127.0.0.1", self.port)).unwrap();
        stream.set_read_timeout(Some(LONG)).unwrap();
        stream.write_all(request.as_bytes()).unwrap();
        let mut answer = Vec::new();
        let _ = stream.read_to_end(&mut answer);
        String::from_utf8_lossy(&answer).into_owned()
    }

    pub(crate) fn ask(&self, method: &str, path: &str, headers: &str, body: &str) -> String {
        self.raw(&format!(
            "{method} {path} HTTP/1.1\r\nHost: localhost:{}\r\nConnection: close\r\n{headers}Content-Length: {}\r\n\r\n{body}",
            self.port,
            body.len()
        ))
    }

    pub(crate) fn items(&self) -> Vec<Value> {
        let answer = self.ask("GET", "/items", "", "");
        let body = answer.split("\r\n\r\n").nth(1).unwrap();
        serde_json::from_str(body).unwrap()
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

pub(crate) fn id() -> FieldName {
    FieldName::parse("id").unwrap()
}

pub(crate) fn piece(id: &str) -> Record {
    let text = format!(r#"[{{"id": "{id}", "title": "Bowl", "shelf": 1, "note": null}}]"#);
    parse(&text, &self::id()).unwrap().remove(0)
}

pub(crate) fn pieces(path: &Path) {
    let pieces: Vec<Value> = (0..6)
        .map(|number| Value::Object(piece(&format!("P-{number}")).to_members()))
        .collect();
    std::fs::write(path, Value::Array(pieces).to_string()).unwrap();
}
