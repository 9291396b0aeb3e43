//! What keys do while the rows have the keyboard.

use super::keys::Action;
use super::list::ListView;
use super::prompt::{Prompt, PromptKind};
use super::{App, Mode};
use crate::browse::messages::{Mark, Request, Target, Which};
use crate::input::QueryTexts;
use usual_tide::Item;
use usual_tide::fields::Kind;
use usual_tide::lists::FlatRow;
use usual_tide::query::name_in_text;

impl App {
    pub(super) fn act(&mut self, action: Action) {
        let page = self
            .list()
            .map_or(1, |list| list.height.saturating_sub(1).max(1));
        let page = isize::try_from(page).unwrap_or(isize::MAX);
        match action {
            Action::Up => self.go_by(-1),
            Action::Down => self.go_by(1),
            Action::PageUp => self.go_by(-page),
            Action::PageDown => self.go_by(page),
            Action::First => self.go_by(isize::MIN),
            Action::Last => self.go_by(isize::MAX),
            Action::Left => self.change_column(-1),
            Action::Right => self.change_column(1),
            Action::RangeUp => self.select_to(-1),
            Action::RangeDown => self.select_to(1),
            Action::Mark => self.mark(),
            Action::MarkAll => self.ask_of_list(|list| Request::Mark {
                list: list.number,
                mark: Mark::All,
            }),
            Action::Back => self.back(),
            Action::Enter => self.enter(),
            Action::Add => self.mode = Mode::AskPlace,
            Action::Delete => match self.list().and_then(ListView::acted_on) {
                Some(which) => self.mode = Mode::AskDelete(which),
                None => self.complain("there is no row here to delete"),
            },
            Action::Undo => self.ask(Request::Undo),
            Action::Redo => self.ask(Request::Redo),
            Action::MoveUp => self.move_rows(Target::Up),
            Action::MoveDown => self.move_rows(Target::Down),
            Action::MoveFirst => self.move_rows(Target::Start),
            Action::MoveLast => self.move_rows(Target::End),
            Action::Search => {
                self.ask(Request::PrepareSearch);
                self.prompt(PromptKind::Search);
            }
            Action::Filter => self.prompt(PromptKind::Filter),
            Action::SortText => self.prompt(PromptKind::Sort),
            Action::GroupText => self.prompt(PromptKind::Group),
            Action::Trace => self.prompt(PromptKind::Trace),
            Action::AnotherList => self.prompt(PromptKind::AnotherList),
            Action::Sort => self.sort_by_column(),
            Action::Group => self.group_by_column(),
            Action::CollapseAll | Action::ExpandAll => {
                self.ask_of_list(|list| Request::CollapseAll {
                    list: list.number,
                    collapsed: action == Action::CollapseAll,
                })
            }
            Action::Detail => match self.list().and_then(ListView::row) {
                Some(_) => self.mode = Mode::Detail { top: 0 },
                None => self.complain("there is no row here to open"),
            },
            Action::Copy => self.copy(false),
            Action::CopyAll => self.copy(true),
            Action::Save => self.ask(Request::Save),
            Action::Retry | Action::Dismiss => {
                match self
                    .list()
                    .and_then(ListView::row)
                    .map(|row| row.key().clone())
                {
                    Some(key) if action == Action::Retry => self.ask(Request::Retry { key }),
                    Some(key) => self.ask(Request::Dismiss { key }),
                    None => self.complain("there is no row here"),
                }
            }
            Action::Told => match self.areas.has_room_for_told {
                true => self.shows_told = !self.shows_told,
                false => self.mode = Mode::Told,
            },
            Action::ToldAlone => self.mode = Mode::Told,
            Action::Pause => self.ask_of_list(|list| Request::Pause {
                list: list.number,
                paused: !list.status.paused,
            }),
            Action::Step => match self.list().map(|list| list.status.paused) {
                Some(true) => self.ask_of_list(|list| Request::Step { list: list.number }),
                _ => self.complain("the view is not paused: p pauses it"),
            },
            Action::CloseList => self.ask_of_list(|list| Request::CloseList { list: list.number }),
            Action::NextList => {
                if !self.lists.is_empty() {
                    self.focus = (self.focus + 1) % self.lists.len();
                }
            }
            Action::Refresh => self.ask(Request::Refresh),
            Action::More => self.ask_of_list(|list| Request::LoadMore { list: list.number }),
            Action::Check => self.ask(Request::Check),
            Action::Help => self.mode = Mode::Help { top: 0 },
            Action::Quit => self.leave(),
        }
    }

    fn ask_of_list(&mut self, request: impl FnOnce(&ListView) -> Request) {
        if let Some(list) = self.list() {
            let request = request(list);
            self.ask(request);
        }
    }

    pub(super) fn go_by(&mut self, by: isize) {
        if let Some(list) = self.list_mut() {
            let request = list.go_by(by);
            self.ask(request);
        }
    }

    fn change_column(&mut self, by: isize) {
        let last = self.columns.len().saturating_sub(1);
        if let Some(list) = self.list_mut() {
            list.column = list.column.saturating_add_signed(by).min(last);
        }
    }

