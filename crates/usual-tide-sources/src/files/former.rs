//! Versions of a file that were replaced, to which another program may still write.

use super::ReadError;
use super::format::FileFormat;
use super::lock::{Access, open_locked};
use super::options::{FileContent, ReadOptions};
use super::read::read_as;
use super::replace::{behind_links, keep_beside};
use super::stamp::{ReadState, Stamp};
use crate::faults;
use std::collections::VecDeque;
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use usual_tide::record::{FieldName, RecordKey};
use usual_tide::{EditError, Store};

/// How long such a version is looked at: a program that opens a file writes to it soon.
const LOOKED_AT_FOR: Duration = Duration::from_secs(2);

/// How many of them are looked at; each is an open file.
const MOST: usize = 32;

/// How many bytes they may have together: the disk has them until they are closed.
const MOST_BYTES: u64 = 64 << 20;

/// How long another program may hold a lock on the file.
const LOCK_PATIENCE: Duration = Duration::from_secs(5);

/// The versions of a file that were replaced a short time ago. Lines that another program appends to one of them are
/// appended to the file; whatever else it writes there is kept beside the file.
#[derive(Clone, Debug)]
pub(super) struct FormerVersions {
    path: PathBuf,
    key: FieldName,
    versions: Arc<Mutex<VecDeque<Version>>>,
}

#[derive(Debug)]
struct Version {
    file: File,
    /// How it was when it was replaced, or when its lines were appended last.
    seen: ReadState,
    options: ReadOptions,
    since: Instant,
}

