//! Files read piece by piece: the same items and the same errors as when they are read as a whole, and what is wrong is
//! told with its place.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use proptest::prelude::*;
use std::fs::File;
use std::io::{Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};
use usual_tide::record::FieldName;
use usual_tide::{SharedStore, Store};
use usual_tide_sources::files::{
    FileFormat, FileSource, ReadError, ReadOptions, read, read_file, read_open_file,
};
use usual_tide_sources::link::{Link, LinkState};

fn id() -> FieldName {
    FieldName::parse("id").unwrap()
}

fn file(folder: &tempfile::TempDir, name: &str, bytes: &[u8]) -> PathBuf {
    let path = folder.path().join(name);
    std::fs::write(&path, bytes).unwrap();
    path
}

fn why(path: &Path) -> String {
    read_file(path, &id()).unwrap_err().to_string()
}

proptest! {
    #[test]
    fn piece_by_piece_is_as_at_once(
        lines in prop::collection::vec("\\PC{0,20}|\\{\"id\": [0-9]{1,3}, \"t\": \"\\PC{0,6}\"\\}|[\\[\\]{},: \"0-9a-z\r\n\u{feff}]{0,12}", 0..8),
        as_array in any::<bool>(),
        mark in any::<bool>(),
        cut in 0..40usize,
    ) {
        let folder = tempfile::tempdir().unwrap();
        let text = match as_array {
            true => format!("[{}]", lines.join(",\n")),
            false => lines.join("\n"),
        };
        let text = if mark { format!("\u{feff}{text}") } else { text };
        let mut bytes = text.into_bytes();
        bytes.truncate(bytes.len().saturating_sub(cut));
        for name in ["p.json", "p.ndjson", "p"] {
            let path = file(&folder, name, &bytes);
            let whole = read(&*bytes, FileFormat::of_path(&path), &id());
            let pieces = read_file(&path, &id());
            match (whole, pieces) {
                (Ok(whole), Ok(pieces)) => prop_assert_eq!(whole, pieces),
                (Err(_), Err(_)) => {}
                (whole, pieces) => prop_assert!(false, "{whole:?} at once, {pieces:?} by pieces"),
            }
        }
    }
}

#[test]
fn what_is_wrong_is_told_with_its_place() {
    let folder = tempfile::tempdir().unwrap();
    let cases: [(&str, &[u8], &str); 16] = [
        (
            "a.json",
            b"[{\"id\": 1},\n {\"id\": 2}",
            "line 2, column 10: the text ends within a list",
        ),
        (
            "b.ndjson",
            b"{\"id\": 1}\r\n{\"id\": 2\r\n",
            "line 2, column 8: the text ends within an object",
        ),
        (
            "c.json",
            b"[{\"id\": 1},\n {\"id\": \"\xff\"}]",
            "not UTF-8 text: the byte at offset 21 (line 2, column 10) is not valid; save it as UTF-8",
        ),
        (
            "d.ndjson",
            b"{\"id\": 1}\n{\"id\": \"\xe2\x82\"}",
            "not UTF-8 text: the byte at offset 18 (line 2, column 9) is not valid; save it as UTF-8",
        ),
        (
            "e.csv",
            b"id,title\n1,Bowl\n2,Mug,3\n",
            "line 3: 3 values under 2 names",
        ),
        (
            "f.csv",
            b"id,title\n1,\xff\n",
            "not UTF-8 text: the byte at offset 11 (line 2, column 3) is not valid; save it as UTF-8",
        ),
        (
            "k.json",
            b"SQLite format 3\0\x10",
            "not UTF-8 text: it is a SQLite database, of which a table is read",
        ),
        (
            "l.csv",
            b"\xff\xfei\0d\0\n\0",
            "not UTF-8 text: it is UTF-16; save it as UTF-8",
        ),
        (
            "m.ndjson",
            b"\x1f\x8b\x08\0",
            "not UTF-8 text: it is compressed; unpack it first",
        ),
        (
            "n.csv",
            b"PK\x03\x04\x14\0",
            "not UTF-8 text: it is a ZIP archive, or a spreadsheet; unpack it, or save the sheet as CSV in UTF-8",
        ),
        (
            "g.json",
            b"[{\"id\": 1}, 7]",
            "element 1 (counted from 0): expected an object, found a number",
        ),
        (
            "h.json",
            b"[{\"id\": 1}, {\"title\": \"Bowl\"}]",
            "element 1 (counted from 0): it has no field \"id\", which is to be its key",
        ),
        (
            "i.json",
            b"\"text\"",
            "expected an array of objects, found a string",
        ),
        (
            "j.json",
            b"[{\"id\": 1}] x",
            "line 1, column 13: there is more text after the end of the value",
        ),
        (
            "k.ndjson",
            b"{\"id\": 1}\n[2]\n",
            "line 2: expected an object, found an array",
        ),
        (
            "l.json",
            b"1.5",
            "expected an array of objects, found a number",
        ),
    ];
    for (name, bytes, expected) in cases {
        let path = file(&folder, name, bytes);
        let told = why(&path);
        assert!(told.starts_with(expected), "{name}: {told}");
    }
    let none = folder.path().join("none.json");
    let of_system = std::fs::read(&none).unwrap_err().to_string();
    assert!(why(&none).contains(&of_system));
    let csv = file(&folder, "m.csv", b"\xef\xbb\xbfid,title\r\n1,Bowl\r\n");
    assert_eq!(
        read_file(csv, &id()).unwrap()[0].get("title").unwrap(),
        "Bowl"
    );
}

