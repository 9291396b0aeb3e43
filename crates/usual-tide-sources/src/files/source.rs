//! A file as a source.

use super::format::FileFormat;
use super::save::replace_file;
use super::stream::{looks_of, read_open_file};
use super::{ReadError, write};
use crate::link::{Answer, Loaded, Loading, News, Source, SourceError};
use crate::merge::{Deed, deed, saved};
use std::fs::{File, Metadata};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, SystemTime};
use usual_tide::record::{FieldName, Record, RecordKey};
use usual_tide::{EditError, Neighbours, Place, Store, Write};

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
pub struct FileSource {
    path: PathBuf,
    format: Option<FileFormat>,
    key: FieldName,
    poll: Duration,
    news: Option<News<Record>>,
    /// The file that this was read from, or written to.
    known: Known,
}

/// Which state of the file the source knows.
#[derive(Clone, Default)]
struct Known(Arc<Mutex<Option<Stamp>>>);

/// What tells one state of a file from another.
#[derive(Clone, PartialEq)]
struct Stamp {
    modified: Option<SystemTime>,
    bytes: u64,
    file: u64,
}

impl Stamp {
    fn of(path: &Path) -> io::Result<Self> {
        let about = std::fs::metadata(path)?;
        Ok(Self {
            modified: about.modified().ok(),
            bytes: about.len(),
            file: file_number(&about),
        })
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

impl Known {
    fn lock(&self) -> MutexGuard<'_, Option<Stamp>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn set(&self, stamp: Option<Stamp>) {
        *self.lock() = stamp;
    }

    fn is(&self, stamp: &Stamp) -> bool {
        self.lock().as_ref() == Some(stamp)
    }
}

impl FileSource {
    /// The file at a path, whose items have their key in the field of this name. Its format is what its name
    /// tells, else what it looks like.
    pub fn new(path: impl Into<PathBuf>, key: &FieldName) -> Self {
        let path = path.into();
        Self {
            format: FileFormat::of_path(&path),
            path,
            key: key.clone(),
            poll: Duration::from_millis(250),
            news: None,
            known: Known::default(),
        }
    }

    /// Looks for changes by other programs this often; four times a second unless said otherwise.
    #[must_use]
    pub fn poll_every(mut self, poll: Duration) -> Self {
        self.poll = poll;
        self
    }

    fn name(&self) -> String {
        self.path.display().to_string()
    }

    /// What the file holds; from now on that is known.
    fn read(&mut self, loading: Option<&mut Loading<'_>>) -> Result<Vec<Record>, SourceError> {
        // Before the content, so that a change after it is noticed.
        let stamp =
            Stamp::of(&self.path).map_err(|why| SourceError::unreachable(self.name(), why))?;
        let file = File::open(&self.path);
        let mut file = file.map_err(|why| SourceError::unreachable(self.name(), why))?;
        if self.format.is_none() {
            // It is written as it was found.
            self.format = looks_of(&mut file).ok();
        }
        let mut loading = loading;
        let mut progress = |done, total| match &mut loading {
            Some(loading) => loading.progress(done, total).is_ok(),
            None => true,
        };
        let items = read_open_file(file, self.format, &self.key, &mut progress);
        let items = items.map_err(|why| match why {
            ReadError::Stopped => SourceError::Closing,
            ReadError::Io(why) => SourceError::unreachable(self.name(), why),
            why => SourceError::unusable(self.name(), why),
        })?;
        self.known.set(Some(stamp));
        Ok(items)
    }

    fn is_known(&self) -> bool {
        Stamp::of(&self.path).is_ok_and(|stamp| self.known.is(&stamp))
    }