/// Why lines were not appended to the file.
#[derive(Debug, thiserror::Error)]
enum NotAppended {
    #[error("the file could not be read with it: {0}")]
    NotReadable(#[from] ReadError),
    #[error("the file could not be loaded with it: {0}")]
    NotLoadable(#[from] EditError<RecordKey>),
    #[error("it is not of whole lines at the end of that version")]
    NoLines,
    #[error("the file has other columns now")]
    OtherColumns,
    #[error("{0}")]
    Io(#[from] io::Error),
}

impl FormerVersions {
    pub(super) fn new(path: PathBuf, key: FieldName) -> Self {
        let versions = Arc::default();
        Self {
            path,
            key,
            versions,
        }
    }

    /// From now on this version is looked at.
    pub(super) fn add(&self, opened: io::Result<File>, seen: ReadState, options: ReadOptions) {
        let file = match opened {
            Ok(file) => file,
            Err(why) => {
                tracing::warn!(%why, "a version of the file that was replaced is not looked at");
                return;
            }
        };
        // Who waits for its lock finds that it is not the file any more.
        let _ = file.unlock();
        let since = Instant::now();
        let version = Version {
            file,
            seen,
            options,
            since,
        };
        let mut versions = self.versions.lock().unwrap_or_else(PoisonError::into_inner);
        versions.push_back(version);
    }

    /// Looks at each version, and gives up those that were looked at for long enough.
    pub(super) fn look(&self) {
        self.look_while(|version, after, bytes_after| {
            version.since.elapsed() < LOOKED_AT_FOR
                && after < MOST
                && version.seen.stamp.bytes + bytes_after <= MOST_BYTES
        });
    }

    /// Looks at each version for the last time.
    pub(super) fn look_at_last(&self) {
        self.look_while(|_, _, _| false);
    }

    /// `stays` hears of each version, and how many, and of how many bytes, are newer.
    fn look_while(&self, stays: impl Fn(&Version, usize, u64) -> bool) {
        let mut versions = self.versions.lock().unwrap_or_else(PoisonError::into_inner);
        let mut bytes: u64 = versions
            .iter()
            .map(|version| version.seen.stamp.bytes)
            .sum();
        for after in (0..versions.len()).rev() {
            let Some(mut version) = versions.pop_front() else {
                return;
            };
            bytes -= version.seen.stamp.bytes;
            let stays = stays(&version, after, bytes);
            if self.settle(&mut version, stays) {
                versions.push_back(version);
            }
        }
    }

    /// Whether the version is to be looked at again.
    fn settle(&self, version: &mut Version, stays: bool) -> bool {
        let why = match self.append_lines(version) {
            Ok(()) => return stays,
            // A program may be in the midst of a line.
            Err(_) if stays => return true,
            Err(why) => why,
        };
        match self.keep(&mut version.file) {
            Ok(kept) => tracing::error!(
                file = %self.path.display(),
                kept = %kept.display(),
                %why,
                "another program wrote to a version of the file that was replaced; it is kept beside the file"
            ),
            Err(error) => tracing::error!(
                file = %self.path.display(),
                %error,
                %why,
                "another program wrote to a version of the file that was replaced, and that could not be kept"
            ),
        }
        false
    }

    /// Appends to the file what was appended to a version of it.
    fn append_lines(&self, version: &mut Version) -> Result<(), NotAppended> {
        if Stamp::from(&version.file.metadata()?) == version.seen.stamp {
            return Ok(());
        }
        let now = ReadState::of(&mut version.file)?;
        if now.has_content_of(&version.seen) {
            version.seen = now;
            return Ok(());
        }
        let before = version.seen.stamp.bytes;
        if !ReadState::of_first(&mut version.file, before)?.has_content_of(&version.seen) {
            return Err(NotAppended::NoLines);
        }
        let mut lines = Vec::new();
        version.file.seek(SeekFrom::Start(before))?;
        // What comes in this moment is for the next look.
        let appended = now.stamp.bytes.saturating_sub(before);
        (&version.file).take(appended).read_to_end(&mut lines)?;
        let whole = lines.ends_with(b"\n") && version.seen.ends_line;
        let format = version.options.format;
        if !whole || !matches!(format, Some(FileFormat::Ndjson | FileFormat::Csv)) {
            return Err(NotAppended::NoLines);
        }
        self.append(version, &lines)?;
        version.seen = now;
        tracing::debug!(file = %self.path.display(), bytes = lines.len(), "lines of another program are appended");
        Ok(())
    }

    fn append(&self, version: &mut Version, lines: &[u8]) -> Result<(), NotAppended> {
        let path = behind_links(&self.path)?;
        let mut file = open_locked(&path, Access::Append, LOCK_PATIENCE)?;
        let mut text = Vec::new();
        file.read_to_end(&mut text)?;
        let bytes = text.len() as u64;
        if !text.is_empty() && !text.ends_with(b"\n") {
            return Err(NotAppended::NoLines);
        }
        text.extend_from_slice(lines);
        version.file.rewind()?;
        let columns = self.read(&version.file, &version.options)?.layout;
        let FileContent { items, layout } = self.read(text.as_slice(), &version.options)?;
        if layout.names() != columns.names() {
            return Err(NotAppended::OtherColumns);
        }
        // An item that is there already would keep all from being loaded.
        Store::load(items)?;
        let appended = faults::before("append").and_then(|()| file.write_all(lines));
        if let Err(why) = appended.and_then(|()| file.sync_data()) {
            file.set_len(bytes)?;
            return Err(why.into());
        }
        // A program that takes no lock may have put its own version there.
        match Stamp::of(&path)?.file == Stamp::from(&file.metadata()?).file {
            true => Ok(()),
            false => Err(io::Error::other("another program replaced the file meanwhile").into()),
        }
    }

    fn read(&self, from: impl Read, options: &ReadOptions) -> Result<FileContent, ReadError> {
        read_as(from, options, &self.key)
    }

    fn keep(&self, file: &mut File) -> io::Result<PathBuf> {
        faults::before("keep")?;
        let permissions = file.metadata()?.permissions();
        file.rewind()?;
        let (mut to, path) = keep_beside(&behind_links(&self.path)?, |path| {
            File::options().write(true).create_new(true).open(path)
        })?;
        io::copy(file, &mut to)?;
        to.set_permissions(permissions)?;
        to.sync_all()?;
        Ok(path)
    }
}
