//! What keys do while something is typed, asked or told.

use super::edit::Editing;
use super::prompt::PromptKind;
use super::{App, Mode};
use crate::browse::messages::{NewPlace, Request};
use crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use std::path::PathBuf;
use tui_input::backend::crossterm::to_input_request;
use tui_input::{Input, InputRequest};
use usual_tide::Item;
use usual_tide::drafts::Prefer;

/// Edits a text by a key. `true` when the text is another.
fn edit(input: &mut Input, event: &Event) -> bool {
    let request = to_input_request(event);
    let changed = request.and_then(|request| input.handle(request));
    changed.is_some_and(|changed| changed.value)
}

impl App {
    pub(super) fn type_text(&mut self, key: &KeyEvent, event: &Event) {
        let Mode::Prompt(prompt) = &mut self.mode else {
            return;
        };
        match key.code {
            KeyCode::Esc => {
                let (kind, before) = (prompt.kind, prompt.before.clone());
                let is_other = prompt.input.value() != before;
                self.mode = Mode::Rows;
                if kind == PromptKind::Search && is_other {
                    self.change_query(kind.texts(&before));
                }
            }
            KeyCode::Enter => self.take_text(),
            // The rows can be looked through while one searches.
            KeyCode::Up => self.go_by(-1),
            KeyCode::Down => self.go_by(1),
            _ => {
                if edit(&mut prompt.input, event) {
                    self.text_changed();
                }
            }
        }
    }

    fn text_changed(&mut self) {
        let context = self.context.clone();
        let Mode::Prompt(prompt) = &mut self.mode else {
            return;
        };
        prompt.check(context.as_deref());
        if prompt.kind == PromptKind::Search {
            let texts = prompt.kind.texts(prompt.input.value());
            self.change_query(texts);
        }
    }

    fn take_text(&mut self) {
        let context = self.context.clone();
        let Mode::Prompt(prompt) = &mut self.mode else {
            return;
        };
        prompt.check(context.as_deref());
        if prompt.problem.is_some() {
            return;
        }
        let (kind, text) = (prompt.kind, prompt.input.value().to_owned());
        self.mode = Mode::Rows;
        match kind {
            PromptKind::Search => {}
            PromptKind::Trace => {
                let path = PathBuf::from(text.trim());
                match (text.trim().is_empty(), self.list().map(|list| list.number)) {
                    (false, Some(list)) => self.ask(Request::Trace { list, path }),
                    _ => self.complain("a trace needs the name of a file"),
                }
            }
            PromptKind::AnotherList => match text.trim() {
                "" => {
                    let texts = self.list().map(|list| list.status.texts.clone());
                    self.ask(Request::AddList {
                        texts: texts.unwrap_or_default(),
                    });
                }
                text => match crate::script::query(text) {
                    Ok(texts) => self.ask(Request::AddList { texts }),
                    Err(why) => self.complain(why.to_string()),
                },
            },
            _ => self.change_query(kind.texts(&text)),
        }
    }

    pub(super) fn type_field(&mut self, key: &KeyEvent, event: &Event) {
        let columns = self.columns.clone();
        let Mode::Edit(editing) = &mut self.mode else {
            return;
        };
        match key.code {
            KeyCode::Esc => self.end_edit(),
            KeyCode::Enter => {
                if editing.take_typed(&columns) {
                    self.commit();
                }
            }
            KeyCode::Tab => editing.next(1, &columns),
            KeyCode::BackTab => editing.next(-1, &columns),
            KeyCode::Char(' ') if editing.turn_flag(&columns) => {}
            _ => {
                if edit(&mut editing.input, event) {
                    editing.problem = None;
                }
            }
        }
        self.show_edited_column();
    }

    /// Keeps the column that is typed into in sight.
    fn show_edited_column(&mut self) {
        let Mode::Edit(editing) = &self.mode else {
            return;
        };
        let (number, field) = (editing.list, editing.field);
        if let Some(list) = self.lists.iter_mut().find(|list| list.number == number) {
            list.column = field;
        }
    }

    fn end_edit(&mut self) {
        if let Mode::Edit(editing) = std::mem::replace(&mut self.mode, Mode::Rows) {
            self.ask(Request::Discard {
                draft: editing.draft,
            });
        }
    }

    fn commit(&mut self) {
        if let Mode::Edit(editing) = std::mem::replace(&mut self.mode, Mode::Rows) {
            self.ask(Request::Commit {
                draft: editing.draft,
            });
        }
    }