    fn save(&mut self, items: &Store<Record>) -> Result<(), SourceError> {
        let format = self.format.unwrap_or(FileFormat::Json);
        let members = items.items().map(|item| item.members());
        let saved = replace_file(&self.path, |out| match format {
            // Without a row nothing else would say what the file is.
            FileFormat::Csv if items.is_empty() => writeln!(out, "{}", self.key),
            _ => write(out, format, members),
        });
        // When it failed, nobody knows what is in the file.
        let stamp = saved
            .as_ref()
            .ok()
            .and_then(|()| Stamp::of(&self.path).ok());
        self.known.set(stamp);
        saved.map_err(|why| SourceError::unreachable(self.name(), why))
    }
}

/// Does what a write asks in a store of what the source has; `true` when something changed.
pub(crate) fn carry_out(
    items: &mut Store<Record>,
    write: &Write<Record>,
) -> (Answer<Record>, bool) {
    let place = |items: &Store<Record>| place_in(items, write.place.as_ref()?);
    let done: Result<(Answer<Record>, bool), EditError<_>> = (|| {
        let now = items.get(&write.key).cloned();
        Ok(match deed(write, now.as_deref()) {
            Deed::None(answer) => (answer, false),
            Deed::Add => {
                let place = place(items).unwrap_or(Place::End);
                let item = write.after.as_deref().cloned();
                items.add_many(item, place)?;
                (Answer::Saved, true)
            }
            Deed::Replace(item, differ) => {
                let answer = saved(write, &item);
                let place = place(items);
                items.replace(*item)?;
                let moved = match place {
                    Some(place) => items.move_to(&write.key, place)?,
                    None => false,
                };
                (answer, moved || !differ.is_empty())
            }
            Deed::Remove => {
                items.remove(&write.key)?;
                (Answer::Saved, true)
            }
        })
    })();
    done.unwrap_or_else(|why| (Answer::refused(why.to_string()), false))
}

/// Behind the item above, or else before the one below; nothing when neither is there.
fn place_in(store: &Store<Record>, place: &Neighbours<RecordKey>) -> Option<Place<RecordKey>> {
    match (&place.after, &place.before) {
        (None, _) => Some(Place::Start),
        (Some(key), _) if store.contains(key) => Some(Place::After(key.clone())),
        (_, None) => Some(Place::End),
        (_, Some(key)) => store.contains(key).then(|| Place::Before(key.clone())),
    }
}

impl Source<Record> for FileSource {
    fn load(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<Record>, SourceError> {
        Ok(Loaded::all(self.read(Some(loading))?))
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
        let was_known = self.is_known();
        // It is read again for each writing, so that nothing but the app's store holds the items meanwhile.
        let items = Store::load(self.read(None)?);
        let mut items = items.map_err(|why| SourceError::unusable(self.name(), why))?;
        // The link is to have what others wrote, too.
        if let Some(news) = self.news.as_ref().filter(|_| !was_known) {
            news.stale();
        }
        let done: Vec<(Answer<Record>, bool)> = writes
            .iter()
            .map(|write| carry_out(&mut items, write))
            .collect();
        if done.iter().any(|(_, changed)| *changed) {
            self.save(&items)?;
        }
        answers.extend(done.into_iter().map(|(answer, _)| answer));
        Ok(())
    }

    fn watch(&mut self, news: News<Record>) {
        self.news = Some(news.clone());
        let (path, known, poll) = (self.path.clone(), self.known.clone(), self.poll);
        let watching = std::thread::Builder::new()
            .name("usual-tide-file".to_owned())
            .spawn(move || watch(&path, &known, poll, &news));
        if let Err(error) = watching {
            tracing::error!(%error, "changes by other programs will not be noticed");
        }
    }
}

fn watch(path: &Path, known: &Known, poll: Duration, news: &News<Record>) {
    let mut told = None;
    while !news.is_closed() {
        std::thread::sleep(poll);
        let stamp = Stamp::of(path).ok();
        let is_known = stamp.as_ref().is_none_or(|stamp| known.is(stamp));
        if !is_known && told != stamp {
            news.stale();
            told = stamp;
        }
    }
}

impl std::fmt::Debug for FileSource {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("FileSource")
            .field("path", &self.path)
            .finish_non_exhaustive()
    }
}
