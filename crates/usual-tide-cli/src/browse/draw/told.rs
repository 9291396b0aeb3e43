//! What the view was told, beside the list or alone.

use super::style::{BOLD, Look, PLAIN, QUIET};
use crate::browse::app::App;
use crate::browse::app::list::ListView;
use crate::browse::told::Told;
use crate::output::cells::{cut, fitted};
use crate::output::{counted, paragraph};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, Borders, Clear, Paragraph};

/// Where the pane has its edge.
#[derive(Clone, Copy)]
pub(super) enum Edge {
    Left,
    Top,
}

/// Columns of the word that says what happened.
const VERB: usize = 8;
/// Rows of one change set that are told beside the list.
const BESIDE: usize = 10;

/// The pane beside the list that has the keyboard.
pub(super) fn beside(app: &mut App, area: Rect, edge: Edge, frame: &mut Frame<'_>, look: Look) {
    let borders = match edge {
        Edge::Left => Borders::LEFT,
        Edge::Top => Borders::TOP,
    };
    let block = Block::new().borders(borders).border_style(QUIET);
    let mut inner = block.inner(area);
    frame.render_widget(block, area);
    if matches!(edge, Edge::Left) && inner.width > 2 {
        inner.x += 1;
        inner.width -= 1;
    }
    app.areas.told = Some(area);
    draw(app, inner, BESIDE, frame, look);
}

/// Alone on the screen, to be scrolled through.
pub(super) fn alone(app: &mut App, area: Rect, frame: &mut Frame<'_>, look: Look) {
    frame.render_widget(Clear, area);
    draw(app, area, usize::MAX, frame, look);
}

fn draw(app: &mut App, area: Rect, most: usize, frame: &mut Frame<'_>, look: Look) {
    let Some(list) = app.lists.get_mut(app.focus) else {
        return;
    };
    let heading = format!(
        "What the view was told: {}",
        counted(list.told_in_all, "change set", "change sets")
    );
    let [head, body] = [
        Rect {
            height: 1.min(area.height),
            ..area
        },
        Rect {
            y: area.y + 1,
            height: area.height.saturating_sub(1),
            ..area
        },
    ];
    frame.render_widget(Line::styled(heading, BOLD), head);
    let lines = in_sight(list, body, most, look);
    frame.render_widget(Paragraph::new(lines), body);
}

/// The last lines, or those before them when it is scrolled back; so many rows of a change set at most.
fn in_sight(list: &mut ListView, area: Rect, most: usize, look: Look) -> Vec<Line<'static>> {
    let height = usize::from(area.height);
    let columns = usize::from(area.width);
    let mut lines = Vec::new();
    let mut sets = list.told.iter().rev();
    // From the end, as much as is asked for.
    while lines.len() < height + list.told_back {
        let Some(told) = sets.next() else {
            break;
        };
        let mut set = told_lines(told, most, columns, look);
        set.reverse();
        lines.extend(set);
    }
    list.told_back = list.told_back.min(lines.len().saturating_sub(height));
    let mut lines: Vec<_> = lines
        .into_iter()
        .skip(list.told_back)
        .take(height)
        .collect();
    lines.reverse();
    lines
}

fn told_lines(told: &Told, most: usize, columns: usize, look: Look) -> Vec<Line<'static>> {
    let mut lines = vec![Line::default()];
    let head = format!("{}  {}", told.when, told.why);
    lines.extend(wrapped(&head, columns, "  ", BOLD));
    lines.extend(wrapped(&told.summary, columns, "  ", PLAIN));
    lines.extend(wrapped(&told.reload, columns, "  ", QUIET));
    for line in told.lines.iter().take(most) {
        let style = look.told(line.style);
        let verb = fitted(line.verb, VERB, false);
        let what = cut(&line.what, columns.saturating_sub(VERB + 1));
        lines.push(Line::from(vec![
            Span::styled(format!("{verb} "), style),
            Span::raw(what),
        ]));
    }
    let more = told.more + told.lines.len().saturating_sub(most);
    if more > 0 {
        lines.push(Line::raw(format!("{:VERB$} and {more} more", "")));
    }
    lines
}

fn wrapped(
    text: &str,
    columns: usize,
    indent: &str,
    style: ratatui::style::Style,
) -> Vec<Line<'static>> {
    let text = paragraph(text, columns.max(8), "", indent);
    let lines = text
        .lines()
        .map(|line| Line::styled(line.to_owned(), style));
    lines.collect()
}