    pub(super) fn choose(&mut self, key: &KeyEvent) {
        let Mode::Conflict(choosing) = &mut self.mode else {
            return;
        };
        match key.code {
            KeyCode::Up => choosing.go_by(-1),
            KeyCode::Down => choosing.go_by(1),
            KeyCode::Left | KeyCode::Right | KeyCode::Char(' ') | KeyCode::Tab => choosing.turn(),
            KeyCode::Char('m') => choosing.choose_all(Prefer::Mine),
            KeyCode::Char('t') => choosing.choose_all(Prefer::Theirs),
            KeyCode::Enter => {
                if let Mode::Conflict(choosing) = std::mem::replace(&mut self.mode, Mode::Rows) {
                    let draft = choosing.settled();
                    self.ask(Request::Commit { draft });
                }
            }
            KeyCode::Esc => {
                if let Mode::Conflict(choosing) = std::mem::replace(&mut self.mode, Mode::Rows) {
                    self.ask(Request::Discard {
                        draft: choosing.draft,
                    });
                }
            }
            _ => {}
        }
    }

    /// An answer to a question; any other key than those that it names is no.
    pub(super) fn answer(&mut self, key: &KeyEvent) {
        let yes = matches!(key.code, KeyCode::Char('y' | 'Y'));
        match (std::mem::replace(&mut self.mode, Mode::Rows), key.code) {
            (Mode::AskDelete(which), _) if yes => {
                if let Some(list) = self.list().map(|list| list.number) {
                    self.ask(Request::Remove { list, which });
                }
            }
            (Mode::AskDelete(_), _) => self.say("nothing was deleted"),
            (Mode::AskPlace, code) => self.add_at(code),
            (Mode::AskAgain(draft), _) if yes => self.ask(Request::AddAgain { draft }),
            (Mode::AskAgain(draft), _) => {
                self.ask(Request::Discard { draft });
                self.say("the edit was dropped");
            }
            (Mode::AskLeave, KeyCode::Char('w')) => self.ask(Request::Save),
            (Mode::AskLeave, _) if yes => self.ended = Some(Ok(())),
            (mode, _) => drop(mode),
        }
    }

    fn add_at(&mut self, code: KeyCode) {
        let place = match code {
            KeyCode::Char('a') | KeyCode::Enter | KeyCode::Insert => {
                let row = self.list().and_then(|list| list.row());
                match (row, self.list()) {
                    (Some(row), _) => NewPlace::After(Some(row.key().clone())),
                    (None, Some(list)) => {
                        // On a heading it is after the first row below.
                        let below = list.lines.row(list.cursor + 1);
                        NewPlace::After(below.map(|row| row.key().clone()))
                    }
                    _ => NewPlace::End,
                }
            }
            KeyCode::Char('s') | KeyCode::Home => NewPlace::Start,
            KeyCode::Char('e') | KeyCode::End => NewPlace::End,
            _ => return,
        };
        if let Some(list) = self.list().map(|list| list.number) {
            self.ask(Request::BeginNew { list, place });
        }
    }

    /// Keys of the pages that are only looked at.
    pub(super) fn leaf(&mut self, key: &KeyEvent) {
        let page = self.areas.page.max(2) - 1;
        let by: isize = match key.code {
            KeyCode::Up => -1,
            KeyCode::Down => 1,
            KeyCode::PageUp => -isize::try_from(page).unwrap_or(isize::MAX),
            KeyCode::PageDown | KeyCode::Char(' ') => isize::try_from(page).unwrap_or(isize::MAX),
            KeyCode::Home => isize::MIN,
            KeyCode::End => isize::MAX,
            KeyCode::Char('c') if key.modifiers == KeyModifiers::CONTROL => {
                self.leave();
                return;
            }
            KeyCode::Char(letter @ ('p' | 'n' | 'T')) if matches!(self.mode, Mode::Told) => {
                self.mode = Mode::Rows;
                self.on_event(&Event::Key(KeyEvent::from(KeyCode::Char(letter))));
                if matches!(self.mode, Mode::Rows) {
                    self.mode = Mode::Told;
                }
                return;
            }
            _ => {
                self.mode = Mode::Rows;
                return;
            }
        };
        self.scroll(by);
    }

    fn scroll(&mut self, by: isize) {
        match &mut self.mode {
            Mode::Help { top } | Mode::Detail { top } => *top = top.saturating_add_signed(by),
            Mode::Told => {
                if let Some(list) = self.lists.get_mut(self.focus) {
                    list.told_back = list.told_back.saturating_add_signed(by.saturating_neg());
                }
            }
            _ => {}
        }
    }

    /// Text that was pasted, where a text is typed. Line breaks become blanks.
    pub(super) fn paste(&mut self, text: &str) {
        let letters = text.trim_end_matches(['\r', '\n']).chars();
        let letters = letters.map(|letter| if letter.is_control() { ' ' } else { letter });
        let type_into = |input: &mut Input| {
            for letter in letters {
                input.handle(InputRequest::InsertChar(letter));
            }
        };
        match &mut self.mode {
            Mode::Prompt(prompt) => {
                type_into(&mut prompt.input);
                self.text_changed();
            }
            Mode::Edit(editing) => {
                let editing: &mut Editing = editing;
                type_into(&mut editing.input);
                editing.problem = None;
            }
            _ => {}
        }
    }
}
