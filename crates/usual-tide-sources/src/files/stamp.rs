//! States of a file, to be compared.

use crate::faults;
use std::fs::{File, Metadata};
use std::hash::{DefaultHasher, Hasher};
use std::io::{self, Read, Seek, SeekFrom};
use std::path::Path;
use std::time::SystemTime;

/// One state of a file, as the file system reports it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) struct Stamp {
    pub(super) bytes: u64,
    pub(super) file: u64,
    modified: Option<SystemTime>,
}

impl Stamp {
    pub(super) fn of(path: &Path) -> io::Result<Self> {
        faults::before("metadata")?;
        Ok(Self::from(&std::fs::metadata(path)?))
    }
}

impl From<&Metadata> for Stamp {
    fn from(about: &Metadata) -> Self {
        Self {
            bytes: about.len(),
            file: file_number(about),
            modified: about.modified().ok(),
        }
    }
}

#[cfg(unix)]
fn file_number(about: &Metadata) -> u64 {
    std::os::unix::fs::MetadataExt::ino(about)
}

#[cfg(not(unix))]
fn file_number(_: &Metadata) -> u64 {
    0
}

/// One state of a file, with a hash of its content.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) struct ReadState {
    pub(super) stamp: Stamp,
    hash: u64,
    /// Whether its last byte ends a line.
    pub(super) ends_line: bool,
}

impl ReadState {
    /// Reads an open file from its start to its end, and leaves it at its start.
    pub(super) fn of(file: &mut File) -> io::Result<Self> {
        Self::of_first(file, u64::MAX)
    }

    /// The same, as if nothing were after the first so many bytes.
    pub(super) fn of_first(file: &mut File, bytes: u64) -> io::Result<Self> {
        let mut hasher = DefaultHasher::new();
        let mut chunk = vec![0; 256 << 10];
        let mut last = b'\n';
        file.rewind()?;
        let mut from = file.by_ref().take(bytes);
        loop {
            faults::before("read")?;
            let read = from.read(&mut chunk)?;
            let Some(end) = chunk[..read].last() else {
                break;
            };
            last = *end;
            hasher.write(&chunk[..read]);
        }
        file.rewind()?;
        Ok(Self {
            stamp: Stamp::from(&file.metadata()?),
            hash: hasher.finish(),
            ends_line: last == b'\n',
        })
    }

    /// Whether the content is the same, whatever the file system says about it.
    pub(super) fn has_content_of(&self, other: &Self) -> bool {
        self.hash == other.hash
    }
}

/// Whether the last byte of a file ends a line; so does an empty file.
pub(super) fn ends_line(file: &mut File) -> io::Result<bool> {
    faults::before("metadata")?;
    if file.metadata()?.len() == 0 {
        return Ok(true);
    }
    let mut last = [0];
    file.seek(SeekFrom::End(-1))?;
    file.read_exact(&mut last)?;
    file.rewind()?;
    Ok(last == *b"\n")
}
