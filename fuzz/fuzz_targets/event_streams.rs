//! Streams of events as a server sends them: the events are those that the HTML standard says.

#![no_main]

use libfuzzer_sys::fuzz_target;
use usual_tide::record::RecordMaker;
use usual_tide_fuzz::key;
use usual_tide_sources::http::read_stream;

fuzz_target!(|bytes: &[u8]| {
    let maker = RecordMaker::new(&key());
    let Ok(events) = read_stream(bytes, &maker) else {
        return;
    };
    // A stream without line ends of other kinds is read as the standard says.
    let Ok(text) = std::str::from_utf8(bytes) else {
        return;
    };
    if text.contains('\r') || text.contains('\0') || text.starts_with('\u{feff}') {
        return;
    }
    let read: Vec<(String, String)> = events
        .into_iter()
        .filter(|(_, data, ..)| !data.is_empty())
        .map(|(name, data, ..)| (name, data))
        .collect();
    assert_eq!(read, by_the_standard(text));
});

/// The names and the data of the events (HTML standard, 9.2.6).
fn by_the_standard(text: &str) -> Vec<(String, String)> {
    let mut events = Vec::new();
    let (mut name, mut data) = (String::new(), String::new());
    let whole = text.rsplit_once('\n').map_or("", |(whole, _)| whole);
    for line in whole.split('\n') {
        if line.is_empty() {
            if let Some(data) = data.strip_suffix('\n').filter(|data| !data.is_empty()) {
                events.push((name.clone(), data.to_owned()));
            }
            name.clear();
            data.clear();
            continue;
        }
        let (field, value) = line.split_once(':').unwrap_or((line, ""));
        let value = value.strip_prefix(' ').unwrap_or(value);
        match field {
            "event" => name = value.to_owned(),
            "data" => data.extend([value, "\n"]),
            _ => {}
        }
    }
    events
}
