//! Items read one after the other, so that no more of a file than one of them is in memory beside the items.

use super::checked::Checked;
use super::error::ReadError;
use super::format::FileFormat;
use super::options::{FileContent, ReadOptions};

use serde::Deserialize;
use serde::de::{DeserializeSeed, SeqAccess, Visitor};
use serde_json::Value;
use serde_json::value::RawValue;
use std::borrow::Cow;
use std::fmt;
use std::fs::File;
use std::io::{self, BufRead, BufReader, Read, Seek};
use usual_tide::record::{FieldName, ParseError, Record, RecordMaker, parse_line};

/// The longest line of NDJSON, in bytes.
const LONGEST_LINE: u64 = 256 << 20;

/// Bytes that are read at once.
const CHUNK: usize = 256 << 10;

/// Hears how far a file is read: bytes, and of how many. When it says `false`, the reading ends.
pub type Progress<'a> = &'a mut dyn FnMut(u64, Option<u64>) -> bool;

/// What an open file holds, read as the options say. JSON and NDJSON are
/// read piece by piece; CSV, and what comes from a pipe or a device, is in memory as a whole meanwhile.
///
/// # Errors
///
/// [`ReadError`] with the line, column or element; [`ReadError::Stopped`] when `progress` said so.
pub fn read_open_file(
    mut file: File,
    options: &ReadOptions,
    key: &FieldName,
    progress: Progress<'_>,
) -> Result<FileContent, ReadError> {
    let about = file.metadata()?;
    let total = about.is_file().then_some(about.len());
    if !about.is_file() {
        return super::read_as(file, options, key);
    }
    let format = options.format;
    let looks = looks_of(&mut file)?;
    let named = format.unwrap_or(looks);
    let progress = ProgressReport { total, progress };
    let read = match (named, looks) {
        // An object that begins a JSON file may be the first line of NDJSON: only the whole text shows which.
        (FileFormat::Json, FileFormat::Ndjson) => return super::read_as(file, options, key),
        (FileFormat::Json, _) => json(file, key, options.most, progress).map(FileContent::of_json),
        (FileFormat::Ndjson, _) => {
            ndjson(file, key, options.most, progress).map(FileContent::of_json)
        }
        // What a column holds shows at its end, so that CSV is read as a whole.
        (FileFormat::Csv, _) => csv(file, options.delimiter, key, progress),
    };
    match (read, format) {
        (Err(why @ (ReadError::Stopped | ReadError::OtherKind { .. })), _) => Err(why),
        (Err(why), Some(named)) if named != looks && total != Some(0) => {
            let why = Box::new(why);
            Err(ReadError::OtherFormat { named, looks, why })
        }
        (read, _) => read,
    }
}

/// What a file's first text looks like.
pub(super) fn looks_of(file: &mut File) -> io::Result<FileFormat> {
    let mut head = Vec::new();
    file.by_ref().take(4096).read_to_end(&mut head)?;
    file.rewind()?;
    Ok(FileFormat::of_text(&String::from_utf8_lossy(&head)))
}

/// Reports how far the reading is.
struct ProgressReport<'a> {
    total: Option<u64>,
    progress: Progress<'a>,
}

impl ProgressReport<'_> {
    fn at(&mut self, offset: u64) -> Result<(), ReadError> {
        match (self.progress)(offset, self.total) {
            true => Ok(()),
            false => Err(ReadError::Stopped),
        }
    }
}

fn csv(
    file: File,
    delimiter: u8,
    key: &FieldName,
    mut progress: ProgressReport<'_>,
) -> Result<FileContent, ReadError> {
    let mut from = ReportingReader {
        from: Checked::new(file),
        progress: &mut progress,
        stopped: None,
    };
    let mut text = String::new();
    let read = BufReader::with_capacity(CHUNK, &mut from).read_to_string(&mut text);
    if let Err(why) = read {
        return Err(from.why().unwrap_or(why.into()));
    }
    let (items, layout) = super::csv::parse(&text, key, delimiter)?;
    Ok(FileContent { items, layout })
}

fn ndjson(
    file: File,
    key: &FieldName,
    most: Option<usize>,
    mut progress: ProgressReport<'_>,
) -> Result<Vec<Record>, ReadError> {
    let maker = RecordMaker::new(key);
    let mut from = BufReader::with_capacity(CHUNK, Checked::new(file));
    let mut records = Vec::new();
    let mut line = Vec::new();
    let mut said = 0;
    for number in 1.. {
        if most.is_some_and(|most| records.len() >= most) {
            break;
        }
        line.clear();
        let read = from
            .by_ref()
            .take(LONGEST_LINE + 1)
            .read_until(b'\n', &mut line);
        let read = read.map_err(|why| from.get_mut().take_wrong().unwrap_or(why.into()))?;
        if read == 0 {
            break;
        }
        if line.len() as u64 > LONGEST_LINE {
            let most = LONGEST_LINE;
            return Err(ReadError::LongLine { line: number, most });
        }
        // It was checked on its way.
        let text = match std::str::from_utf8(&line) {
            Ok(text) => Cow::Borrowed(text),
            Err(_) => String::from_utf8_lossy(&line),
        };
        let text = text.strip_suffix('\n').unwrap_or(&text);
        let text = text.strip_suffix('\r').unwrap_or(text);
        records.extend(parse_line(text, number, &maker)?);
        if from.get_ref().offset() != said {
            said = from.get_ref().offset();
            progress.at(said)?;
        }
    }
    Ok(records)
}

