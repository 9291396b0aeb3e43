//! `usual-tide verify`: a trace that an app recorded.

use crate::args::{StepFormat, Verify};
use crate::error::CommandError;
use crate::input;
use crate::output::cells::fitted;
use crate::output::{Output, columns, counted, paragraph};
use crate::trace::{Divergence, InStep, follow};
use anstyle::{AnsiColor, Style};
use serde_json::{Value, json};
use std::process::ExitCode;
use usual_tide::record::RecordKey;

/// Rows told before and after the first that differs.
const AROUND: usize = 3;

const BOLD: Style = Style::new().bold();
const WRONG: Style = AnsiColor::Red.on_default().bold();
const RIGHT: Style = AnsiColor::Green.on_default().bold();

pub(crate) fn run(verify: &Verify, out: &mut Output) -> Result<ExitCode, CommandError> {
    let file = input::shown(&verify.trace);
    let followed = follow(&input::text(&verify.trace)?);
    let followed = followed.map_err(|(line, what)| CommandError::Trace { file, line, what })?;
    match followed {
        Ok(ended) => {
            match verify.format {
                StepFormat::Text => out.text(&in_step(&ended))?,
                StepFormat::Json => out.json(&json!({
                    "in_step": true,
                    "changes": ended.changes,
                    "compared": ended.compared,
                    "rows": ended.rows,
                }))?,
            }
            Ok(ExitCode::SUCCESS)
        }
        Err(divergence) => {
            match verify.format {
                StepFormat::Text => out.text(&report(&divergence, columns()))?,
                StepFormat::Json => out.json(&as_json(&divergence))?,
            }
            // It was told, and once is enough.
            Ok(ExitCode::FAILURE)
        }
    }
}

fn in_step(ended: &InStep) -> String {
    format!(
        "in step: {}, the view's rows compared {}, {} at the end\n",
        counted(ended.changes, "change set", "change sets"),
        counted(ended.compared, "time", "times"),
        counted(ended.rows, "row", "rows"),
    )
}

fn report(divergence: &Divergence, columns: usize) -> String {
    let mut lines = vec![format!(
        "{BOLD}line {}: {}{BOLD:#}",
        divergence.line, divergence.what
    )];
    if let Some((line, told)) = &divergence.changes {
        lines.push(format!("line {line} says: {}", told.summary()));
    }
    lines.extend(rows(divergence));
    lines.push(String::new());
    let cause = divergence.cause.text();
    for (name, text) in [
        ("likely cause:", cause.as_str()),
        ("what helps:", divergence.cause.remedy()),
    ] {
        let text = paragraph(&format!("{name} {text}"), columns, "", "  ");
        lines.push(text.replacen(name, &format!("{BOLD}{name}{BOLD:#}"), 1));
    }
    lines.join("\n") + "\n"
}

/// The rows around the first that differs, side by side.
fn rows(divergence: &Divergence) -> Vec<String> {
    let Some(shown) = &divergence.shown else {
        return Vec::new();
    };
    let expected = &divergence.expected;
    let same = shown
        .iter()
        .zip(expected)
        .take_while(|(a, b)| a == b)
        .count();
    let end = (same + AROUND + 1).min(shown.len().max(expected.len()));
    let key =
        |rows: &[RecordKey], at: usize| rows.get(at).map(ToString::to_string).unwrap_or_default();
    let widest = (0..end).map(|at| key(shown, at).chars().count()).max();
    let width = widest.unwrap_or(0).max("shown".len());
    let mut lines = vec![
        String::new(),
        format!("  number  {}  should be", fitted("shown", width, false)),
    ];
    for at in same.saturating_sub(AROUND)..end {
        let (one, two) = (key(shown, at), key(expected, at));
        let (wrong, right) = match one == two {
            true => (Style::new(), Style::new()),
            false => (WRONG, RIGHT),
        };
        let padded = fitted(&one, width, false) + "  ";
        let padding = padded.get(one.len()..).filter(|_| !two.is_empty());
        let padding = padding.unwrap_or_default();
        let number = at + 1;
        lines.push(format!(
            "  {number:>6}  {wrong}{one}{wrong:#}{padding}{right}{two}{right:#}"
        ));
    }
    lines
}

fn as_json(divergence: &Divergence) -> Value {
    let keys = |rows: &[RecordKey]| rows.iter().map(RecordKey::to_value).collect::<Value>();
    json!({
        "in_step": false,
        "line": divergence.line,
        "what": divergence.what,
        "changes_line": divergence.changes.as_ref().map(|told| told.0),
        "shown": divergence.shown.as_deref().map(keys),
        "expected": keys(&divergence.expected),
        "cause": divergence.cause.name(),
        "explanation": divergence.cause.text(),
        "remedy": divergence.cause.remedy(),
    })
}
