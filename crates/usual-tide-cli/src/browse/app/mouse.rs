//! What the mouse does.

use super::prompt::PromptKind;
use super::{App, Mode};
use crate::browse::messages::{Request, Target, Which};
use crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
use ratatui::layout::{Position, Rect};
use std::time::{Duration, Instant};
use usual_tide::Item;
use usual_tide::lists::FlatRow;

/// Two clicks on a row within this time edit it.
const TWICE: Duration = Duration::from_millis(400);

/// Where things are on the screen, as it was drawn last.
#[derive(Default)]
pub(crate) struct Areas {
    pub(crate) lists: Vec<ListArea>,
    pub(crate) told: Option<Rect>,
    pub(crate) has_room_for_told: bool,
    /// Lines of a page that is only looked at.
    pub(crate) page: usize,
}

impl Areas {
    pub(super) fn was_drawn(&self) -> bool {
        !self.lists.is_empty()
    }
}

/// Where a list is.
pub(crate) struct ListArea {
    /// Which list of the screen.
    pub(crate) list: usize,
    pub(crate) headings: Rect,
    pub(crate) rows: Rect,
    /// Each column in sight, with where it begins and how wide it is.
    pub(crate) columns: Vec<(usize, u16, u16)>,
    /// The position of the first line.
    pub(crate) top: usize,
}

/// What the mouse is about.
#[derive(Default)]
pub(super) struct Mouse {
    last_click: Option<(Instant, usize, usize)>,
    dragged: Option<Dragged>,
}

/// Rows that are dragged.
struct Dragged {
    list: usize,
    which: Which,
    from: usize,
    /// The gap that they would land in, once the mouse has left the row.
    gap: Option<usize>,
}

impl App {
    /// The list and the gap that dragged rows would land in.
    pub(crate) fn dragged_to(&self) -> Option<(usize, usize)> {
        let dragged = self.mouse.dragged.as_ref()?;
        Some((dragged.list, dragged.gap?))
    }

    pub(super) fn on_mouse(&mut self, mouse: MouseEvent) {
        let at = Position::new(mouse.column, mouse.row);
        match mouse.kind {
            MouseEventKind::ScrollUp => self.wheel(at, -3),
            MouseEventKind::ScrollDown => self.wheel(at, 3),
            MouseEventKind::Down(MouseButton::Left) if matches!(self.mode, Mode::Rows) => {
                self.message = None;
                self.click(at);
            }
            MouseEventKind::Drag(MouseButton::Left) => self.drag(at),
            MouseEventKind::Up(MouseButton::Left) => self.drop_rows(),
            _ => {}
        }
    }

    fn wheel(&mut self, at: Position, by: isize) {
        if matches!(self.mode, Mode::Told) || self.areas.told.is_some_and(|area| area.contains(at))
        {
            if let Some(list) = self.lists.get_mut(self.focus) {
                list.told_back = list.told_back.saturating_add_signed(-by);
            }
            return;
        }
        match &mut self.mode {
            Mode::Help { top } | Mode::Detail { top } => *top = top.saturating_add_signed(by),
            Mode::Rows | Mode::Prompt(_) => self.go_by(by),
            _ => {}
        }
    }

    /// The list and the line at a place of the screen, and the column where it is in one.
    fn line_at(&self, at: Position) -> Option<(usize, usize, Option<usize>)> {
        let area = self
            .areas
            .lists
            .iter()
            .find(|area| area.rows.contains(at))?;
        let line = area.top + usize::from(at.y - area.rows.y);
        let column = area.columns.iter();
        let mut column = column.filter(|(_, x, width)| (*x..*x + *width).contains(&at.x));
        Some((area.list, line, column.next().map(|column| column.0)))
    }

    fn click(&mut self, at: Position) {
        let heading = self.areas.lists.iter().find_map(|area| {
            let within = area.headings.contains(at).then_some(area)?;
            let mut columns = within.columns.iter();
            let column = columns.find(|(_, x, width)| (*x..*x + *width).contains(&at.x))?;
            Some((within.list, column.0))
        });
        if let Some((list, column)) = heading {
            self.focus = list;
            if let Some(list) = self.lists.get_mut(list) {
                list.column = column;
            }
            self.act(super::keys::Action::Sort);
            return;
        }
        let Some((list, line, column)) = self.line_at(at) else {
            return;
        };
        self.focus = list;
        let Some(view) = self
            .lists
            .get_mut(list)
            .filter(|list| line < list.lines.len())
        else {
            return;
        };
        if let Some(column) = column {
            view.column = column;
        }
        let request = view.go_to(line);
        let row = view.row().map(|row| row.key().clone());
        let is_heading = matches!(view.line(), Some(FlatRow::Heading(_)));
        let which = row.map(|key| match view.mark(&key).selected {
            true => Which::Selected,
            false => Which::Row(key),
        });
        self.ask(request);
        let before = self.mouse.last_click.replace((Instant::now(), list, line));
        let is_second = before.is_some_and(|(when, before_list, before_line)| {
            when.elapsed() < TWICE && (before_list, before_line) == (list, line)
        });
        if is_heading || is_second {
            self.mouse.last_click = None;
            self.act(super::keys::Action::Enter);
        } else if let Some(which) = which {
            self.mouse.dragged = Some(Dragged {
                list,
                which,
                from: line,
                gap: None,
            });
        }
    }

    fn drag(&mut self, at: Position) {
        let place = self.line_at(at);
        let lens: Vec<usize> = self.lists.iter().map(|list| list.lines.len()).collect();
        let Some(dragged) = &mut self.mouse.dragged else {
            return;
        };
        let Some((list, line, _)) = place.filter(|place| place.0 == dragged.list) else {
            dragged.gap = None;
            return;
        };
        let len = lens.get(list).copied().unwrap_or(0);
        // Below the row that is dragged it lands under the mouse, above it over it.
        let gap = if line > dragged.from { line + 1 } else { line };
        dragged.gap = (line != dragged.from).then_some(gap.min(len));
    }

    fn drop_rows(&mut self) {
        let Some(dragged) = self.mouse.dragged.take() else {
            return;
        };
        let Some(gap) = dragged.gap else {
            return;
        };
        if let Some(list) = self.lists.get(dragged.list).map(|list| list.number) {
            self.ask(Request::Move {
                list,
                which: dragged.which,
                target: Target::GapBefore(gap),
            });
        }
    }

    /// Whether the search is being typed, so that its words are marked as they change.
    pub(crate) fn searched_text(&self) -> Option<String> {
        match &self.mode {
            Mode::Prompt(prompt) if prompt.kind == PromptKind::Search => {
                Some(prompt.input.value().to_owned())
            }
            _ => self.list()?.status.texts.search.clone(),
        }
    }
}
