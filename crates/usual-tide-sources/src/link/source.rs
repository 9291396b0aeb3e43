//! What a place that items are loaded from and written to must be able to do.

use super::control::Control;
use super::error::SourceError;
use super::sender::ChangeSender;
use std::sync::Arc;
use usual_tide::Item;
use usual_tide::writes::Write;

/// A place that items are loaded from and written to. See the [module](super) for one in 30 lines.
///
/// A link calls it from its own thread, one call at a time.
///
/// ```
/// use std::sync::Arc;
/// use usual_tide::Item;
/// use usual_tide::writes::Write;
/// use usual_tide_sources::link::{Answer, ChangeSender, Loaded, Loading, Source, SourceError};
///
/// # #[derive(Clone, PartialEq, Debug, Item)]
/// # struct Piece { #[item(key)] id: u32, title: String }
/// /// A server that takes many writes in one request.
/// struct Studio { pieces: Vec<Piece>, is_up: bool, changes: Option<ChangeSender<Piece>> }
///
/// impl Source<Piece> for Studio {
///     fn load(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<Piece>, SourceError> {
///         if !self.is_up {
///             // The link shows this, waits, and tries again.
///             return Err(SourceError::unreachable("the studio's server", "no answer"));
///         }
///         if self.pieces.iter().any(|piece| piece.title.is_empty()) {
///             return Err(SourceError::unusable("the studio's pieces", "one has no title"));
///         }
///         loading.progress(1, Some(1));
///         Ok(Loaded::all(self.pieces.clone()))
///     }
///
///     fn write(&mut self, write: &Write<Piece>) -> Result<Answer<Piece>, SourceError> {
///         self.pieces.retain(|piece| piece.id != write.key);
///         self.pieces.extend(write.after.as_deref().cloned());
///         Ok(Answer::Saved)
///     }
///
///     fn write_many(
///         &mut self,
///         writes: &[Arc<Write<Piece>>],
///         answers: &mut Vec<Answer<Piece>>,
///     ) -> Result<(), SourceError> {
///         for write in writes {
///             answers.push(self.write(write)?);
///         }
///         Ok(())
///     }
///
///     fn watch(&mut self, changes: ChangeSender<Piece>) {
///         // Whoever learns that somebody changed the pieces calls `stale` on this, until nobody listens any more.
///         if !changes.is_closed() {
///             changes.stale();
///         }
///         self.changes = Some(changes);
///     }
/// }
/// # use std::time::Duration;
/// # use usual_tide::{SharedStore, Store};
/// # use usual_tide_sources::link::{Link, LinkOptions};
/// # let store = SharedStore::new(Store::new());
/// let studio = Studio { pieces: vec![Piece { id: 1, title: "Bowl".into() }], is_up: true, changes: None };
/// let link = Link::start_with(store.clone(), studio, LinkOptions::default())?;
/// link.wait_until_ready(Duration::from_secs(5))?;
/// assert!(link.state().is_ready());
/// // Pull to refresh.
/// link.refresh();
/// # link.close(Duration::from_secs(5));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub trait Source<T: Item>: Send + 'static {
    /// All items, or the first page of them.
    ///
    /// # Errors
    ///
    /// [`SourceError`]; the link tries again.
    fn load(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<T>, SourceError>;

    /// Does what a write asks, or refuses. A write whose answer was lost comes again, so it should know one that
    /// it has done already: by its key, or by [`Write::ticket`].
    ///
    /// # Errors
    ///
    /// [`SourceError`] when there is no answer; the link tries again.
    fn write(&mut self, write: &Write<T>) -> Result<Answer<T>, SourceError>;

    /// Does what several writes ask, in their order. `answers` gets one for each; where it ends early, the rest
    /// comes again. For sources that do many at once faster than one by one.
    ///
    /// # Errors
    ///
    /// [`SourceError`] when the next one has no answer.
    fn write_many(
        &mut self,
        writes: &[Arc<Write<T>>],
        answers: &mut Vec<Answer<T>>,
    ) -> Result<(), SourceError> {
        for write in writes {
            answers.push(self.write(write)?);
        }
        Ok(())
    }

    /// The page after those that were loaded. Asked when the app asks for more.
    ///
    /// # Errors
    ///
    /// [`SourceError`].
    fn load_more(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<T>, SourceError> {
        let _ = loading;
        Ok(Loaded::all(Vec::new()))
    }

    /// Starts to report what others change, until the link is closed. Called once, before the first load; what
    /// takes time belongs on a thread of its own.
    fn watch(&mut self, news: ChangeSender<T>) {
        let _ = news;
    }
}

impl<T: Item, S: Source<T> + ?Sized> Source<T> for Box<S> {
    fn load(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<T>, SourceError> {
        (**self).load(loading)
    }

    fn write(&mut self, write: &Write<T>) -> Result<Answer<T>, SourceError> {
        (**self).write(write)
    }

    fn write_many(
        &mut self,
        writes: &[Arc<Write<T>>],
        answers: &mut Vec<Answer<T>>,
    ) -> Result<(), SourceError> {
        (**self).write_many(writes, answers)
    }

    fn load_more(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<T>, SourceError> {
        (**self).load_more(loading)
    }

    fn watch(&mut self, news: ChangeSender<T>) {
        (**self).watch(news);
    }
}

/// What was loaded.
#[derive(Clone, PartialEq, Debug)]
pub struct Loaded<T> {
    /// The items, in source order.
    pub items: Vec<T>,
    /// The number of the source's version that these are, where it numbers them.
    pub version: Option<u64>,
    /// Whether there are more after them.
    pub more: bool,
}

impl<T> Loaded<T> {
    /// All items of a source that numbers no versions.
    pub fn all(items: Vec<T>) -> Self {
        Self {
            items,
            version: None,
            more: false,
        }
    }
}

/// A source's answer to a write.
#[derive(Clone, PartialEq, Debug)]
#[non_exhaustive]
pub enum Answer<T> {
    /// Done as it was asked.
    Saved,
    /// Done, and the item is this one now. Only one that was added may have another key.
    SavedAs(T),
    /// Done in this version. The source reports it through its [`ChangeSender`] or has it when it is loaded, and the
    /// write is confirmed then.
    SavedIn(u64),
    /// Not done.
    Refused {
        /// Why not.
        reason: String,
        /// What the source has instead, where it says so: an item, or none.
        current: Option<Option<T>>,
    },
}

impl<T> Answer<T> {
    /// A refusal that says no more than why.
    pub fn refused(reason: impl Into<String>) -> Self {
        Self::Refused {
            reason: reason.into(),
            current: None,
        }
    }
}

/// A load in progress, which reports how far it is.
pub struct Loading<'a> {
    control: &'a Control,
}

impl<'a> Loading<'a> {
    pub(super) fn new(control: &'a Control) -> Self {
        Self { control }
    }

    /// So many of so many units are done: bytes or items, whatever the source counts.
    ///
    /// # Errors
    ///
    /// [`SourceError::Closing`] when nobody waits for the load any more.
    pub fn progress(&mut self, done: u64, total: Option<u64>) -> Result<(), SourceError> {
        if self.control.is_closing() {
            return Err(SourceError::Closing);
        }
        self.control.loading(done, total);
        Ok(())
    }
}

impl std::fmt::Debug for Loading<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Loading").finish_non_exhaustive()
    }
}
