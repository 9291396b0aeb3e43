//! A file as a source.

use super::ReadError;
use super::apply::{apply, apply_as_csv};
use super::csv::CsvLayout;
use super::format::FileFormat;
use super::former::FormerVersions;
use super::lock::{Access, is_in_use, open_locked};
use super::options::{FileContent, ReadOptions};
use super::replace::{Prepared, behind_links, clean_up, exchange, prepare, put_back};
use super::stamp::{ReadState, Stamp, ends_line};
use super::stream::{looks_of, read_open_file};
use super::watch::{Known, SharedKnown, watch};
use super::write::{WriteError, write_as};
use crate::link::{Answer, ChangeSender, Loaded, Loading, Source, SourceError};
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::thread::sleep;
use std::time::{Duration, Instant};
use usual_tide::Store;
use usual_tide::record::{FieldName, Record};
use usual_tide::writes::Write;

/// A JSON, NDJSON or CSV file as a source.
///
/// Several writes are one new content of the file, which replaces the old as a whole. What other programs write is
/// noticed: writes go on top of it, field by field, and one that changes a field which they have changed too
/// is refused.
///
/// ```
/// use std::time::Duration;
/// use usual_tide::record::FieldName;
/// use usual_tide::{SharedStore, Store};
/// use usual_tide_sources::files::FileSource;
/// use usual_tide_sources::link::Link;
///
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let folder = tempfile::tempdir()?;
/// # let path = folder.path().join("pieces.ndjson");
/// std::fs::write(&path, "{\"id\": 1, \"shelf\": 1.50}\n{\"id\": 2, \"shelf\": 2}\n")?;
/// let source = FileSource::new(&path, &FieldName::parse("id")?);
/// let store = SharedStore::new(Store::new());
/// let link = Link::start(store.clone(), source)?;
/// link.wait_until_ready(Duration::from_secs(5))?;
/// store.edit(|store| store.remove(&2.into()))??;
/// link.flush(Duration::from_secs(5))?;
/// assert_eq!(std::fs::read_to_string(&path)?, "{\"id\":1,\"shelf\":1.50}\n");
/// # Ok(()) }
/// ```
///
/// ```
/// use std::time::Duration;
/// use usual_tide::record::FieldName;
/// use usual_tide_sources::files::FileSource;
///
/// let source = FileSource::new("pieces.csv", &FieldName::parse("id")?)
///     .separated_by(b';')
///     .poll_every(Duration::from_secs(1))
///     .write_up_to(64 << 20);
/// # let _ = source;
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct FileSource {
    path: PathBuf,
    options: ReadOptions,
    key: FieldName,
    poll: Duration,
    most_bytes: u64,
    news: Option<ChangeSender<Record>>,
    /// The file that this was read from, or written to.
    known: SharedKnown,
    /// How the file was when it was read or written last.
    last: Option<Last>,
    /// A state of the file in which another program seems to be writing it, and since when it is in it.
    unsettled: Option<(Stamp, Instant)>,
    former: FormerVersions,
}

/// How a file was.
#[derive(Clone, Debug)]
struct Last {
    stamp: Stamp,
    ends_line: bool,
}

/// How long another program may wait for a lock that it holds.
const LOCK_PATIENCE: Duration = Duration::from_secs(5);

/// A file that got shorter, or whose last line has no end, is taken as it is when nobody has written to it for this
/// long: until then it may be half of one.
const SETTLED_AFTER: Duration = Duration::from_secs(2);

/// The same where the last line has no end.
const COMPLETE_AFTER: Duration = Duration::from_secs(10);

/// How often a writing starts again because another program was faster or has the file open.
const MOST_TRIES: usize = 50;

/// How long a program that has the file open is left alone before the next try.
const PAUSE: Duration = Duration::from_millis(20);

/// Why a writing starts again.
enum Again {
    /// Another program has changed the file meanwhile.
    Changed,
    /// Another program has it open, and this is in the way.
    InUse(io::Error),
}

