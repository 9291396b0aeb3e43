//! The columns of a CSV file, and how it separates them.

use super::write::NotStorable;
use crate::members::{path_of, put};
use serde_json::{Map, Value};
use std::collections::HashMap;
use usual_tide::record::{MemberValue, Object};

/// Names of members on the way to a value, at most: what is written is to be read again.
const MOST_STEPS: usize = 100;

/// How a CSV file is laid out: its columns in their order, so that a file without rows still has them, and the
/// character between them.
#[derive(Clone, PartialEq, Debug)]
pub struct CsvLayout {
    pub(super) delimiter: u8,
    names: Vec<String>,
    places: HashMap<String, usize>,
    /// The beginnings of dotted names: what is there is an object.
    objects: HashMap<String, usize>,
}

impl Default for CsvLayout {
    /// No columns, with commas between.
    fn default() -> Self {
        Self::separated_by(b',')
    }
}

impl CsvLayout {
    /// No columns, with this character between.
    pub fn separated_by(delimiter: u8) -> Self {
        Self {
            delimiter,
            names: Vec::new(),
            places: HashMap::new(),
            objects: HashMap::new(),
        }
    }

    /// The same with these columns; one that is in the way of another is left out.
    #[must_use]
    pub fn with_columns(mut self, names: impl IntoIterator<Item = String>) -> Self {
        for name in names {
            let _ = self.add(&name);
        }
        self
    }

    /// The names of the columns.
    pub fn names(&self) -> &[String] {
        &self.names
    }

    /// Adds a column, unless it is there; why not, when it is in the way of another.
    pub(crate) fn add(&mut self, name: &str) -> Result<(), &'static str> {
        if self.places.contains_key(name) {
            return Ok(());
        }
        let steps = path_of(name);
        if steps.len() > MOST_STEPS {
            return Err("it has too many dotted parts");
        }
        if self.objects.contains_key(name) {
            return Err("other items have an object there");
        }
        let mut end = 0;
        for step in &steps[..steps.len() - 1] {
            end += step.len();
            if self.places.contains_key(&name[..end]) {
                return Err("other items have a plain value in the place of the object");
            }
            *self.objects.entry(name[..end].to_owned()).or_default() += 1;
            end += 1;
        }
        self.places.insert(name.to_owned(), self.names.len());
        self.names.push(name.to_owned());
        Ok(())
    }

    pub(super) fn place(&self, name: &str) -> Option<usize> {
        self.places.get(name).copied()
    }

    /// Makes sure that an item can be written and is read back as it is, and adds its columns. Nothing is added
    /// where it cannot.
    ///
    /// # Errors
    ///
    /// [`NotStorable`] with the member that cannot be.
    pub(crate) fn admit(&mut self, item: Object<'_>) -> Result<(), NotStorable> {
        let mut names = Vec::new();
        collect(&mut String::new(), item, &mut names)?;
        if names.iter().all(|name| self.places.contains_key(name)) {
            return Ok(());
        }
        let mut more = self.clone();
        for name in names {
            more.add(&name).map_err(|why| NotStorable {
                field: name.clone(),
                why,
            })?;
        }
        *self = more;
        Ok(())
    }

    /// An item as it is read back: with all columns, null where it has nothing.
    pub(crate) fn as_read(&self, item: Object<'_>) -> Map<String, Value> {
        let mut members = Map::new();
        for name in &self.names {
            let steps = path_of(name);
            let value = find(item, &steps).map_or(Value::Null, |value| value.to_json());
            put(&mut members, &steps, value);
        }
        members
    }
}

fn find<'a>(members: Object<'a>, steps: &[String]) -> Option<MemberValue<'a>> {
    let (first, rest) = steps.split_first()?;
    rest.iter().try_fold(members.get(first)?, |value, step| {
        value.as_object()?.get(step)
    })
}

/// The dotted names of an item's values; an error where one could not be read back.
fn collect(
    above: &mut String,
    members: Object<'_>,
    names: &mut Vec<String>,
) -> Result<(), NotStorable> {
    let start = above.len();
    for (name, value) in members.iter() {
        above.push_str(name);
        let refused = |why| {
            Err(NotStorable {
                field: above.clone(),
                why,
            })
        };
        match value {
            // A column by itself can be without a name.
            _ if name.is_empty() && start > 0 => {
                return refused("a member without a name cannot be a part of a column's name");
            }
            _ if name.contains('.') => {
                return refused("a dot in a member's name would be read as an object");
            }
            MemberValue::List(_) => return refused("a list cannot be one value of a column"),
            MemberValue::Object(inner) if inner.is_empty() => {
                return refused("an object without members has no column");
            }
            MemberValue::Object(_) if name.is_empty() => {
                return refused("an object without a name has no columns");
            }
            MemberValue::Object(inner) => {
                above.push('.');
                collect(above, inner, names)?;
            }
            _ => names.push(above.clone()),
        }
        above.truncate(start);
    }
    Ok(())
}
