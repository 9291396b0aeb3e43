//! The foot of the screen: what is typed or asked, what was done, and the keys.

use super::row;
use super::style::{BOLD, Look, PLAIN, QUIET};
use crate::browse::app::list::ListView;
use crate::browse::app::prompt::Prompt;
use crate::browse::app::{App, Mode, keys};
use crate::output::cells::{cut, width};
use crate::output::counted;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use usual_tide::Item;

/// Lines between the list and the keys.
pub(super) fn lines(app: &App) -> u16 {
    match &app.mode {
        Mode::Prompt(_) => 2,
        _ => 1 + u16::from(app.timing.is_some()),
    }
}

/// What is typed, or what was done.
pub(super) fn message(app: &App, area: Rect, frame: &mut Frame<'_>, look: Look) {
    if let Mode::Prompt(prompt) = &app.mode {
        return typing(prompt, area, frame, look);
    }
    let columns = usize::from(area.width);
    let (text, style) = said(app, look);
    let first = Rect {
        height: 1.min(area.height),
        ..area
    };
    frame.render_widget(Line::styled(cut(&text, columns), style), first);
    if let Some(timing) = &app.timing
        && area.height > 1
    {
        let place = Rect {
            y: area.y + 1,
            height: 1,
            ..area
        };
        frame.render_widget(Line::styled(cut(&timing.told(), columns), QUIET), place);
    }
}

/// A problem, a question, what was done, or why the row under the cursor failed.
fn said(app: &App, look: Look) -> (String, ratatui::style::Style) {
    match &app.mode {
        Mode::Edit(editing) => {
            if let Some(problem) = &editing.problem {
                return (problem.clone(), look.problem());
            }
            let column = app.columns.get(editing.field);
            let told = column.map(|column| match column.is_key {
                true => format!("{}: the key, which cannot be changed", column.title),
                false => format!("{}: {}", column.title, column.field.kind()),
            });
            return (told.unwrap_or_default(), PLAIN);
        }
        Mode::AskPlace => {
            let text = "Add a row:  a here   s at the start   e at the end   Esc nowhere";
            return (text.to_owned(), BOLD);
        }
        Mode::AskAgain(draft) => {
            let text = format!(
                "{} was removed while you edited it. Add it again?  y: yes   any other key: drop the edit",
                draft.key()
            );
            return (text, BOLD);
        }
        Mode::AskLeave => {
            let edits = counted(app.store.waiting, "edit is", "edits are");
            let text = format!(
                "{edits} not saved.  w: save first   y: leave without   any other key: stay"
            );
            return (text, BOLD);
        }
        _ => {}
    }
    if app.keys_wait {
        return ("one moment: the list is being arranged".to_owned(), BOLD);
    }
    if let Some(message) = app.message.as_ref().filter(|message| message.is_problem) {
        return (message.text.clone(), look.problem());
    }
    let row = app
        .list()
        .and_then(|list: &ListView| Some((list, list.row()?)));
    let mark = row.map(|(list, row)| (list.mark(row.key()), row));
    if let Some((mark, row)) = mark
        && let Some(reason) = mark.reason
    {
        let text = format!(
            "{} was refused: {reason}   t: try again   x: drop",
            row.key()
        );
        return (text, look.problem());
    }
    if let Some(message) = &app.message {
        return (message.text.clone(), PLAIN);
    }
    let undo = app
        .store
        .undo
        .as_ref()
        .map(|name| format!("u undoes: {name}"));
    let redo = app
        .store
        .redo
        .as_ref()
        .map(|name| format!("r makes again: {name}"));
    let told: Vec<String> = undo.into_iter().chain(redo).collect();
    (told.join("   "), QUIET)
}

/// A text that is typed, with what is wrong under the place where it is.
fn typing(prompt: &Prompt, area: Rect, frame: &mut Frame<'_>, look: Look) {
    let label = format!("{}: ", prompt.kind.name());
    let begin = u16::try_from(width(&label)).unwrap_or(0);
    frame.render_widget(Line::styled(label, BOLD), Rect { height: 1, ..area });
    let field = Rect {
        x: area.x + begin.min(area.width),
        width: area.width.saturating_sub(begin),
        height: 1,
        ..area
    };
    row::typed(&prompt.input, field, frame);
    if area.height < 2 {
        return;
    }
    let below = Rect {
        y: area.y + 1,
        height: 1,
        ..area
    };
    let columns = usize::from(area.width);
    let (text, style) = match &prompt.problem {
        None => (
            format!("{:1$}{2}", "", usize::from(begin), prompt.kind.example()),
            QUIET,
        ),
        Some(problem) => {
            let scrolled = prompt
                .input
                .visual_scroll(usize::from(field.width).saturating_sub(1));
            let at = problem.column.map_or(0, |column| {
                let before: String = prompt.input.value().chars().take(column).collect();
                width(&before).saturating_sub(scrolled)
            });
            let why = match problem.column {
                Some(_) => format!("^ {}", problem.why),
                None => problem.why.clone(),
            };
            // What does not fit to the right of the place begins further left.
            let at = usize::from(begin) + at;
            let at = at.min(columns.saturating_sub(width(&why)));
            (format!("{:at$}{why}", ""), look.problem())
        }
    };
    frame.render_widget(Line::styled(cut(&text, columns), style), below);
}

/// The keys that are of use now.
pub(super) fn keys(app: &App, area: Rect, frame: &mut Frame<'_>) {
    let told: Vec<(&str, &str)> = match &app.mode {
        Mode::Rows => keys::foot().collect(),
        Mode::Prompt(_) => vec![("Enter", "take it"), ("Esc", "give it up")],
        Mode::Edit(_) => vec![
            ("Enter", "keep"),
            ("Tab", "next field"),
            ("Shift+Tab", "field before"),
            ("Esc", "give it up"),
        ],
        Mode::Conflict(_) => vec![
            ("↑ ↓", "field"),
            ("← →", "mine or theirs"),
            ("m", "all mine"),
            ("t", "all theirs"),
            ("Enter", "keep"),
            ("Esc", "give it up"),
        ],
        Mode::Detail { .. } | Mode::Help { .. } => {
            vec![("↑ ↓ PgUp PgDn", "scroll"), ("Esc", "back")]
        }
        Mode::Told => vec![
            ("↑ ↓ PgUp PgDn", "scroll"),
            ("p", "pause"),
            ("n", "next"),
            ("T", "write a trace"),
            ("Esc", "back"),
        ],
        Mode::AskDelete(_) | Mode::AskPlace | Mode::AskAgain(_) | Mode::AskLeave => Vec::new(),
    };
    let mut spans = Vec::new();
    let mut used = 0;
    for (key, does) in told {
        let wide = width(key) + width(does) + 3;
        if used + wide > usize::from(area.width) + 2 {
            break;
        }
        used += wide;
        spans.push(Span::styled(key.to_owned(), BOLD));
        spans.push(Span::styled(format!(" {does}  "), PLAIN));
    }
    frame.render_widget(Line::from(spans), area);
}
