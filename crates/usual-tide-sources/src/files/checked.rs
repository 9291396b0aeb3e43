//! Bytes that are known to be UTF-8, and how far the reading is.

use super::error::ReadError;
use super::other_kind::OtherKind;
use std::io::{self, Read};
use usual_tide::record::refuse_reserved;

/// Hands bytes on as long as they are UTF-8 text, without the byte order mark that some programs put before it.
pub(super) struct Checked<R> {
    from: R,
    /// Bytes of a character whose end is not read yet.
    begun: Vec<u8>,
    offset: u64,
    line: usize,
    column: usize,
    started: bool,
    wrong: Option<ReadError>,
    /// What was read last, where the text is JSON: a name may come in two pieces.
    last: Option<Vec<u8>>,
}

/// Bytes of a name that must not be in JSON, written with an escape for each letter.
const LONGEST_NAME: usize = 6 * 40;

impl<R: Read> Checked<R> {
    pub(super) fn new(from: R) -> Self {
        Self {
            from,
            begun: Vec::new(),
            offset: 0,
            line: 1,
            column: 1,
            started: false,
            wrong: None,
            last: None,
        }
    }

    /// The same for text that is JSON.
    pub(super) fn json(from: R) -> Self {
        Self {
            last: Some(Vec::new()),
            ..Self::new(from)
        }
    }

    fn refuse_reserved(&mut self, bytes: &[u8]) -> io::Result<()> {
        let Some(last) = &mut self.last else {
            return Ok(());
        };
        last.extend_from_slice(bytes);
        let refused = refuse_reserved(last);
        last.drain(..last.len().saturating_sub(LONGEST_NAME));
        refused.map_err(|why| {
            self.wrong = Some(why.into());
            io::Error::new(io::ErrorKind::InvalidData, "a reserved name")
        })
    }

    /// Bytes read so far.
    pub(super) fn offset(&self) -> u64 {
        self.offset
    }

    /// Where the text ends to be UTF-8, when it did.
    pub(super) fn take_wrong(&mut self) -> Option<ReadError> {
        self.wrong.take()
    }

    fn check(&mut self, bytes: &[u8], at_end: bool) -> io::Result<()> {
        let mut rest = bytes;
        while !self.begun.is_empty() && !rest.is_empty() {
            self.begun.push(rest[0]);
            rest = &rest[1..];
            match std::str::from_utf8(&self.begun) {
                Ok(_) => {
                    let whole = std::mem::take(&mut self.begun);
                    self.pass(&whole);
                }
                Err(error) if error.error_len().is_some() => return Err(self.refuse()),
                Err(_) => {}
            }
        }
        match std::str::from_utf8(rest) {
            Ok(_) => self.pass(rest),
            Err(error) => {
                let (good, bad) = rest.split_at(error.valid_up_to());
                self.pass(good);
                if error.error_len().is_some() {
                    return Err(self.refuse());
                }
                self.begun.extend_from_slice(bad);
            }
        }
        match at_end && !self.begun.is_empty() {
            true => Err(self.refuse()),
            false => Ok(()),
        }
    }

    fn refuse_other_kind(&mut self, start: &[u8]) -> io::Result<()> {
        let Some(kind) = OtherKind::of(start) else {
            return Ok(());
        };
        self.wrong = Some(ReadError::OtherKind { kind });
        Err(io::Error::new(io::ErrorKind::InvalidData, "not UTF-8 text"))
    }

    fn pass(&mut self, text: &[u8]) {
        self.offset += text.len() as u64;
        let lines = memchr::memchr_iter(b'\n', text).count();
        self.line += lines;
        self.column = match memchr::memrchr(b'\n', text) {
            Some(at) => text.len() - at,
            None => self.column + text.len(),
        };
    }

    fn refuse(&mut self) -> io::Error {
        self.wrong = Some(ReadError::NotText {
            offset: usize::try_from(self.offset).unwrap_or(usize::MAX),
            line: self.line,
            column: self.column,
        });
        io::Error::new(io::ErrorKind::InvalidData, "not UTF-8 text")
    }
}

impl<R: Read> Read for Checked<R> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        if out.is_empty() {
            return Ok(0);
        }
        crate::faults::before("read")?;
        let mut read = self.from.read(out)?;
        if !self.started {
            self.refuse_other_kind(&out[..read])?;
        }
        self.check(&out[..read], read == 0)?;
        self.refuse_reserved(&out[..read])?;
        if !std::mem::replace(&mut self.started, true) {
            // The mark may come in parts; it is rare enough to read it to its end.
            while read < 3 && "\u{feff}".as_bytes().starts_with(&out[..read]) && out.len() >= 3 {
                let more = self.from.read(&mut out[read..3])?;
                if more == 0 {
                    break;
                }
                self.check(&out[read..read + more], false)?;
                read += more;
            }
            if out[..read].starts_with("\u{feff}".as_bytes()) {
                out.copy_within(3..read, 0);
                read -= 3;
                if read == 0 {
                    return self.read(out);
                }
            }
        }
        Ok(read)
    }
}
