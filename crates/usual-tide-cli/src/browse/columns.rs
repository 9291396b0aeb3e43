//! The columns of a list: the fields of the items, and how wide they are.

use crate::output::cells::{plain, width};
use std::sync::Arc;
use usual_tide::fields::{AnyField, Kind};
use usual_tide::query::FieldLookup;
use usual_tide::record::{FieldName, Record, Schema};
use usual_tide::{Fields, Store};

/// The widest that a column gets.
const WIDEST: usize = 28;
/// Items that are looked at for the width of a column.
const SAMPLE: usize = 400;

/// A field of the items.
#[derive(Clone, Debug)]
pub(crate) struct Column {
    pub(crate) title: String,
    pub(crate) name: FieldName,
    pub(crate) field: AnyField<Record>,
    pub(crate) width: usize,
    pub(crate) is_key: bool,
}

impl Column {
    /// What an item holds here, on one line.
    pub(crate) fn cell(&self, item: &Record) -> String {
        item.field(&self.name).map(plain).unwrap_or_default()
    }

    pub(crate) fn is_to_the_right(&self) -> bool {
        let kind = self.field.kind();
        matches!(kind, Kind::Integer | Kind::Decimal | Kind::Float)
    }

    /// Whether a search looks into it.
    pub(crate) fn holds_text(&self) -> bool {
        matches!(self.field.kind(), Kind::Text | Kind::Any)
    }
}

/// The fields of the items, in their order.
#[derive(Clone, Default, Debug)]
pub(crate) struct Columns(pub(crate) Vec<Column>);

impl Columns {
    /// The fields that were chosen, or all, as wide as what they hold in the items that are looked at.
    pub(crate) fn new(
        schema: &Schema,
        chosen: Option<&[FieldName]>,
        key: &FieldName,
        store: &Store<Record>,
    ) -> Self {
        let names: Vec<FieldName> = match chosen {
            Some(names) => names.to_vec(),
            None => schema
                .fields()
                .filter_map(|(name, _)| FieldName::parse(name).ok())
                .collect(),
        };
        let sample = sample(store);
        let columns = names.into_iter().filter_map(|name| {
            let title = name.to_string();
            // A member that is an object as a whole is no field of the schema, and yet can be shown.
            let field = schema.field(&title).or_else(|| Record::field_named(&title));
            let mut column = Column {
                field: field?,
                is_key: name == *key,
                width: width(&title),
                title,
                name,
            };
            let widest = sample.iter().map(|item| width(&column.cell(item))).max();
            column.width = column.width.max(widest.unwrap_or(0)).clamp(3, WIDEST);
            Some(column)
        });
        Self(columns.collect())
    }

    pub(crate) fn len(&self) -> usize {
        self.0.len()
    }

    /// The key's column.
    pub(crate) fn key(&self) -> Option<usize> {
        self.0.iter().position(|column| column.is_key)
    }

    /// This column, or the first other one where it is the key's, which never changes.
    pub(crate) fn editable_from(&self, at: usize) -> usize {
        let is_key = self.get(at).is_some_and(|column| column.is_key);
        let mut others = (0..self.len()).filter(|other| !self.0[*other].is_key);
        match is_key {
            true => others.next().unwrap_or(at),
            false => at,
        }
    }

    pub(crate) fn get(&self, at: usize) -> Option<&Column> {
        self.0.get(at)
    }
}

/// Items from all over the store.
fn sample(store: &Store<Record>) -> Vec<&Arc<Record>> {
    let every = (store.len() / SAMPLE).max(1);
    let positions = (0..store.len()).step_by(every);
    positions.filter_map(|at| store.at(at)).collect()
}