impl FileSource {
    /// The file at a path, whose items have their key in the field of this name. Its format is that of its
    /// name, or else the one that its content looks like.
    pub fn new(path: impl Into<PathBuf>, key: &FieldName) -> Self {
        let path = path.into();
        let former = FormerVersions::new(path.clone(), key.clone());
        Self {
            options: ReadOptions::of_path(&path),
            path,
            key: key.clone(),
            poll: Duration::from_millis(250),
            most_bytes: 16 << 20,
            news: None,
            known: SharedKnown::default(),
            last: None,
            unsettled: None,
            former,
        }
    }

    /// Looks for changes by other programs this often; four times a second unless said otherwise.
    #[must_use]
    pub fn poll_every(mut self, poll: Duration) -> Self {
        self.poll = poll;
        self
    }

    /// The character between the values of a CSV file; a comma unless said otherwise, and a tab in a `.tsv` file.
    #[must_use]
    pub fn separated_by(mut self, delimiter: u8) -> Self {
        self.options.delimiter = delimiter;
        self
    }

    /// Refuses writes where the file has more bytes than this; 16 MiB unless said otherwise. Each write makes the
    /// whole file, so that a large one is better kept in a database.
    #[must_use]
    pub fn write_up_to(mut self, bytes: u64) -> Self {
        self.most_bytes = bytes;
        self
    }

    fn name(&self) -> String {
        self.path.display().to_string()
    }

    fn unreachable(&self, why: io::Error) -> SourceError {
        SourceError::unreachable(self.name(), why)
    }

    /// What an open file holds; from now on that is known.
    fn read(
        &mut self,
        mut file: File,
        loading: Option<&mut Loading<'_>>,
    ) -> Result<FileContent, SourceError> {
        // Before the content, so that a change after it is noticed.
        let about = file.metadata().map_err(|why| self.unreachable(why))?;
        let stamp = Stamp::from(&about);
        let ends_line = ends_line(&mut file).map_err(|why| self.unreachable(why))?;
        if self.options.format.is_none() {
            // It is written as it was found.
            self.options.format = looks_of(&mut file).ok();
        }
        // JSON ends with its last bracket.
        let ends_line = ends_line || self.options.format == Some(FileFormat::Json);
        self.refuse_unsettled(&stamp, ends_line)?;
        let mut loading = loading;
        let mut progress = |done, total| match &mut loading {
            Some(loading) => loading.progress(done, total).is_ok(),
            None => true,
        };
        // From the beginning on, so that this version is not taken for another while it is read.
        self.known.set(Known::State(stamp.clone()));
        let content = read_open_file(file, &self.options, &self.key, &mut progress);
        let content = content.map_err(|why| {
            self.known.set(Known::Nothing);
            match why {
                ReadError::Stopped => SourceError::Closing,
                ReadError::Io(why) => self.unreachable(why),
                why => SourceError::unusable(self.name(), why),
            }
        })?;
        self.last = Some(Last { stamp, ends_line });
        Ok(content)
    }

    /// Another program may be in the midst of writing a file that is shorter than before, or whose last line has
    /// no end.
    fn refuse_unsettled(&mut self, stamp: &Stamp, ends_line: bool) -> Result<(), SourceError> {
        let Some(last) = &self.last else {
            return Ok(());
        };
        // Another file is a whole one: it was put in the place of the former.
        let in_place = last.stamp.file == stamp.file && last.stamp != *stamp;
        let odd = stamp.bytes < last.stamp.bytes || (last.ends_line && !ends_line);
        if !in_place || !odd {
            self.unsettled = None;
            return Ok(());
        }
        let since = match &self.unsettled {
            Some((seen, since)) if seen == stamp => *since,
            _ => Instant::now(),
        };
        let settled = if ends_line {
            SETTLED_AFTER
        } else {
            COMPLETE_AFTER
        };
        if since.elapsed() >= settled {
            self.unsettled = None;
            return Ok(());
        }
        self.unsettled = Some((stamp.clone(), since));
        let why = match ends_line {
            true => "another program seems to be writing the file: it is shorter than before",
            false => "another program seems to be writing the file: its last line has no end",
        };
        Err(SourceError::unreachable(self.name(), why))
    }