    /// Selects this row, or takes it out of the selection, and goes on to the next.
    fn mark(&mut self) {
        let Some(list) = self.list() else {
            return;
        };
        match list.line() {
            Some(FlatRow::Item(item)) => {
                let mark = Mark::Toggle(item.key().clone());
                let list = list.number;
                self.ask(Request::Mark { list, mark });
                self.go_by(1);
            }
            Some(FlatRow::Heading(_)) => self.enter(),
            None => {}
        }
    }

    /// Selects from the row where the range began to the next one.
    fn select_to(&mut self, by: isize) {
        let from = self
            .list()
            .and_then(ListView::row)
            .map(|row| row.key().clone());
        self.go_by(by);
        let Some(list) = self.list() else {
            return;
        };
        // A heading in the way is passed.
        if list.row().is_none() {
            self.go_by(by);
        }
        let to = self
            .list()
            .and_then(ListView::row)
            .map(|row| row.key().clone());
        if let (Some(from), Some(to)) = (from, to) {
            self.ask_of_list(|list| Request::Mark {
                list: list.number,
                mark: Mark::To { from, to },
            });
        }
    }

    /// Takes back the selection, then the search.
    fn back(&mut self) {
        let Some(list) = self.list() else {
            return;
        };
        let number = list.number;
        if list.status.selected + list.status.selected_hidden > 0 {
            let mark = Mark::None;
            self.ask(Request::Mark { list: number, mark });
        } else if list.status.texts.search.is_some() {
            self.change_query(PromptKind::Search.texts(""));
        }
    }

    /// Edits the field, turns the flag, or collapses and expands the section.
    fn enter(&mut self) {
        let Some(list) = self.list() else {
            return;
        };
        let (number, field) = (list.number, list.column);
        match list.line() {
            Some(FlatRow::Heading(section)) => {
                let section = section.key().clone();
                self.ask(Request::Collapse {
                    list: number,
                    section,
                });
            }
            Some(FlatRow::Item(item)) => {
                let key = item.key().clone();
                let is_flag = self
                    .columns
                    .get(field)
                    .is_some_and(|column| column.field.kind() == Kind::Bool);
                match (is_flag, list.acted_on()) {
                    (true, Some(which)) => self.ask(Request::Toggle {
                        list: number,
                        which,
                        field,
                    }),
                    _ => {
                        let field = self.columns.editable_from(field);
                        self.ask(Request::BeginEdit {
                            list: number,
                            key,
                            field,
                        });
                    }
                }
            }
            None => self.complain("there is no row here: a adds one"),
        }
    }

    fn move_rows(&mut self, target: Target) {
        let Some(list) = self.list() else {
            return;
        };
        let list_number = list.number;
        match list.acted_on() {
            Some(which) => self.ask(Request::Move {
                list: list_number,
                which,
                target,
            }),
            None => self.complain("there is no row here to move"),
        }
    }

    fn prompt(&mut self, kind: PromptKind) {
        let texts = self
            .list()
            .map(|list| list.status.texts.clone())
            .unwrap_or_default();
        let before = match kind {
            PromptKind::Search => texts.search,
            PromptKind::Filter => texts.filter,
            PromptKind::Sort => texts.sort,
            PromptKind::Group => texts.group,
            PromptKind::Trace => Some("trace.ndjson".to_owned()),
            PromptKind::AnotherList => None,
        };
        self.mode = Mode::Prompt(Prompt::new(kind, before.as_deref()));
    }

    pub(super) fn change_query(&mut self, texts: QueryTexts) {
        self.ask_of_list(|list| Request::Query {
            list: list.number,
            texts,
        });
    }

    /// The name of the current column, as sorts and groups are written.
    fn column_name(&self) -> Option<String> {
        let column = self.columns.get(self.list()?.column)?;
        Some(name_in_text(&column.title).into_owned())
    }

    fn sort_by_column(&mut self) {
        let (Some(name), Some(list)) = (self.column_name(), self.list()) else {
            return;
        };
        let sort = match list.status.texts.sort.as_deref() {
            Some(sort) if sort == name => format!("-{name}"),
            Some(sort) if sort.strip_prefix('-') == Some(&name) => String::new(),
            _ => name,
        };
        self.change_query(PromptKind::Sort.texts(&sort));
    }

    fn group_by_column(&mut self) {
        let (Some(name), Some(list)) = (self.column_name(), self.list()) else {
            return;
        };
        let group = match list.status.texts.group.as_deref() {
            Some(group) if group == name => String::new(),
            _ => name,
        };
        self.change_query(PromptKind::Group.texts(&group));
    }

    /// Copies rows into the terminal's clipboard.
    fn copy(&mut self, all: bool) {
        let Some(list) = self.list() else {
            return;
        };
        let number = list.number;
        let which = match all {
            true => Some(Which::Shown),
            false => list.acted_on(),
        };
        match which {
            Some(which) => self.ask(Request::Copy {
                list: number,
                which,
            }),
            None => self.complain("there is no row here to copy"),
        }
    }
}
