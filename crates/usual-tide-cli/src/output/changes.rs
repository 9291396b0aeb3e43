//! A change set in the form that is asked for.

use super::change_text::ChangeText;
use super::{Output, columns};
use crate::args::ChangesFormat;
use crate::error::CommandError;
use serde_json::Value;
use usual_tide::record::Record;
use usual_tide::{BoundList, ChangeSet};

/// How a change set is written.
#[derive(Clone, Copy, Debug)]
pub(crate) struct ChangeWriter {
    pub(crate) format: ChangesFormat,
    pub(crate) without_moves: bool,
    /// Each on a line of its own, where there are several.
    pub(crate) one_line: bool,
}

impl ChangeWriter {
    /// Writes what turned a list into the rows that it has now.
    pub(crate) fn write(
        self,
        changes: &ChangeSet<Record>,
        rows: &BoundList<'_, Record>,
        out: &mut Output,
    ) -> Result<(), CommandError> {
        match self.format {
            ChangesFormat::Text => {
                let told = ChangeText::new(changes, rows, columns());
                for line in told.lines() {
                    out.text(&format!("{line}\n"))?;
                }
                out.text(&format!("{}\n", told.summary()))?;
                let renumbered = told.renumbered();
                renumbered.map_or(Ok(()), |line| out.text(&format!("{line}\n")))
            }
            ChangesFormat::Json => self.json(&changes.to_json(), out),
            ChangesFormat::JsonPatch => self.json(&changes.to_json_patch(), out),
            ChangesFormat::Steps => {
                let steps = match self.without_moves {
                    true => changes.steps_without_moves(),
                    false => changes.steps(),
                };
                let mut steps = changes.steps_to_json(&steps).into_iter();
                steps.try_for_each(|step| out.json_line(&step))
            }
        }
    }

    fn json(self, value: &Value, out: &mut Output) -> Result<(), CommandError> {
        match self.one_line {
            true => out.json_line(value),
            false => out.json(value),
        }
    }
}
