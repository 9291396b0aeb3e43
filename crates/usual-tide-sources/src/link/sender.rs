//! How a source reports changes.

use super::command::{Change, Command};
use super::control::Control;
use super::panics::caught;
use super::sync::Sender;
use std::fmt;
use std::sync::Arc;
use std::time::Duration;
use usual_tide::Item;

/// Sends the changes that others made at the source to the link.
pub struct ChangeSender<T: Item> {
    commands: Commands<T>,
    control: Arc<Control>,
}

/// Where commands go.
enum Commands<T: Item> {
    ToLink(Sender<Command<T>>),
    /// To another sender, as changes of another type of item.
    Converted(Arc<dyn Fn(Command<T>) + Send + Sync>),
}

impl<T: Item> ChangeSender<T> {
    pub(super) fn new(commands: Sender<Command<T>>, control: Arc<Control>) -> Self {
        let commands = Commands::ToLink(commands);
        Self { commands, control }
    }

    /// A sender for a source that knows the items in another form; where changes cannot be converted, all items are loaded again.
    pub(crate) fn converted<U: Item>(
        self,
        convert: impl Fn(Vec<Change<U>>) -> Option<Vec<Change<T>>> + Send + Sync + 'static,
    ) -> ChangeSender<U> {
        let control = Arc::clone(&self.control);
        let send = move |command| match command {
            // It may be code of the app, which panics where all are loaded as well, and is told there.
            Command::Changed(changes, version) => match caught(|| convert(changes)) {
                Ok(Some(changes)) => self.changed(changes, version),
                Ok(None) | Err(_) => self.stale(),
            },
            _ => self.stale(),
        };
        let commands = Commands::Converted(Arc::new(send));
        ChangeSender { commands, control }
    }

    /// These changes were made, in this order. A source that numbers its versions, one after the other, says which
    /// they lead to: versions that were sent before are skipped, and after a missing one all items are loaded again.
    pub fn changed(&self, changes: Vec<Change<T>>, version: Option<u64>) {
        self.send(Command::Changed(changes, version));
    }

    /// Something changed, and the source does not know what: the link loads all items again.
    pub fn stale(&self) {
        self.send(Command::Stale);
    }

    /// Whether nobody listens any more.
    pub fn is_closed(&self) -> bool {
        self.control.is_closing()
    }

    /// Waits until nobody listens any more, at most this long, and says whether that is so. A thread that looks for
    /// changes waits with it between two looks, and so ends as soon as it is no longer needed.
    ///
    /// ```
    /// # use std::time::Duration;
    /// # use usual_tide::Item;
    /// # use usual_tide_sources::link::ChangeSender;
    /// fn look_again_and_again<T: Item>(changes: &ChangeSender<T>) {
    ///     while !changes.wait_until_closed(Duration::from_secs(4)) {
    ///         // Look whether there is something new; if so:
    ///         changes.stale();
    ///     }
    /// }
    /// ```
    pub fn wait_until_closed(&self, most: Duration) -> bool {
        self.control.wait_until_closing(most)
    }

    fn send(&self, command: Command<T>) {
        match &self.commands {
            Commands::ToLink(commands) => {
                if commands.send(command).is_err() {
                    tracing::debug!("news of a source whose link is closed");
                }
            }
            Commands::Converted(send) => send(command),
        }
    }
}

impl<T: Item> Clone for ChangeSender<T> {
    fn clone(&self) -> Self {
        Self {
            commands: match &self.commands {
                Commands::ToLink(commands) => Commands::ToLink(commands.clone()),
                Commands::Converted(send) => Commands::Converted(Arc::clone(send)),
            },
            control: Arc::clone(&self.control),
        }
    }
}

impl<T: Item> fmt::Debug for ChangeSender<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("ChangeSender").finish_non_exhaustive()
    }
}
