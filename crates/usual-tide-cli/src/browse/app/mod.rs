//! What the full-screen list does when a key is pressed, the mouse is used, or the store has news: all of it but the
//! drawing, and without a terminal.

pub(crate) mod edit;
pub(crate) mod keys;
pub(crate) mod list;
mod mouse;
pub(crate) mod prompt;
mod rows;
mod typing;

use super::columns::Columns;
use super::messages::{News, Request, StoreNews, Which};
use super::timing::Timing;
use crate::error::CommandError;
use crate::input::QueryContext;
use crate::output::counted;
use crossterm::event::{Event, KeyEvent, KeyEventKind};
use edit::{Choosing, Editing};
use list::ListView;
use mouse::Mouse;
pub(crate) use mouse::{Areas, ListArea};
use prompt::Prompt;
use std::sync::Arc;
use usual_tide::Draft;
use usual_tide::record::Record;

/// What has the keyboard.
pub(crate) enum Mode {
    Rows,
    /// A text at the foot of the screen.
    Prompt(Prompt),
    /// A row that is edited where it stands.
    Edit(Box<Editing>),
    /// The fields in which a draft and others collide.
    Conflict(Box<Choosing>),
    /// Whether to delete these rows; the question stands in the row under the cursor.
    AskDelete(Which),
    /// Where a new row is to go.
    AskPlace,
    /// Whether to add the item of a draft again whose row was removed meanwhile.
    AskAgain(Box<Draft<Record>>),
    /// Whether to leave without saving.
    AskLeave,
    /// All fields of the row under the cursor.
    Detail {
        top: usize,
    },
    Help {
        top: usize,
    },
    /// What the view was told, alone on the screen.
    Told,
}

/// Something to say at the foot of the screen.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Message {
    pub(crate) text: String,
    pub(crate) is_problem: bool,
}

/// The screen's state.
pub(crate) struct App {
    /// What the items are called: the name of their source.
    pub(crate) title: String,
    pub(crate) lists: Vec<ListView>,
    /// The list that has the keyboard.
    pub(crate) focus: usize,
    pub(crate) columns: Arc<Columns>,
    pub(crate) context: Option<Arc<QueryContext>>,
    pub(crate) store: StoreNews,
    pub(crate) mode: Mode,
    pub(crate) message: Option<Message>,
    pub(crate) shows_told: bool,
    /// Whether keys wait until the store is done with what was asked before.
    pub(crate) keys_wait: bool,
    /// How long keys waited for their answer, where that is to be told.
    pub(crate) timing: Option<Timing>,
    /// Where what is on the screen, as it was drawn last.
    pub(crate) areas: Areas,
    mouse: Mouse,
    requests: Vec<Request>,
    /// Text for the terminal's clipboard.
    copied: Option<String>,
    /// How it ended.
    ended: Option<Result<(), CommandError>>,
}

impl App {
    pub(crate) fn new(title: String, shows_timing: bool) -> Self {
        Self {
            title,
            lists: Vec::new(),
            focus: 0,
            columns: Arc::default(),
            context: None,
            store: StoreNews::default(),
            mode: Mode::Rows,
            message: None,
            shows_told: true,
            keys_wait: false,
            timing: shows_timing.then(Timing::default),
            areas: Areas::default(),
            mouse: Mouse::default(),
            requests: Vec::new(),
            copied: None,
            ended: None,
        }
    }

    /// What is asked of the store since the last call.
    pub(crate) fn take_requests(&mut self) -> Vec<Request> {
        std::mem::take(&mut self.requests)
    }

    /// What is to be put into the terminal's clipboard.
    pub(crate) fn take_copied(&mut self) -> Option<String> {
        self.copied.take()
    }

    /// How it ended, once it has.
    pub(crate) fn take_end(&mut self) -> Option<Result<(), CommandError>> {
        self.ended.take()
    }

    pub(crate) fn list(&self) -> Option<&ListView> {
        self.lists.get(self.focus)
    }

    fn list_mut(&mut self) -> Option<&mut ListView> {
        self.lists.get_mut(self.focus)
    }

    fn ask(&mut self, request: Request) {
        self.requests.push(request);
    }

    pub(crate) fn say(&mut self, text: impl Into<String>) {
        self.message = Some(Message {
            text: text.into(),
            is_problem: false,
        });
    }

    pub(crate) fn complain(&mut self, text: impl Into<String>) {
        self.message = Some(Message {
            text: text.into(),
            is_problem: true,
        });
    }

