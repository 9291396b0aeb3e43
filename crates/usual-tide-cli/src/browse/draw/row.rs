//! One row: its mark, its cells, and the text that is typed into one of them.

use super::list::MARGIN;
use super::style::{BOLD, FOUND, Look, PLAIN, QUIET, REVERSED, UNDERLINED};
use crate::browse::app::App;
use crate::browse::app::edit::Editing;
use crate::browse::app::list::ListView;
use crate::browse::columns::Column;
use crate::browse::messages::RowMark;
use crate::output::cells::{fitted, width};
use ratatui::Frame;
use ratatui::layout::{Position, Rect};
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use usual_tide::record::Record;
use usual_tide::writes::WriteState;
use usual_tide::{Item, Search};

/// Columns that a text is typed into at least.
const FIELD: u16 = 16;

/// What a row is drawn from.
pub(super) struct RowLook<'a> {
    pub(super) app: &'a App,
    pub(super) list: &'a ListView,
    pub(super) item: &'a Record,
    /// The row's number in the list, from 1.
    pub(super) number: usize,
    pub(super) columns: &'a [(usize, u16, u16)],
    pub(super) is_current: bool,
    pub(super) has_focus: bool,
    pub(super) search: Option<&'a Search<Record>>,
    pub(super) editing: Option<&'a Editing>,
    pub(super) look: Look,
}

/// Draws a row.
pub(super) fn draw(row: &RowLook<'_>, area: Rect, frame: &mut Frame<'_>) {
    let mark = row.list.mark(row.item.key());
    let is_cursor = row.is_current && row.has_focus && row.editing.is_none();
    let style = match (is_cursor, mark.state) {
        (true, _) => REVERSED,
        (false, WriteState::Pending) if !mark.blank => QUIET,
        _ => PLAIN,
    };
    frame.buffer_mut().set_style(area, style);
    frame.render_widget(margin(row, &mark), area);
    if row.list.status.numbered {
        let end = row.columns.first().map_or(area.right(), |column| column.1);
        let wide = end.saturating_sub(area.x + MARGIN + 1);
        let number = fitted(&row.number.to_string(), usize::from(wide), true);
        let place = Rect::new(area.x + MARGIN, area.y, wide.min(area.width), 1);
        frame.render_widget(Line::styled(number, style.patch(QUIET)), place);
    }
    // While a row is edited it shows what it would be, and the key that it has.
    let edited = row.editing.map_or(row.item, |editing| editing.draft.item());
    let key = row.app.columns.key();
    for (at, x, wide) in row.columns {
        let Some(column) = row.app.columns.get(*at) else {
            continue;
        };
        let is_cell = is_cursor && *at == row.list.column;
        let style = match is_cell {
            true => style.patch(BOLD).patch(UNDERLINED),
            false => style,
        };
        let item = match key == Some(*at) {
            true => row.item,
            false => edited,
        };
        let line = cell(column, item, usize::from(*wide), row.search, style);
        frame.render_widget(line, Rect::new(*x, area.y, *wide, 1));
    }
    if let Some(editing) = row.editing {
        field(row, editing, area, frame);
    }
}

/// The cursor, whether the row is selected, and how it stands with the source.
fn margin(row: &RowLook<'_>, mark: &RowMark) -> Line<'static> {
    let cursor = match row.is_current {
        true => ">",
        false => " ",
    };
    let selected = match mark.selected {
        true => "*",
        false => " ",
    };
    let (state, style) = match mark.state {
        _ if mark.blank => ("+", BOLD),
        WriteState::Failed => ("!", row.look.problem()),
        WriteState::Pending => ("~", PLAIN),
        WriteState::Saved => (" ", PLAIN),
    };
    Line::from(vec![
        Span::styled(format!("{cursor}{selected}"), BOLD),
        Span::styled(state, style),
    ])
}

/// A cell with the words that were searched for marked.
fn cell(
    column: &Column,
    item: &Record,
    columns: usize,
    search: Option<&Search<Record>>,
    style: Style,
) -> Line<'static> {
    let text = fitted(&column.cell(item), columns, column.is_to_the_right());
    let Some(search) = search.filter(|_| column.holds_text()) else {
        return Line::styled(text, style);
    };
    let (mut spans, mut end) = (Vec::new(), 0);
    for range in search.ranges(&text) {
        spans.push(Span::styled(text[end..range.start].to_owned(), style));
        let found = text[range.clone()].to_owned();
        spans.push(Span::styled(found, style.patch(FOUND)));
        end = range.end;
    }
    spans.push(Span::styled(text[end..].to_owned(), style));
    Line::from(spans)
}

/// The text that is typed into a cell, and the terminal's cursor in it.
fn field(row: &RowLook<'_>, editing: &Editing, area: Rect, frame: &mut Frame<'_>) {
    let mut columns = row.columns.iter();
    let Some((_, x, wide)) = columns.find(|column| column.0 == editing.field) else {
        return;
    };
    let text = editing.input.value();
    let wanted = u16::try_from(width(text) + 1).unwrap_or(u16::MAX);
    let wide = wanted.max(*wide).max(FIELD).min(area.width);
    // Near the right edge it goes to the left.
    let x = (*x).min(area.right().saturating_sub(wide));
    typed(&editing.input, Rect::new(x, area.y, wide, 1), frame);
}

/// A text that is being typed, with the part around the cursor in sight.
pub(super) fn typed(input: &tui_input::Input, area: Rect, frame: &mut Frame<'_>) {
    let columns = usize::from(area.width).saturating_sub(1);
    let scrolled = input.visual_scroll(columns);
    let shown = crate::output::cells::one_line(&after(input.value(), scrolled));
    let shown = fitted_without_sign(&shown, usize::from(area.width));
    frame.render_widget(Line::styled(shown, UNDERLINED), area);
    let cursor = input.visual_cursor().saturating_sub(scrolled);
    let cursor = u16::try_from(cursor)
        .unwrap_or(0)
        .min(area.width.saturating_sub(1));
    frame.set_cursor_position(Position::new(area.x + cursor, area.y));
}

/// What is left of a text after its first columns.
fn after(text: &str, columns: usize) -> String {
    let mut passed = 0;
    let letters = text.chars().skip_while(|letter| {
        let was = passed;
        passed += width(letter.encode_utf8(&mut [0; 4]));
        was < columns
    });
    letters.collect()
}

/// As many columns of a text as there are, filled with blanks.
fn fitted_without_sign(text: &str, columns: usize) -> String {
    let mut shown = String::new();
    for letter in text.chars() {
        if width(&shown) + width(letter.encode_utf8(&mut [0; 4])) > columns {
            break;
        }
        shown.push(letter);
    }
    let blanks = columns.saturating_sub(width(&shown));
    shown + &" ".repeat(blanks)
}
