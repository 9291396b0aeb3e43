//! A source without a store: for programs that hand it on.

use super::command::Command;
use super::control::Control;
use super::error::SourceError;
use super::sender::ChangeSender;
use super::source::{Answer, Loaded, Loading, Source};
use super::sync::{Receiver, channel};
use std::fmt;
use std::sync::Arc;
use usual_tide::Item;
use usual_tide::writes::Write;

/// A source that is asked directly, by a server, say, that hands it on to others.
///
/// ```
/// use usual_tide::record::FieldName;
/// use usual_tide_sources::files::FileSource;
/// use usual_tide_sources::link::DirectSource;
/// # let folder = tempfile::tempdir()?;
/// # let path = folder.path().join("pieces.json");
/// # std::fs::write(&path, r#"[{"id": 1}, {"id": 2}]"#)?;
///
/// let mut source = DirectSource::new(FileSource::new(&path, &FieldName::parse("id")?));
/// let loaded = source.load()?;
/// assert_eq!(loaded.items.len(), 2);
/// if source.has_changed() {
///     source.load()?;
/// }
/// let answers = source.write_many(&[])?;
/// assert!(answers.is_empty());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct DirectSource<T: Item> {
    source: Box<dyn Source<T>>,
    control: Arc<Control>,
    commands: Receiver<Command<T>>,
}

impl<T: Item> DirectSource<T> {
    /// Begins to use a source.
    pub fn new(mut source: impl Source<T>) -> Self {
        let control = Arc::new(Control::default());
        let (sender, commands) = channel();
        source.watch(ChangeSender::new(sender, Arc::clone(&control)));
        Self {
            source: Box::new(source),
            control,
            commands,
        }
    }

    /// All items, or the first page of them.
    ///
    /// # Errors
    ///
    /// Those of the source.
    pub fn load(&mut self) -> Result<Loaded<T>, SourceError> {
        self.source.load(&mut Loading::new(&self.control))
    }

    /// The page after those that were loaded.
    ///
    /// # Errors
    ///
    /// Those of the source.
    pub fn load_more(&mut self) -> Result<Loaded<T>, SourceError> {
        self.source.load_more(&mut Loading::new(&self.control))
    }

    /// Does what a write asks, or refuses.
    ///
    /// # Errors
    ///
    /// Those of the source.
    pub fn write(&mut self, write: &Write<T>) -> Result<Answer<T>, SourceError> {
        self.source.write(write)
    }

    /// Does what several writes ask, in their order, and gives an answer for each.
    ///
    /// # Errors
    ///
    /// Those of the source; what was done before stays done.
    pub fn write_many(&mut self, writes: &[Arc<Write<T>>]) -> Result<Vec<Answer<T>>, SourceError> {
        let mut answers = Vec::with_capacity(writes.len());
        self.source.write_many(writes, &mut answers)?;
        Ok(answers)
    }

    /// Whether the source has reported changes since the last call, so that it should be loaded again.
    pub fn has_changed(&self) -> bool {
        self.commands.try_iter().count() > 0
    }
}

impl<T: Item> Drop for DirectSource<T> {
    fn drop(&mut self) {
        self.control.close();
    }
}

impl<T: Item> fmt::Debug for DirectSource<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("DirectSource").finish_non_exhaustive()
    }
}