    /// Chooses what of each list is in sight, so many lines of it.
    pub(crate) fn look(&mut self, list: usize, height: usize) {
        let request = self.lists.get_mut(list).and_then(|list| list.look(height));
        self.requests.extend(request);
    }

    /// Whether a key or the mouse does something to rows, and not only looks at them.
    pub(crate) fn acts_on_rows(&self, event: &Event) -> bool {
        match (&self.mode, event) {
            (Mode::Rows, Event::Key(key)) => {
                keys::action(key).is_some_and(keys::Action::acts_on_rows)
            }
            (Mode::Rows, Event::Mouse(mouse)) => mouse.kind.is_down(),
            _ => false,
        }
    }

    /// A key, the mouse, pasted text.
    pub(crate) fn on_event(&mut self, event: &Event) {
        match event {
            Event::Key(key) if key.kind != KeyEventKind::Release => {
                self.message = None;
                self.on_key(key, event);
            }
            Event::Paste(text) => self.paste(text),
            Event::Mouse(mouse) => self.on_mouse(*mouse),
            _ => {}
        }
    }

    fn on_key(&mut self, key: &KeyEvent, event: &Event) {
        match self.mode {
            Mode::Rows => {
                if let Some(action) = keys::action(key) {
                    self.act(action);
                }
            }
            Mode::Prompt(_) => self.type_text(key, event),
            Mode::Edit(_) => self.type_field(key, event),
            Mode::Conflict(_) => self.choose(key),
            Mode::AskDelete(_) | Mode::AskPlace | Mode::AskAgain(_) | Mode::AskLeave => {
                self.answer(key)
            }
            Mode::Detail { .. } | Mode::Help { .. } | Mode::Told => self.leaf(key),
        }
    }

    /// What the store has to say.
    pub(crate) fn on_news(&mut self, news: News) {
        match news {
            News::List(news) => {
                let known = self.lists.iter_mut().find(|list| list.number == news.list);
                match known {
                    Some(list) => {
                        let before = list.receive(*news);
                        self.ask(Request::Drop(before));
                    }
                    None => {
                        // The first has the keyboard until another is asked for.
                        if !self.lists.is_empty() && self.context.is_some() && self.has_asked() {
                            self.focus = self.lists.len();
                        }
                        self.lists.push(ListView::new(*news));
                    }
                }
            }
            News::Closed(number) => {
                self.lists.retain(|list| list.number != number);
                self.focus = self.focus.min(self.lists.len().saturating_sub(1));
            }
            News::Store(news) => self.store = news,
            News::Fields { columns, context } => {
                self.columns = columns;
                self.context = Some(context);
            }
            News::Draft { list, draft, field } => {
                let editing = Editing::new(list, draft, field, &self.columns);
                self.mode = Mode::Edit(Box::new(editing));
            }
            News::Hidden => {
                self.say("kept; it does not match the search or the filter, and is not shown");
            }
            News::Invalid { draft, why, field } => self.receive_invalid(draft, why, field),
            News::Conflict { draft, conflict } => {
                self.mode = Mode::Conflict(Box::new(Choosing::new(draft, conflict)));
            }
            News::Removed { draft } => self.mode = Mode::AskAgain(draft),
            News::Copied { text, rows } => {
                self.copied = Some(text);
                self.say(format!("{} copied", counted(rows, "row", "rows")));
            }
            News::Said(text) => self.say(text),
            News::Refused(why) => {
                self.complain(why);
            }
            News::Done(_) => {}
            News::Failed(why) => self.ended = Some(Err(why)),
        }
    }

    /// Whether another list was asked for by a key, and not by the options.
    fn has_asked(&self) -> bool {
        self.areas.was_drawn()
    }

    fn receive_invalid(&mut self, draft: Box<Draft<Record>>, why: String, field: Option<String>) {
        let list = self.list().map_or(0, |list| list.number);
        let mut at = None;
        if let Some(field) = field {
            at = self
                .columns
                .0
                .iter()
                .position(|column| column.title == field);
        }
        let mut editing = Editing::new(list, draft, at, &self.columns);
        editing.problem = Some(why);
        self.mode = Mode::Edit(Box::new(editing));
    }

    /// Ends it, since the system asks for that.
    pub(crate) fn stop(&mut self) {
        self.ended = Some(Ok(()));
    }

    /// Leaves, unless something would be lost.
    fn leave(&mut self) {
        match self.store.held && self.store.waiting > 0 {
            true => self.mode = Mode::AskLeave,
            false => self.ended = Some(Ok(())),
        }
    }
}
