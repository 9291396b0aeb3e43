//! `usual-tide replay`: a file and an edit script, change set by change set.

mod watched;

use crate::args::{QueryOptions, Replay, StepFormat};
use crate::error::CommandError;
use crate::input::{self, QueryContext};
use crate::output::change_text::ChangeText;
use crate::output::{Output, columns, counted, is_piped};
use crate::script::{self, Line, ScriptError, ScriptRunner};
use anstyle::Style;
use serde_json::{Map, Value, json};
use std::path::Path;
use usual_tide::record::Record;
use usual_tide::{Query, Store};
use usual_tide_sources::files;
use watched::WatchedList;

/// Rows of one change set that are told on a terminal; the rest is counted.
const TOLD: usize = 20;

/// Up to so many items, all rows are compared after each edit.
const ALWAYS_WHOLE: usize = 2_000;

/// With more items, the rows that a change set speaks of are compared after each edit, and all rows after so many.
const WHOLE_CHECK_EVERY: usize = 50;

const BOLD: Style = Style::new().bold();

pub(crate) fn run(replay: &Replay, out: &mut Output) -> Result<(), CommandError> {
    input::standard_input_once(&[&replay.file, &replay.script])?;
    let key = input::key_of(&replay.file, &replay.items)?;
    let items = input::read(&replay.file, &replay.items)?;
    let lines = script::lines(&input::text(&replay.script)?);
    let lines = lines.map_err(|(line, why)| in_line(replay, line, why))?;
    let queries = queries(replay, &items)?;
    let store = Store::load(items).map_err(CommandError::not_a_list(&replay.file))?;
    let mut stage = ScriptRunner {
        store,
        lists: Vec::new(),
        key,
        items: &replay.items,
        options: &replay.query,
        folder: folder(&replay.script),
    };
    let mut watched = Vec::new();
    for query in queries {
        let list = stage.store.bind(query);
        stage.lists.push(list);
        watched.push(WatchedList::new(&mut stage.store, list)?);
    }
    let mut trace = vec![json!({"rows": watched[0].keys(&stage.store)?})];
    let mut refused = 0;
    for (step, line) in (1..).zip(&lines) {
        let whole = step == lines.len()
            || step % WHOLE_CHECK_EVERY == 0
            || stage.store.len() <= ALWAYS_WHOLE;
        let why = match stage.run_op(&line.op) {
            Ok(()) => None,
            Err(why) if replay.keep_going && why.is_refusal() => Some(why),
            Err(why) => return Err(in_line(replay, line.number, why)),
        };
        refused += usize::from(why.is_some());
        let mut told = StepReport::new(replay.format, line, why);
        for (number, list) in (1..).zip(&mut watched) {
            let changes = list.read(&stage.store)?;
            if let (1, Some(changes), true) = (number, &changes, replay.trace.is_some()) {
                trace.push(json!({"changes": changes.to_json()}));
                trace.push(json!({"rows": list.keys(&stage.store)?}));
            }
            told.list(
                number,
                watched_name(replay, number),
                list,
                changes.as_ref(),
                &stage.store,
            )?;
            if replay.check
                && let Some(what) = list.check(&mut stage.store, changes.as_ref(), whole)?
            {
                // What was done is told, so that it can be looked at.
                told.print(out)?;
                return Err(CommandError::Differs {
                    file: input::shown(&replay.script),
                    line: line.number,
                    list: number,
                    what,
                });
            }
        }
        told.print(out)?;
    }
    if let Some(path) = &replay.trace {
        write_trace(path, &trace)?;
    }
    if replay.format == StepFormat::Text {
        let edits = counted(lines.len(), "edit", "edits");
        let mut foot = match refused {
            0 => edits,
            refused => format!("{edits}, {refused} refused"),
        };
        if replay.check {
            let lists = counted(
                watched.len(),
                "copy equals its list",
                "copies equal their lists",
            );
            let when = match stage.store.len() <= ALWAYS_WHOLE {
                true => "after each".to_owned(),
                false => format!("after every {WHOLE_CHECK_EVERY}th and the last"),
            };
            foot.push_str(&format!("; {when}, {lists}"));
        }
        out.text(&format!("{BOLD}{foot}{BOLD:#}\n"))?;
    }
    Ok(())
}