    fn load_all(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<Record>, SourceError> {
        if self.last.is_none() {
            clean_up(&self.path);
        }
        let file = open_locked(&self.path, Access::Read, LOCK_PATIENCE);
        let file = file.map_err(|why| self.unreachable(why))?;
        let content = self.read(file, Some(loading))?;
        Ok(Loaded::all(content.items))
    }

    /// One attempt to carry out writes.
    fn attempt(
        &mut self,
        writes: &[Arc<Write<Record>>],
    ) -> Result<Result<Vec<Answer<Record>>, Again>, SourceError> {
        let path = behind_links(&self.path).map_err(|why| self.unreachable(why))?;
        let file = open_locked(&path, Access::Replace, LOCK_PATIENCE);
        let mut file = file.map_err(|why| self.unreachable(why))?;
        let seen = ReadState::of(&mut file).map_err(|why| self.unreachable(why))?;
        if seen.stamp.bytes > self.most_bytes {
            let refused = Answer::refused(format!(
                "the file has {} bytes, and each write makes it anew: up to {} bytes are written; \
                 keep the items in a SQLite database",
                seen.stamp.bytes, self.most_bytes
            ));
            return Ok(Ok(vec![refused; writes.len()]));
        }
        let about = file.metadata().map_err(|why| self.unreachable(why))?;
        if about.permissions().readonly() {
            let refused = Answer::refused("the permissions of the file forbid writing to it");
            return Ok(Ok(vec![refused; writes.len()]));
        }
        let again = file.try_clone().map_err(|why| self.unreachable(why))?;
        let before = self.known.lock().clone();
        let FileContent { items, mut layout } = self.read(again, None)?;
        // Not a state of the file that was looked at earlier: another program may have been quick.
        let was_known = before == *self.known.lock();
        let items = Store::load(items);
        let mut items = items.map_err(|why| SourceError::unusable(self.name(), why))?;
        let columns = layout.names().len();
        let is_csv = self.options.format == Some(FileFormat::Csv);
        let done: Vec<(Answer<Record>, bool)> = writes
            .iter()
            .map(|write| match is_csv {
                true => apply_as_csv(&mut items, write, &mut layout),
                false => apply(&mut items, write),
            })
            .collect();
        if done.iter().any(|(_, changed)| *changed)
            && let Err(again) = self.replace(&path, file, seen, &items, &layout)?
        {
            return Ok(Err(again));
        }
        // The link is to have what others wrote, too, and a new column of the other items.
        let others_changed = !was_known || layout.names().len() > columns;
        if let Some(news) = self.news.as_ref().filter(|_| others_changed) {
            news.stale();
        }
        Ok(Ok(done.into_iter().map(|(answer, _)| answer).collect()))
    }

    /// Puts items in the place of what was seen.
    fn replace(
        &mut self,
        path: &Path,
        mut file: File,
        seen: ReadState,
        items: &Store<Record>,
        layout: &CsvLayout,
    ) -> Result<Result<(), Again>, SourceError> {
        let failed = |why: WriteError| SourceError::unreachable(path.display().to_string(), why);
        let format = self.options.format.unwrap_or(FileFormat::Json);
        let about = file.metadata().map_err(|why| self.unreachable(why))?;
        let members = items.items().map(|item| item.members());
        self.known.set(Known::Pending);
        let new = prepare(path, Some(&about), |out| {
            write_as(out, format, layout, members)
        });
        let new = match new.map_err(failed)? {
            Prepared::Ready(new) => new.into_temp_path(),
            Prepared::OtherOwner(_) => {
                let why = "the file belongs to another user, and would not if it were replaced";
                return Err(SourceError::unusable(self.name(), why));
            }
        };
        let ours = File::open(&new).and_then(|mut new| ReadState::of(&mut new));
        let ours = ours.map_err(|why| self.unreachable(why))?;
        let is_there = |file: &mut File| -> io::Result<bool> {
            Ok(Stamp::of(path)? == seen.stamp && ReadState::of(file)? == seen)
        };
        if !is_there(&mut file).map_err(|why| self.unreachable(why))? {
            return Ok(Err(Again::Changed));
        }
        let mut held = Some(file);
        // On Windows a file that is open cannot be replaced.
        let release = || held = held.take().filter(|_| !cfg!(windows));
        let former = match exchange(new, path, release) {
            Ok(former) => former,
            Err((why, _)) if is_in_use(&why) => return Ok(Err(Again::InUse(why))),
            Err((why, _)) => return Err(self.unreachable(why)),
        };
        if let Some(former) = former {
            // What lay there at that very moment must be what was seen.
            let as_seen = Stamp::of(&former).is_ok_and(|now| now == seen.stamp);
            if !as_seen {
                let back = put_back(former, &ours.stamp, path);
                if let Some(back) = back.map_err(|why| self.unreachable(why))? {
                    self.former.add(File::open(&back), ours, self.options);
                }
                return Ok(Err(Again::Changed));
            }
            let file = held.map_or_else(|| File::open(&former), Ok);
            self.former.add(file, seen, self.options);
        }
        let ReadState { stamp, .. } = ours;
        self.known.set(Known::State(stamp.clone()));
        let ends_line = true;
        self.last = Some(Last { stamp, ends_line });
        Ok(Ok(()))
    }
}

impl Source<Record> for FileSource {
    fn load(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<Record>, SourceError> {
        let loaded = self.load_all(loading);
        self.known.end_pending();
        loaded
    }

    fn write(&mut self, write: &Write<Record>) -> Result<Answer<Record>, SourceError> {
        let mut answers = Vec::with_capacity(1);
        self.write_many(&[Arc::new(write.clone())], &mut answers)?;
        let none = || SourceError::unusable(self.name(), "there is no answer");
        answers.pop().ok_or_else(none)
    }

    fn write_many(
        &mut self,
        writes: &[Arc<Write<Record>>],
        answers: &mut Vec<Answer<Record>>,
    ) -> Result<(), SourceError> {
        // It is read again for each writing, so that nothing but the app's store holds the items meanwhile.
        let mut in_use = None;
        for _ in 0..MOST_TRIES {
            self.former.look();
            let attempt = self.attempt(writes);
            self.known.end_pending();
            in_use = match attempt? {
                Ok(done) => {
                    answers.extend(done);
                    return Ok(());
                }
                Err(Again::Changed) => None,
                Err(Again::InUse(why)) => Some(why),
            };
            match &in_use {
                Some(why) => {
                    tracing::debug!(file = %self.name(), %why, "another program has it open");
                    sleep(PAUSE);
                }
                None => tracing::debug!(file = %self.name(), "another program was faster"),
            }
        }
        let why = match in_use {
            Some(why) => {
                let told = format!("another program seems to have the file open: {why}");
                io::Error::new(why.kind(), told)
            }
            None => io::Error::other("other programs change the file all the time"),
        };
        Err(self.unreachable(why))
    }

    fn watch(&mut self, news: ChangeSender<Record>) {
        self.news = Some(news.clone());
        let (path, known, poll) = (self.path.clone(), self.known.clone(), self.poll);
        let former = self.former.clone();
        let watching = std::thread::Builder::new()
            .name("usual-tide-file".to_owned())
            .spawn(move || watch(&path, &known, &former, poll, &news));
        if let Err(error) = watching {
            tracing::error!(%error, "changes by other programs will not be noticed");
        }
    }
}

impl Drop for FileSource {
    fn drop(&mut self) {
        self.former.look_at_last();
    }
}

impl std::fmt::Debug for FileSource {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("FileSource")
            .field("path", &self.path)
            .finish_non_exhaustive()
    }
}
