//! A list: its columns, the lines in sight, and the heading that stays on top.

use super::row::{self, RowLook};
use super::style::{BOLD, Look, PLAIN, QUIET, REVERSED};
use super::{loading, next};
use crate::browse::app::list::ListView;
use crate::browse::app::{App, ListArea, Mode};
use crate::browse::messages::{SourceState, Which};
use crate::output::cells::{cut, fitted, width};
use crate::output::counted;
use crate::output::table::section_line;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Paragraph, Scrollbar, ScrollbarOrientation, ScrollbarState, Wrap};
use usual_tide::Item;
use usual_tide::lists::FlatRow;
use usual_tide::query::names_in;
use usual_tide::sections::Section;

/// Columns before the fields: the cursor, and how the row stands.
pub(super) const MARGIN: u16 = 4;
/// Blanks between columns.
const GAP: u16 = 2;

/// Draws one of the lists.
pub(super) fn draw(app: &mut App, at: usize, area: Rect, frame: &mut Frame<'_>, look: Look) {
    if area.height < 3 {
        return;
    }
    let [query, headings] = [area.y, area.y + 1].map(|y| Rect::new(area.x, y, area.width, 1));
    let rows = Rect::new(
        area.x,
        area.y + 2,
        area.width.saturating_sub(1),
        area.height - 2,
    );
    app.look(at, usize::from(rows.height));
    let columns = in_sight(app, at, rows);
    let has_focus = at == app.focus;
    let Some(list) = app.lists.get(at) else {
        nothing(
            app,
            Rect {
                y: area.y + 1,
                ..rows
            },
            frame,
        );
        return;
    };
    frame.render_widget(query_line(list, has_focus, app, query.width), query);
    column_headings(app, list, &columns, headings, frame);
    if list.lines.is_empty() {
        nothing(app, rows, frame);
    }
    lines(app, at, &columns, rows, frame, look);
    scrollbar(list, rows, frame);
    let top = list.top;
    app.areas.lists.push(ListArea {
        list: at,
        headings,
        rows,
        columns,
        top,
    });
}

/// What the list is asked for.
fn query_line(list: &ListView, has_focus: bool, app: &App, columns: u16) -> Line<'static> {
    let texts = &list.status.texts;
    let parts = [
        ("search", &texts.search),
        ("filter", &texts.filter),
        ("sort", &texts.sort),
        ("group", &texts.group),
    ];
    let told = parts.into_iter().filter_map(|(name, text)| {
        let text = text.as_deref().filter(|text| !text.trim().is_empty())?;
        Some(format!("{name}: {text}"))
    });
    let mut told: Vec<String> = told.collect();
    if told.is_empty() {
        told.push("in the order of the source".to_owned());
    }
    if list.status.selected + list.status.selected_hidden > 0 {
        let mut text = format!("{} selected", list.status.selected);
        if list.status.selected_hidden > 0 {
            text.push_str(&format!(" and {} hidden", list.status.selected_hidden));
        }
        told.push(text);
    }
    if list.status.paused {
        told.push(match list.status.held_back {
            0 => "PAUSED".to_owned(),
            count => format!(
                "PAUSED, {} behind: n tells the next",
                counted(count, "change set", "change sets")
            ),
        });
    }
    let style = match app.lists.len() > 1 && has_focus {
        true => BOLD,
        false => QUIET,
    };
    Line::styled(cut(&told.join("   "), usize::from(columns)), style)
}

