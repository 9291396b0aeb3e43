//! What is laid over the list: the help, all fields of a row, and the fields in which two edits collide.

use super::style::{BOLD, Look, PLAIN, QUIET, REVERSED};
use crate::browse::app::edit::Choosing;
use crate::browse::app::list::ListView;
use crate::browse::app::{App, Mode, keys};
use crate::output::cells::{fitted, plain, width};
use crate::output::paragraph;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, Borders, Clear, Paragraph};
use usual_tide::Item;
use usual_tide::drafts::Prefer;
use usual_tide::record::Record;
use usual_tide::writes::WriteState;

/// All keys.
pub(super) fn help(app: &mut App, area: Rect, frame: &mut Frame<'_>, _look: Look) {
    frame.render_widget(Clear, area);
    let columns = usize::from(area.width);
    let bindings = keys::KEY_GROUPS.iter().flat_map(|group| group.bindings);
    let widest = bindings
        .map(|binding| width(binding.keys))
        .max()
        .unwrap_or(0);
    let mut lines = Vec::new();
    for group in keys::KEY_GROUPS {
        if !lines.is_empty() {
            lines.push(Line::default());
        }
        lines.push(Line::styled(group.heading, BOLD));
        for binding in group.bindings {
            let begin = format!("  {}  ", fitted(binding.keys, widest, false));
            let indent = " ".repeat(width(&begin));
            let text = paragraph(binding.help, columns, &begin, &indent);
            lines.extend(text.lines().map(|line| Line::raw(line.to_owned())));
        }
    }
    lines.push(Line::default());
    let rest = [
        "In the margin: > the current row, * selected, + new and not yet kept, ~ waiting for the source or not saved, \
         ! refused by the source.",
        "The mouse selects, sorts by a click on a heading, edits by a double click, and moves rows by dragging. Most \
         terminals still mark text while Shift is held.",
    ];
    for text in rest {
        let text = paragraph(text, columns, "", "");
        lines.extend(text.lines().map(|line| Line::raw(line.to_owned())));
    }
    scrolled(app, lines, area, frame);
}

/// Draws the lines from where the page is scrolled to, and keeps that within them.
fn scrolled(app: &mut App, lines: Vec<Line<'static>>, area: Rect, frame: &mut Frame<'_>) {
    let height = usize::from(area.height);
    let (Mode::Help { top } | Mode::Detail { top }) = &mut app.mode else {
        return;
    };
    *top = (*top).min(lines.len().saturating_sub(height));
    let shown: Vec<Line<'_>> = lines.into_iter().skip(*top).take(height).collect();
    app.areas.page = height;
    frame.render_widget(Paragraph::new(shown), area);
}

/// All fields of the row under the cursor, as they are now.
pub(super) fn detail(app: &mut App, area: Rect, frame: &mut Frame<'_>, look: Look) {
    let Some(list) = app.list() else {
        return;
    };
    let Some(row) = list.row().cloned() else {
        app.mode = Mode::Rows;
        return;
    };
    let inner = framed(&format!(" {} ", row.key()), area, frame);
    let lines = fields(app, list, &row, usize::from(inner.width), look);
    scrolled(app, lines, inner, frame);
}