fn json(
    mut file: File,
    key: &FieldName,
    most: Option<usize>,
    mut progress: ProgressReport<'_>,
) -> Result<Vec<Record>, ReadError> {
    let elements = |by_values| Elements {
        maker: RecordMaker::new(key),
        records: Vec::new(),
        most,
        stopped: None,
        by_values,
    };
    match read_elements(file.try_clone()?, elements(false), &mut progress) {
        Err(why) if !matches!(why, ReadError::Stopped | ReadError::Io(_)) => {
            // Read once more as values, the text tells what is wrong.
            file.rewind()?;
            read_elements(file, elements(true), &mut progress)
        }
        read => read,
    }
}

fn read_elements(
    file: File,
    mut elements: Elements,
    progress: &mut ProgressReport<'_>,
) -> Result<Vec<Record>, ReadError> {
    let mut from = ReportingReader {
        from: Checked::json(file),
        progress,
        stopped: None,
    };
    let outcome = {
        let buffered = BufReader::with_capacity(CHUNK, &mut from);
        let mut parser = serde_json::Deserializer::from_reader(buffered);
        let read = (&mut elements).deserialize(&mut parser);
        read.and_then(|()| parser.end())
    };
    let Err(error) = outcome else {
        return Ok(elements.records);
    };
    if elements.has_enough() {
        return Ok(elements.records);
    }
    let why = elements.stopped.take().or(from.why());
    Err(why.unwrap_or_else(|| match error.io_error_kind() {
        Some(kind) => ReadError::Io(kind.into()),
        None => ParseError::of_json(&error, 0).into(),
    }))
}

/// Tells how far the reading is.
struct ReportingReader<'a, 'b> {
    from: Checked<File>,
    progress: &'a mut ProgressReport<'b>,
    stopped: Option<ReadError>,
}

impl ReportingReader<'_, '_> {
    /// Why the reading ended early, when it was not the file system's fault.
    fn why(&mut self) -> Option<ReadError> {
        self.from.take_wrong().or(self.stopped.take())
    }
}

impl Read for ReportingReader<'_, '_> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        let read = self.from.read(out)?;
        if let Err(stopped) = self.progress.at(self.from.offset()) {
            self.stopped = Some(stopped);
            return Err(io::ErrorKind::Other.into());
        }
        Ok(read)
    }
}

/// The elements of an array as records.
struct Elements {
    maker: RecordMaker,
    records: Vec<Record>,
    most: Option<usize>,
    stopped: Option<ReadError>,
    /// Whether each is read as a JSON value first.
    by_values: bool,
}

impl<'de> DeserializeSeed<'de> for &mut Elements {
    type Value = ();

    fn deserialize<D: serde::Deserializer<'de>>(self, from: D) -> Result<(), D::Error> {
        from.deserialize_any(self)
    }
}

impl Elements {
    fn has_enough(&self) -> bool {
        self.most.is_some_and(|most| self.records.len() >= most)
    }

    fn stop<E: serde::de::Error>(&mut self, why: ParseError) -> E {
        self.stopped = Some(why.into());
        E::custom("stopped")
    }

    fn add<E: serde::de::Error>(&mut self, value: Value) -> Result<(), E> {
        let place = || format!("element {} (counted from 0)", self.records.len());
        match self.maker.record_of(value, place) {
            Ok(record) => {
                self.records.push(record);
                Ok(())
            }
            Err(why) => Err(self.stop(why)),
        }
    }

    fn add_text<E: serde::de::Error>(&mut self, text: &str) -> Result<(), E> {
        match parse_line(text, self.records.len() + 1, &self.maker) {
            Ok(record) => {
                self.records.extend(record);
                Ok(())
            }
            Err(why) => Err(self.stop(why)),
        }
    }

    fn not_an_array<E: serde::de::Error>(&mut self, found: &'static str) -> Result<(), E> {
        Err(self.stop(ParseError::NotAnArray { found }))
    }
}

impl<'de> Visitor<'de> for &mut Elements {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an array of objects")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut elements: A) -> Result<(), A::Error> {
        while !self.by_values && !self.has_enough() {
            match elements.next_element::<Box<RawValue>>()? {
                Some(text) => self.add_text(text.get())?,
                None => return Ok(()),
            }
        }
        while !self.has_enough() {
            match elements.next_element::<Value>()? {
                Some(value) => self.add(value)?,
                None => break,
            }
        }
        Ok(())
    }

    fn visit_map<A: serde::de::MapAccess<'de>>(self, map: A) -> Result<(), A::Error> {
        // With exact numbers, the parser hands these on as maps too.
        let value = Value::deserialize(serde::de::value::MapAccessDeserializer::new(map))?;
        self.not_an_array(match value {
            Value::Number(_) => "a number",
            _ => "an object",
        })
    }

    fn visit_bool<E: serde::de::Error>(self, _: bool) -> Result<(), E> {
        self.not_an_array("a boolean")
    }

    fn visit_str<E: serde::de::Error>(self, _: &str) -> Result<(), E> {
        self.not_an_array("a string")
    }

    fn visit_unit<E: serde::de::Error>(self) -> Result<(), E> {
        self.not_an_array("null")
    }
}