/// The columns that fit, with where each begins and how wide it is: the key's, and the others from the first that is
/// in sight, which is chosen so that the current one is among them.
fn in_sight(app: &mut App, at: usize, area: Rect) -> Vec<(usize, u16, u16)> {
    let columns = app.columns.clone();
    let Some(list) = app.lists.get_mut(at) else {
        return Vec::new();
    };
    let numbers = number_width(list);
    let key = columns.key();
    let fit = |first: usize| {
        let mut x = area.x + MARGIN + numbers;
        let right = area.x + area.width;
        let mut placed = Vec::new();
        let others = (first..columns.len()).filter(|column| Some(*column) != key || first == 0);
        let pinned = key.filter(|_| first > 0);
        for column in pinned.into_iter().chain(others) {
            let wanted = columns.get(column).map_or(0, |column| column.width);
            let wanted = u16::try_from(wanted).unwrap_or(u16::MAX);
            let room = right.saturating_sub(x);
            // What is left of the line is of use for a part of a column, but not for a letter of it.
            if room < wanted.min(6) {
                break;
            }
            placed.push((column, x, wanted.min(room)));
            x = x.saturating_add(wanted.min(room) + GAP);
        }
        placed
    };
    list.column = list.column.min(columns.len().saturating_sub(1));
    list.first_column = list.first_column.min(list.column);
    loop {
        let placed = fit(list.first_column);
        let is_whole = |(column, _, width): &(usize, u16, u16)| {
            let wanted = columns.get(*column).map_or(0, |column| column.width);
            *column == list.column && usize::from(*width) >= wanted
        };
        let is_there = placed.iter().any(is_whole);
        if is_there || list.first_column >= list.column {
            return placed;
        }
        list.first_column += 1;
    }
}

/// How wide the numbers of the rows are, where these are shown.
fn number_width(list: &ListView) -> u16 {
    match list.status.numbered {
        true => u16::try_from(list.lines.len().to_string().len()).unwrap_or(20) + 1,
        false => 0,
    }
}

fn column_headings(
    app: &App,
    list: &ListView,
    columns: &[(usize, u16, u16)],
    area: Rect,
    frame: &mut Frame<'_>,
) {
    let sorted = list.status.texts.sort.as_deref().unwrap_or_default();
    let sorted = names_in(sorted).unwrap_or_default();
    for (at, x, wide) in columns {
        let Some(column) = app.columns.get(*at) else {
            continue;
        };
        let sorted = sorted.iter().find_map(|part| {
            let arrow = if part.sign == Some('-') { "▼" } else { "▲" };
            let pointer = column.field.path();
            let names = [&*column.title, pointer.as_pointer()];
            names.contains(&&*part.name).then_some(arrow)
        });
        let wide = usize::from(*wide);
        let title = match sorted {
            Some(arrow) => format!("{}{arrow}", cut(&column.title, wide.saturating_sub(1))),
            None => column.title.clone(),
        };
        let style = match *at == list.column {
            true => BOLD.patch(super::style::UNDERLINED),
            false => BOLD,
        };
        let title = cut(&title, wide);
        let blanks = match column.is_to_the_right() {
            true => wide.saturating_sub(width(&title)),
            false => 0,
        };
        let line = Line::from(vec![
            Span::raw(" ".repeat(blanks)),
            Span::styled(title, style),
        ]);
        let place = Rect::new(*x, area.y, area.right().saturating_sub(*x), 1);
        frame.render_widget(line, place);
    }
}

fn lines(
    app: &App,
    at: usize,
    columns: &[(usize, u16, u16)],
    area: Rect,
    frame: &mut Frame<'_>,
    look: Look,
) {
    let Some(list) = app.lists.get(at) else {
        return;
    };
    let has_focus = at == app.focus;
    let text = match has_focus {
        true => app.searched_text(),
        false => list.status.texts.search.clone(),
    };
    let search = text.and_then(|text| Some(app.context.as_ref()?.search(&text)));
    let gap = app.dragged_to().filter(|(list, _)| *list == at);
    let mut number = list.lines.rows_before(list.top);
    let in_sight = list.lines.from(list.top).take(usize::from(area.height));
    for ((line, position), y) in in_sight.zip(list.top..).zip(area.y..) {
        let place = Rect {
            y,
            height: 1,
            ..area
        };
        let is_current = position == list.cursor;
        match line {
            _ if is_current && has_focus && matches!(app.mode, Mode::AskDelete(_)) => {
                number += usize::from(matches!(line, FlatRow::Item(_)));
                question(app, list, place, frame, look);
            }
            FlatRow::Heading(section) => {
                heading(section, list, is_current && has_focus, place, frame);
            }
            FlatRow::Item(item) => {
                number += 1;
                let editing = match &app.mode {
                    Mode::Edit(editing)
                        if editing.list == list.number
                            && app.store.key_now(editing.key()) == item.key() =>
                    {
                        Some(&**editing)
                    }
                    _ => None,
                };
                row::draw(
                    &RowLook {
                        app,
                        list,
                        item,
                        number,
                        columns,
                        is_current,
                        has_focus,
                        search: search.as_ref(),
                        editing,
                        look,
                    },
                    place,
                    frame,
                );
            }
        }
        if gap.is_some_and(|(_, gap)| gap == position) {
            frame
                .buffer_mut()
                .set_style(place, super::style::UNDERLINED);
            let mark = Rect { width: 2, ..place };
            frame.render_widget(Line::styled("──", BOLD), mark);
        }
    }
    // The heading of the first line stays while its rows go by under it.
    if list.status.grouped
        && area.height > 2
        && let Some((position, section)) = list.lines.heading_of(list.top)
        && position < list.top
    {
        let place = Rect { height: 1, ..area };
        frame.render_widget(ratatui::widgets::Clear, place);
        heading(section, list, false, place, frame);
    }
}