#[test]
fn a_line_without_end_is_not_read_to_its_end() {
    let folder = tempfile::tempdir().unwrap();
    let path = file(&folder, "endless.ndjson", b"{\"id\": 1}\n");
    let mut long = File::options().append(true).open(&path).unwrap();
    // A hole, which takes no room on the disk.
    long.set_len(1 << 30).unwrap();
    long.seek(SeekFrom::End(0)).unwrap();
    long.write_all(b"\n").unwrap();
    let told = why(&path);
    let expected = "line 2: longer than 268435456 bytes: is it NDJSON, an object a line?";
    assert_eq!(told, expected);
}

#[test]
fn a_reading_can_be_followed_and_ended() {
    let folder = tempfile::tempdir().unwrap();
    let lines: String = (0..40_000)
        .map(|number| format!("{{\"id\": {number}}}\n"))
        .collect();
    let path = file(&folder, "many.ndjson", lines.as_bytes());
    let mut told = Vec::new();
    let open = || File::open(&path).unwrap();
    let options = ReadOptions::default().format(FileFormat::Ndjson);
    let items = read_open_file(open(), &options, &id(), &mut |done, total| {
        told.push((done, total));
        true
    });
    assert_eq!(items.unwrap().items.len(), 40_000);
    let total = lines.len() as u64;
    assert!(told.len() > 1 && told.is_sorted());
    assert_eq!(told.last(), Some(&(total, Some(total))));
    let ended = read_open_file(open(), &options, &id(), &mut |_, _| false);
    assert!(matches!(ended, Err(ReadError::Stopped)));
}

#[test]
fn keys_that_occur_twice_are_all_told_and_nothing_is_changed() {
    let folder = tempfile::tempdir().unwrap();
    let path = file(
        &folder,
        "twice.json",
        br#"[{"id": 1}, {"id": 2}, {"id": 1}, {"id": "2"}, {"id": 2}]"#,
    );
    let before = std::fs::read(&path).unwrap();
    let store = SharedStore::new(Store::new());
    let link = Link::start(store.clone(), FileSource::new(&path, &id())).unwrap();
    let end = Instant::now() + Duration::from_secs(20);
    let error = loop {
        if let LinkState::Failed { error, .. } = link.state() {
            break error;
        }
        assert!(Instant::now() < end);
        std::thread::sleep(Duration::from_millis(2));
    };
    let told = error.to_string();
    assert!(
        told.ends_with(
            "2 keys belong to more than one item: 1 at 0, 2; 2 at 1, 4 (positions from 0)"
        ),
        "{told}"
    );
    assert!(store.read(Store::is_empty).unwrap());
    drop(link);
    assert_eq!(std::fs::read(&path).unwrap(), before);
}
