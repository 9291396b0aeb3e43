//! The drawing of the full-screen list.

mod boxes;
mod foot;
mod list;
mod row;
mod style;
mod told;

use super::app::{App, Areas, Mode};
use super::messages::SourceState;
use crate::output::cells::{cut, width};
use crate::output::counted;
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};
use std::time::Instant;
pub(crate) use style::Look;
use style::{BOLD, PLAIN, QUIET};

/// Columns from which on what was told stands beside the list, and lines from which on below it.
const WIDE: u16 = 110;
const HIGH: u16 = 30;
/// The narrowest that lists are side by side.
const LIST: u16 = 40;

/// Draws the screen as it is.
pub(crate) fn draw(app: &mut App, frame: &mut Frame<'_>, look: Look) {
    let area = frame.area();
    let [head, body, message, keys] = Layout::vertical([
        Constraint::Length(1),
        Constraint::Min(1),
        Constraint::Length(foot::lines(app)),
        Constraint::Length(1),
    ])
    .areas(area);
    let (wide, high) = (area.width >= WIDE, area.height >= HIGH);
    app.areas = Areas {
        has_room_for_told: wide || high,
        page: usize::from(body.height),
        ..Areas::default()
    };
    title(app, head, frame);
    match &app.mode {
        Mode::Help { .. } => boxes::help(app, body, frame, look),
        Mode::Told => told::alone(app, body, frame, look),
        _ => {
            let shows_told = app.shows_told && (wide || high);
            let (lists, told) = match shows_told {
                true if wide => {
                    let told = (area.width * 2 / 5).clamp(40, 78);
                    let [lists, told] =
                        Layout::horizontal([Constraint::Min(1), Constraint::Length(told)])
                            .areas(body);
                    (lists, Some(told))
                }
                true => {
                    let told = Constraint::Length(body.height / 3);
                    let [lists, told] = Layout::vertical([Constraint::Min(1), told]).areas(body);
                    (lists, Some(told))
                }
                false => (body, None),
            };
            draw_lists(app, lists, frame, look);
            if let Some(told) = told {
                let edges = match wide {
                    true => told::Edge::Left,
                    false => told::Edge::Top,
                };
                told::beside(app, told, edges, frame, look);
            }
            match &app.mode {
                Mode::Detail { .. } => boxes::detail(app, lists, frame, look),
                Mode::Conflict(_) => boxes::conflict(app, body, frame, look),
                _ => {}
            }
        }
    }
    foot::message(app, message, frame, look);
    foot::keys(app, keys, frame);
}

/// The lists side by side, or the one that has the keyboard where there is no room.
fn draw_lists(app: &mut App, area: Rect, frame: &mut Frame<'_>, look: Look) {
    let count = u16::try_from(app.lists.len()).unwrap_or(u16::MAX).max(1);
    if app.lists.len() < 2 || area.width / count < LIST {
        list::draw(app, app.focus, area, frame, look);
        return;
    }
    let parts = Layout::horizontal(vec![Constraint::Fill(1); app.lists.len()])
        .spacing(2)
        .split(area);
    for (at, part) in parts.iter().enumerate() {
        list::draw(app, at, *part, frame, look);
    }
}

/// The source, how it stands, and where in the list one is.
fn title(app: &App, area: Rect, frame: &mut Frame<'_>) {
    let place = app.list().map(|list| {
        let rows = list.lines.rows_before(list.lines.len());
        let at = list.lines.rows_before(list.cursor) + usize::from(list.row().is_some());
        let mut place = match rows {
            0 => "no rows".to_owned(),
            _ => format!("row {at} of {rows}"),
        };
        if rows < list.status.matching {
            place.push_str(&format!(", {} match", list.status.matching));
        }
        if rows < app.store.items {
            place.push_str(&format!(" ({} in all)", app.store.items));
        }
        if app.lists.len() > 1 {
            place.push_str(&format!("  list {} of {}", app.focus + 1, app.lists.len()));
        }
        place
    });
    let place = place.unwrap_or_default();
    let state = state(app);
    let columns = usize::from(area.width);
    let room = columns.saturating_sub(width(&place) + 2);
    let name = cut(
        &app.title,
        room.saturating_sub(width(&state) + 2).max(room / 2),
    );
    let state = cut(&state, room.saturating_sub(width(&name) + 2));
    let blanks = columns.saturating_sub(width(&name) + width(&state) + width(&place) + 2);
    let line = Line::from(vec![
        Span::styled(name, BOLD),
        Span::styled(format!("  {state}"), PLAIN),
        Span::raw(" ".repeat(blanks)),
        Span::styled(place, QUIET),
    ]);
    frame.render_widget(line, area);
}

/// How it stands with the source, in a few words.
pub(crate) fn state(app: &App) -> String {
    let store = &app.store;
    let mut parts = Vec::new();
    if store.waiting > 0 {
        let edits = counted(store.waiting, "edit", "edits");
        parts.push(match store.held {
            true => format!("{edits} not saved"),
            false => format!("{edits} waiting"),
        });
    }
    if store.refused > 0 {
        parts.push(format!("{} refused", store.refused));
    }
    // Last, since it may be long.
    match &store.state {
        SourceState::Memory => parts.push("in memory".to_owned()),
        SourceState::Loading { done, total } => parts.push(loading(*done, *total)),
        SourceState::Ready { more: true } => parts.push("m loads more".to_owned()),
        SourceState::Ready { more: false } => {}
        SourceState::Failed { why, next_try } => {
            parts.push(format!("FAILED, {}: {why}", next(*next_try)));
        }
    }
    parts.join(", ")
}

/// How far a load is.
fn loading(done: u64, total: Option<u64>) -> String {
    match total.filter(|total| *total > 0) {
        Some(total) => format!("loading, {} %", done.min(total) * 100 / total),
        None if done > 0 => format!("loading, {done} so far"),
        None => "loading".to_owned(),
    }
}

/// When the next try is.
fn next(next_try: Option<Instant>) -> String {
    match next_try {
        Some(when) => {
            let wait = when.saturating_duration_since(Instant::now());
            format!("next try in {} s", wait.as_secs() + 1)
        }
        None => "no further try".to_owned(),
    }
}
