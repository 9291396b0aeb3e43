//! What the server says of itself, against what it does.

use crate::serving::{Server, pieces};
use serde_json::{Value, json};

/// An answer: its status, its kind and its body.
struct Answer {
    status: String,
    kind: String,
    body: String,
}

fn ask(server: &Server, method: &str, path: &str, body: &Value) -> Answer {
    let body = match body {
        Value::Null => String::new(),
        body => body.to_string(),
    };
    let answer = server.ask(method, path, "", &body);
    let (head, body) = answer.split_once("\r\n\r\n").unwrap();
    let kind = head.lines().find_map(|line| {
        let (name, value) = line.split_once(": ")?;
        name.eq_ignore_ascii_case("content-type")
            .then(|| value.to_owned())
    });
    Answer {
        status: head.split(' ').nth(1).unwrap().to_owned(),
        kind: kind.unwrap_or_default(),
        body: body.to_owned(),
    }
}

/// What the description says of an answer.
fn described<'a>(document: &'a Value, method: &str, path: &str, status: &str) -> &'a Value {
    let operation = &document["paths"][path][method.to_lowercase()];
    let response = &operation["responses"][status];
    assert!(
        response.is_object(),
        "{method} {path} answers {status}, and that is not described"
    );
    response
}

/// Checks an answer against what the description says of it.
fn assert_described(document: &Value, method: &str, path: &str, answer: &Answer) {
    let response = described(document, method, path, &answer.status);
    let Some(content) = response.get("content") else {
        assert_eq!(answer.body, "", "{method} {path} {}", answer.status);
        return;
    };
    let schema = &content[&answer.kind]["schema"];
    assert!(
        schema.is_object(),
        "{method} {path} {}: {}",
        answer.status,
        answer.kind
    );
    // What the schema refers to is in the document.
    let mut schema = schema.clone();
    schema["components"] = document["components"].clone();
    let (mut compiler, mut schemas) = (boon::Compiler::new(), boon::Schemas::new());
    compiler.add_resource("urn:answer", schema).unwrap();
    let index = compiler.compile("urn:answer", &mut schemas).unwrap();
    let body: Value = serde_json::from_str(&answer.body).unwrap();
    if let Err(wrong) = schemas.validate(&body, index) {
        panic!("{method} {path} {}: {wrong}", answer.status);
    }
}

#[test]
fn the_server_answers_as_its_description_says() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    pieces(&path);
    let server = Server::start(path.to_str().unwrap(), &["--lists-of-client", "2"]);
    let document: Value =
        serde_json::from_str(&ask(&server, "GET", "/openapi.json", &Value::Null).body).unwrap();
    assert_eq!(document["openapi"], "3.1.0");
    let list: Value =
        serde_json::from_str(&ask(&server, "POST", "/lists", &json!({"group": "title"})).body)
            .unwrap();
    let list = list["list"].as_str().unwrap().to_owned();
    let none = Value::Null;
    let piece = json!({"id": "P-9", "title": "Mug", "shelf": 2, "note": null});
    // Each operation with what it can answer here: in order, since some change what the next ones find.
    let asked: [(&str, &str, &str, &Value, &str); 22] = [
        ("GET", "/items", "", &none, "200"),
        ("GET", "/items", "?limit=2", &none, "200"),
        ("GET", "/items", "?limit=x", &none, "400"),
        ("GET", "/items", "?after=none", &none, "410"),
        ("POST", "/items", "?at=start", &piece, "201"),
        ("POST", "/items", "", &piece, "409"),
        ("POST", "/items", "", &json!([1]), "400"),
        ("GET", "/items/{key}", "P-9", &none, "200"),
        ("GET", "/items/{key}", "none", &none, "404"),
        ("PATCH", "/items/{key}", "P-9", &json!({"shelf": 3}), "200"),
        ("PATCH", "/items/{key}", "none", &json!({"shelf": 3}), "404"),
        ("PUT", "/items/{key}", "P-9", &piece, "200"),
        ("DELETE", "/items/{key}", "P-9", &none, "204"),
        ("DELETE", "/items/{key}", "P-9", &none, "404"),
        ("POST", "/lists", "", &json!({"take": 2}), "201"),
        ("POST", "/lists", "", &none, "429"),
        ("GET", "/lists/{list}", &list, &none, "200"),
        (
            "PATCH",
            "/lists/{list}",
            &list,
            &json!({"search": "bowl"}),
            "200",
        ),
        (
            "PATCH",
            "/lists/{list}",
            &list,
            &json!({"sort": "heigth"}),
            "422",
        ),
        ("DELETE", "/lists/{list}", &list, &none, "204"),
        ("GET", "/lists/{list}/changes", &list, &none, "404"),
        ("GET", "/health", "", &none, "200"),
    ];
    for (method, path, rest, body, status) in asked {
        let filled = match path.split_once('{') {
            Some((start, end)) => {
                let end = end.split_once('}').unwrap().1;
                format!("{start}{rest}{end}")
            }
            None => format!("{path}{rest}"),
        };
        let answer = ask(&server, method, &filled, body);
        assert_eq!(answer.status, status, "{method} {filled}: {}", answer.body);
        assert_described(&document, method, path, &answer);
    }
    // Nothing is described that there is not.
    for (path, operations) in document["paths"].as_object().unwrap() {
        for method in operations.as_object().unwrap().keys() {
            let is_asked = asked
                .iter()
                .any(|asked| asked.0.eq_ignore_ascii_case(method) && asked.1 == path);
            assert!(
                is_asked || path == "/events",
                "{method} {path} was not asked"
            );
        }
    }
}
