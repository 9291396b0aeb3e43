//! The lines of an event stream (HTML standard, "Server-sent events").

use std::io::{self, BufRead, Read};

/// The longest event, in bytes.
const LONGEST: u64 = 64 << 20;

/// One event.
#[derive(Clone, PartialEq, Eq, Default, Debug)]
pub(super) struct Event {
    pub(super) name: String,
    pub(super) data: String,
    pub(super) id: Option<String>,
}

/// Reads the next event; nothing at the end of the stream. Comments are passed over.
pub(super) fn next_event(from: &mut impl BufRead) -> io::Result<Option<Event>> {
    let mut event = Event::default();
    let mut has_data = false;
    let mut line = Vec::new();
    let mut bytes = 0;
    loop {
        line.clear();
        let read = from.by_ref().take(LONGEST).read_until(b'\n', &mut line)?;
        bytes += read as u64;
        if read == 0 {
            // An event that was cut off does not count.
            return Ok(None);
        }
        if bytes >= LONGEST {
            let why = format!("an event of more than {LONGEST} bytes");
            return Err(io::Error::new(io::ErrorKind::InvalidData, why));
        }
        if line.last() != Some(&b'\n') {
            return Ok(None);
        }
        let text = std::str::from_utf8(&line)
            .map_err(|why| io::Error::new(io::ErrorKind::InvalidData, why))?;
        let text = text.trim_end_matches(['\n', '\r']);
        if text.is_empty() {
            if event.data.is_empty() && event.name.is_empty() {
                event = Event::default();
                (has_data, bytes) = (false, 0);
                continue;
            }
            return Ok(Some(event));
        }
        let (field, value) = text.split_once(':').unwrap_or((text, ""));
        let value = value.strip_prefix(' ').unwrap_or(value);
        match field {
            "event" => value.clone_into(&mut event.name),
            "data" => {
                if has_data {
                    event.data.push('\n');
                }
                has_data = true;
                event.data.push_str(value);
            }
            "id" => event.id = Some(value.to_owned()),
            _ => {}
        }
    }
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]

    use super::*;

    #[test]
    fn events_are_read_whole_or_not_at_all() {
        let text = ": hello\n\nevent: put\r\nid: a-1\r\ndata: {\ndata:}\n\nretry: 5\n\ndata\ndata: b\n\ndata: cut off\n";
        let mut from = text.as_bytes();
        let event = next_event(&mut from).unwrap().unwrap();
        assert_eq!((&*event.name, &*event.data), ("put", "{\n}"));
        assert_eq!(event.id.as_deref(), Some("a-1"));
        assert_eq!(next_event(&mut from).unwrap().unwrap().data, "\nb");
        assert_eq!(next_event(&mut from).unwrap(), None);
        assert!(next_event(&mut &b"data: \xff\n\n"[..]).is_err());
    }
}