fn fields(
    app: &App,
    list: &ListView,
    row: &Record,
    columns: usize,
    look: Look,
) -> Vec<Line<'static>> {
    let mark = list.mark(row.key());
    let mut lines = Vec::new();
    let state = match mark.state {
        _ if mark.blank => "a new row that was not kept yet",
        WriteState::Saved => "",
        WriteState::Pending if app.store.held => "not saved yet",
        WriteState::Pending => "waits for the source",
        WriteState::Failed => "refused by the source",
    };
    if !state.is_empty() {
        let reason = mark
            .reason
            .map(|why| format!(": {why}"))
            .unwrap_or_default();
        let text = paragraph(&format!("{state}{reason}"), columns.max(8), "", "");
        lines.extend(
            text.lines()
                .map(|line| Line::styled(line.to_owned(), look.problem())),
        );
        lines.push(Line::default());
    }
    let widest = app
        .columns
        .0
        .iter()
        .map(|column| width(&column.title))
        .max();
    let widest = widest.unwrap_or(0).min(columns / 2);
    for column in &app.columns.0 {
        let name = fitted(&column.title, widest, false);
        let value = column.cell(row);
        let indent = " ".repeat(widest + 2);
        let text = paragraph(&value, columns.max(widest + 12), &indent, &indent);
        let mut texts = text.lines();
        let first = texts
            .next()
            .and_then(|line| line.get(indent.len()..))
            .unwrap_or_default();
        lines.push(Line::from(vec![
            Span::styled(format!("{name}  "), QUIET),
            Span::styled(first.to_owned(), PLAIN),
        ]));
        lines.extend(texts.map(|line| Line::raw(line.to_owned())));
    }
    lines
}

/// A frame with a name over a part of the screen; gives what is inside.
fn framed(title: &str, area: Rect, frame: &mut Frame<'_>) -> Rect {
    frame.render_widget(Clear, area);
    let block = Block::new().borders(Borders::ALL).title(title.to_owned());
    let inner = block.inner(area);
    frame.render_widget(block, area);
    Rect {
        x: inner.x + 1.min(inner.width),
        width: inner.width.saturating_sub(2),
        ..inner
    }
}

/// The fields in which a draft and others collide: what was, mine, theirs, and which is taken.
pub(super) fn conflict(app: &mut App, area: Rect, frame: &mut Frame<'_>, _look: Look) {
    let Mode::Conflict(choosing) = &app.mode else {
        return;
    };
    let fields = u16::try_from(choosing.fields.len()).unwrap_or(u16::MAX);
    let height = fields.saturating_mul(4).saturating_add(4).min(area.height);
    let columns = area.width.min(76);
    let place = Rect {
        x: area.x + (area.width - columns) / 2,
        y: area.y + (area.height - height) / 2,
        width: columns,
        height,
    };
    let title = format!(" {} was changed while you edited it ", choosing.draft.key());
    let inner = framed(&title, place, frame);
    let mut lines = vec![Line::raw("Whose value is taken?"), Line::default()];
    for at in 0..choosing.fields.len() {
        lines.extend(field(choosing, at, usize::from(inner.width)));
    }
    if choosing.fields.is_empty() {
        lines.push(Line::raw("Enter keeps yours, Esc drops it."));
    }
    // The field that is chosen stays in sight.
    let height = usize::from(inner.height);
    let top = (choosing.at * 4 + 6).saturating_sub(height);
    let shown: Vec<Line<'_>> = lines.into_iter().skip(top).take(height).collect();
    frame.render_widget(Paragraph::new(shown), inner);
}

fn field(choosing: &Choosing, at: usize, columns: usize) -> Vec<Line<'static>> {
    let Some((path, prefer)) = choosing.fields.get(at) else {
        return Vec::new();
    };
    let is_current = at == choosing.at;
    let value = |item: &Record| {
        let value = item.get(path.as_pointer()).map(plain);
        value.unwrap_or_else(|| "absent".to_owned())
    };
    let conflict = &choosing.conflict;
    let name = format!("{path}");
    let versions = [
        (None, "was", value(&conflict.base)),
        (Some(Prefer::Mine), "mine", value(&conflict.mine)),
        (Some(Prefer::Theirs), "theirs", value(&conflict.theirs)),
    ];
    let mut lines = vec![Line::styled(
        name,
        if is_current {
            BOLD.patch(REVERSED)
        } else {
            BOLD
        },
    )];
    for (side, label, text) in versions {
        let is_taken = side == Some(*prefer);
        let sign = match is_taken {
            true => ">",
            false => " ",
        };
        let style = match (side, is_taken) {
            (None, _) => QUIET,
            (_, true) => BOLD,
            _ => PLAIN,
        };
        let text = format!(" {sign} {label:8}{text}");
        lines.push(Line::styled(fitted(&text, columns, false), style));
    }
    lines
}
