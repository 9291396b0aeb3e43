//! Records from rows of columns.

use super::build::BlockWriter;
use super::content::MemberValue;
use super::item::{MOST_DEPTH, RecordError, nests_at_most};
use serde_core::de::IgnoredAny;
use serde_json::Value as Json;

/// The members of records that the columns of a table are: names are brought in order once for all rows.
///
/// ```
/// use usual_tide::record::{ColumnValue, Columns, FieldName, MemberValue, RecordMaker};
///
/// let columns = Columns::new([vec!["id".to_owned()], vec!["fee".to_owned(), "amount".to_owned()]]);
/// let maker = RecordMaker::new(&FieldName::parse("id")?);
/// let row = [MemberValue::Number("7"), MemberValue::Text("4.50")].map(ColumnValue::from);
/// let record = maker.row(&columns, &row)?;
/// assert_eq!(record.members().to_string(), r#"{"id":7,"fee":{"amount":"4.50"}}"#);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug)]
pub struct Columns {
    steps: Vec<ColumnStep>,
}

/// What a column holds in a row.
#[derive(Clone, Debug)]
pub enum ColumnValue<'a> {
    /// A plain value.
    Value(MemberValue<'a>),
    /// Any JSON value.
    Json(Json),
}

impl<'a> From<MemberValue<'a>> for ColumnValue<'a> {
    fn from(value: MemberValue<'a>) -> Self {
        Self::Value(value)
    }
}

#[derive(Clone, Debug)]
enum ColumnStep {
    Value { name: String, column: usize },
    Open { name: String },
    Close,
}

/// A member while the columns are brought in order.
enum Branch {
    Column(usize),
    Object(Vec<(String, Branch)>),
}

impl Columns {
    /// The columns whose values are at these paths, each the names of the members that lead to it. A path that leads
    /// to another one's end, or through it, is left out; so is one without names. O(columns²).
    pub fn new(paths: impl IntoIterator<Item = Vec<String>>) -> Self {
        let mut members = Vec::new();
        for (column, path) in paths.into_iter().enumerate() {
            put(&mut members, &path, column);
        }
        let mut steps = Vec::new();
        lay_out(members, &mut steps);
        Self { steps }
    }

    /// An error where a value cannot be a member.
    pub(super) fn write(
        &self,
        values: &[ColumnValue<'_>],
        writer: &mut BlockWriter,
    ) -> Result<(), RecordError> {
        let mut levels = MOST_DEPTH - 1;
        let too_deep = || RecordError::TooDeep { most: MOST_DEPTH };
        for step in &self.steps {
            match step {
                ColumnStep::Value { name, column } => match values.get(*column) {
                    Some(ColumnValue::Value(MemberValue::Number(text))) if !is_number(text) => {
                        let text = (*text).to_owned();
                        return Err(RecordError::NotANumber { text });
                    }
                    Some(ColumnValue::Value(value)) if value.nests_at_most(levels) => {
                        writer.member(name, *value);
                    }
                    Some(ColumnValue::Json(value)) if nests_at_most(value, levels) => {
                        writer.json(name, value);
                    }
                    Some(_) => return Err(too_deep()),
                    None => writer.member(name, MemberValue::Null),
                },
                ColumnStep::Open { name } => {
                    writer.open(name);
                    levels = levels.checked_sub(1).ok_or_else(too_deep)?;
                }
                ColumnStep::Close => {
                    writer.close();
                    levels += 1;
                }
            }
        }
        Ok(())
    }
}

/// Whether a text is a number, and nothing else, as JSON writes it.
fn is_number(text: &str) -> bool {
    let begins = text.starts_with(|first: char| first == '-' || first.is_ascii_digit());
    begins
        && text.ends_with(|last: char| last.is_ascii_digit())
        && serde_json::from_str::<IgnoredAny>(text).is_ok()
}

fn put(members: &mut Vec<(String, Branch)>, path: &[String], column: usize) {
    let Some((name, rest)) = path.split_first() else {
        return;
    };
    let place = members.iter().position(|(other, _)| other == name);
    match (place, rest) {
        (None, []) => members.push((name.clone(), Branch::Column(column))),
        (None, rest) => {
            let mut inner = Vec::new();
            put(&mut inner, rest, column);
            members.push((name.clone(), Branch::Object(inner)));
        }
        (Some(place), rest) => {
            if let Branch::Object(inner) = &mut members[place].1 {
                put(inner, rest, column);
            }
        }
    }
}

fn lay_out(members: Vec<(String, Branch)>, steps: &mut Vec<ColumnStep>) {
    for (name, branch) in members {
        match branch {
            Branch::Column(column) => steps.push(ColumnStep::Value { name, column }),
            Branch::Object(inner) => {
                steps.push(ColumnStep::Open { name });
                lay_out(inner, steps);
                steps.push(ColumnStep::Close);
            }
        }
    }
}