fn in_line(replay: &Replay, line: usize, why: ScriptError) -> CommandError {
    CommandError::Script {
        file: input::shown(&replay.script),
        line,
        why: Box::new(why),
    }
}

fn folder(script: &str) -> std::path::PathBuf {
    match Path::new(script).parent() {
        Some(folder) if script != "-" => folder.to_owned(),
        _ => std::path::PathBuf::new(),
    }
}

/// The query of the options, and the others.
fn queries(replay: &Replay, items: &[Record]) -> Result<Vec<Query<Record>>, CommandError> {
    let mut queries = vec![input::query(&replay.query, items.iter())?];
    let others = QueryOptions {
        totals: None,
        ..replay.query.clone()
    };
    for text in &replay.also {
        let texts = script::query(text).map_err(|why| CommandError::Also(Box::new(why)))?;
        let around = QueryContext::new(&texts.options(&others)?, items.iter())?;
        queries.push(around.change(Query::new(), &texts)?);
    }
    Ok(queries)
}

/// What tells one list from the others.
fn watched_name(replay: &Replay, number: usize) -> &str {
    match number.checked_sub(2) {
        _ if replay.also.is_empty() => "",
        None => "by the options",
        Some(other) => replay.also.get(other).map_or("", String::as_str),
    }
}

fn write_trace(path: &Path, lines: &[Value]) -> Result<(), CommandError> {
    let saved = files::replace_file(path, |out| {
        let mut lines = lines.iter();
        Ok(lines.try_for_each(|line| writeln!(out, "{line}"))?)
    });
    saved.map_err(|why| CommandError::Save {
        file: path.display().to_string(),
        why,
    })
}

/// What is told of one step.
enum StepReport {
    Text(Vec<String>),
    Json(Map<String, Value>),
}

impl StepReport {
    fn new(format: StepFormat, line: &Line, refused: Option<ScriptError>) -> Self {
        match format {
            StepFormat::Text => {
                let mut lines = vec![format!("{BOLD}{:>3}  {}{BOLD:#}", line.number, line.op)];
                lines.extend(refused.map(|why| format!("     refused: {why}")));
                Self::Text(lines)
            }
            StepFormat::Json => {
                let mut object = Map::new();
                object.insert("line".into(), line.number.into());
                object.insert("op".into(), line.op.name().into());
                if let Some(why) = refused {
                    object.insert("refused".into(), why.to_string().into());
                }
                object.insert("lists".into(), Value::Array(Vec::new()));
                Self::Json(object)
            }
        }
    }

    fn list(
        &mut self,
        number: usize,
        name: &str,
        list: &WatchedList,
        changes: Option<&usual_tide::ChangeSet<Record>>,
        store: &Store<Record>,
    ) -> Result<(), CommandError> {
        match self {
            Self::Text(lines) => {
                if !name.is_empty() {
                    lines.push(format!("     list {number} ({name})"));
                }
                match changes {
                    Some(changes) => {
                        let rows = store.list(list.id())?;
                        let told = ChangeText::new(changes, &rows, columns().saturating_sub(5));
                        let rows = told.lines();
                        let most = if is_piped() { rows.len() } else { TOLD };
                        lines.extend(rows.iter().take(most).map(|line| format!("     {line}")));
                        if rows.len() > most {
                            lines.push(format!("     … and {} more", rows.len() - most));
                        }
                        lines.push(format!("     {}", told.summary()));
                        lines.extend(told.renumbered().map(|line| format!("     {line}")));
                    }
                    None => lines.push("     no row is touched".to_owned()),
                }
            }
            Self::Json(object) => {
                let changes = match changes {
                    Some(changes) => changes.to_json(),
                    None => Value::Null,
                };
                if let Some(Value::Array(lists)) = object.get_mut("lists") {
                    lists.push(json!({"list": number, "changes": changes}));
                }
            }
        }
        Ok(())
    }

    fn print(self, out: &mut Output) -> Result<(), CommandError> {
        match self {
            Self::Text(lines) => out.text(&format!("{}\n\n", lines.join("\n"))),
            Self::Json(object) => out.json_line(&Value::Object(object)),
        }
    }
}
