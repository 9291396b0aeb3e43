//! What the fuzz targets call: the readers of what comes from others.

#[cfg(feature = "net")]
pub use crate::serve::{Answered, Asked, TestServer};

use crate::args::{Arguments, Command};
use crate::script::{Op, ScriptRunner, lines};
use clap::Parser;
use std::path::PathBuf;
use usual_tide::record::{FieldName, Record};
use usual_tide::{Query, Store};

/// Follows a trace; whether its view was in step to the end.
///
/// # Errors
///
/// The line that is no line of a trace.
pub fn follow_trace(text: &str) -> Result<bool, usize> {
    let followed = crate::trace::follow(text).map_err(|(line, _)| line)?;
    Ok(followed.is_ok())
}

/// Runs a script of edits over these items with two lists, and checks the store after each edit. Lines that read
/// another file are left out.
///
/// # Errors
///
/// The line that is none, or what is not sound after an edit.
pub fn run_script(items: Vec<Record>, key: &FieldName, text: &str) -> Result<(), String> {
    let arguments = Arguments::try_parse_from(["usual-tide", "replay", "-", "-"]);
    let Ok(Command::Replay(replay)) = arguments.map(|arguments| arguments.command) else {
        return Err("the options of `replay` have changed".to_owned());
    };
    let lines = match lines(text) {
        Ok(lines) => lines,
        Err((line, why)) => return Err(format!("line {line}: {why}")),
    };
    let mut store = Store::load(items).map_err(|why| why.to_string())?;
    let lists = vec![store.bind(Query::new()), store.bind(Query::new())];
    let mut runner = ScriptRunner {
        store,
        lists,
        key: key.clone(),
        items: &replay.items,
        options: &replay.query,
        folder: PathBuf::new(),
    };
    for line in lines {
        let op = line.op;
        if matches!(op, Op::Reload { .. }) {
            continue;
        }
        // A message is made of each edit, and of each refusal.
        let said = match runner.run_op(&op) {
            Ok(()) => op.to_string(),
            Err(why) => why.to_string(),
        };
        assert!(!said.is_empty());
        let checked = runner.store.check();
        assert!(checked.is_ok(), "{checked:?} after {said}");
    }
    Ok(())
}