fn heading(
    section: &Section,
    list: &ListView,
    is_current: bool,
    area: Rect,
    frame: &mut Frame<'_>,
) {
    let sign = match section.is_collapsed() {
        true => "+",
        false => "-",
    };
    let text = format!(" {sign} {}", section_line(section, &list.status.totals));
    let columns = usize::from(area.width);
    let style = match is_current {
        true => BOLD.patch(REVERSED),
        false => BOLD,
    };
    frame.render_widget(Line::styled(fitted(&text, columns, false), style), area);
}

/// The question whether to delete, in the line under the cursor.
fn question(app: &App, list: &ListView, area: Rect, frame: &mut Frame<'_>, look: Look) {
    let what = match &app.mode {
        Mode::AskDelete(Which::Row(key)) => key.to_string(),
        Mode::AskDelete(_) if list.status.selected == 1 => "the selected row".to_owned(),
        Mode::AskDelete(_) => format!("the {} selected rows", list.status.selected),
        _ => return,
    };
    let text = format!("  Delete {what}?  y: yes, delete   any other key: no");
    let columns = usize::from(area.width);
    let style = look.problem().patch(REVERSED);
    frame.render_widget(Line::styled(fitted(&text, columns, false), style), area);
}

/// Why no row is shown: nothing was loaded yet, nothing is there, nothing matches, or the source fails.
fn nothing(app: &App, area: Rect, frame: &mut Frame<'_>) {
    let has_items = app.store.items > 0;
    let text = match &app.store.state {
        SourceState::Failed { why, next_try } if !has_items => {
            format!(
                "The items cannot be loaded.\n\n{why}\n\n{}; F5 tries at once.",
                capital(&next(*next_try))
            )
        }
        SourceState::Loading { done, total } if !has_items => {
            format!("{} …", capital(&loading(*done, *total)))
        }
        _ if !has_items => "There are no items yet.\n\na adds one.".to_owned(),
        _ => "No row matches.\n\nEsc ends the search, f changes the filter.".to_owned(),
    };
    let height = area.height.min(8);
    let place = Rect {
        x: area.x + MARGIN.min(area.width),
        y: area.y + (area.height - height) / 3,
        width: area.width.saturating_sub(2 * MARGIN),
        height,
    };
    let text = Paragraph::new(text).style(PLAIN).wrap(Wrap { trim: false });
    frame.render_widget(text, place);
}

fn capital(text: &str) -> String {
    let mut letters = text.chars();
    match letters.next() {
        Some(first) => first.to_uppercase().chain(letters).collect(),
        None => String::new(),
    }
}

fn scrollbar(list: &ListView, rows: Rect, frame: &mut Frame<'_>) {
    let height = usize::from(rows.height);
    if list.lines.len() <= height {
        return;
    }
    let place = Rect {
        width: rows.width + 1,
        ..rows
    };
    let mut state = ScrollbarState::new(list.lines.len() - height + 1).position(list.top);
    let bar = Scrollbar::new(ScrollbarOrientation::VerticalRight)
        .begin_symbol(None)
        .end_symbol(None)
        .track_style(QUIET);
    frame.render_stateful_widget(bar, place, &mut state);
}
