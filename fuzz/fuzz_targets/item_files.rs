//! JSON, NDJSON and CSV: a file that is read piece by piece holds what the text as a whole holds, and what was read
//! and written is read again. The first byte says which format.

#![no_main]

use libfuzzer_sys::fuzz_target;
use std::io::{Seek, Write};
use usual_tide_fuzz::key;
use usual_tide_sources::files::{
    FileContent, FileFormat, ReadOptions, read_as, read_open_file, write_as,
};

fuzz_target!(|bytes: &[u8]| {
    let Some((choice, bytes)) = bytes.split_first() else {
        return;
    };
    let format = match choice % 4 {
        0 => Some(FileFormat::Json),
        1 => Some(FileFormat::Ndjson),
        2 => Some(FileFormat::Csv),
        _ => None,
    };
    let delimiter = [b',', b';', b'\t', b'|'][usize::from(choice / 4) % 4];
    let options = ReadOptions::default().format(format).delimiter(delimiter);
    let whole = read_as(bytes, &options, &key());

    let mut file = tempfile::tempfile_in("/dev/shm").expect("there is memory");
    file.write_all(bytes)
        .and_then(|()| file.rewind())
        .expect("there is memory");
    let pieces = read_open_file(file, &options, &key(), &mut |_, _| true);
    match (&whole, &pieces) {
        (Ok(one), Ok(other)) => assert_eq!(one, other),
        (Err(_), Err(_)) => {}
        _ => panic!("as a whole {whole:?}, in pieces {pieces:?}"),
    }
    if let Ok(content) = whole {
        let text = std::str::from_utf8(bytes).expect("it was read as text");
        written_and_read(
            &content,
            format.unwrap_or_else(|| FileFormat::of_text(text)),
            &options,
        );
    }
});

fn written_and_read(content: &FileContent, format: FileFormat, options: &ReadOptions) {
    let mut text = Vec::new();
    let members = content.items.iter().map(|item| item.members());
    if write_as(&mut text, format, &content.layout, members).is_err() {
        return;
    }
    let again = read_as(&*text, &options.format(format), &key());
    let shown = String::from_utf8_lossy(&text);
    let again = again.unwrap_or_else(|why| panic!("{shown}: {why}"));
    assert_eq!(again.items, content.items, "{shown}");
}
