//! Files of items, and queries from options.

use crate::args::QueryOptions;
use crate::error::CommandError;
use std::io::Read;
use usual_tide::record::{FieldName, Record, Schema, Shape, parse, parse_as};
use usual_tide::{Collation, FieldLookup, FilterText, Group, Kind, Query, Search, Sort};

/// The items of a file, in its order.
pub(crate) fn read(file: &str, key: &str) -> Result<Vec<Record>, CommandError> {
    let key = FieldName::parse(key).map_err(CommandError::Key)?;
    let text = read_text(file)?;
    let lower = file.to_ascii_lowercase();
    let by_line = lower.ends_with(".ndjson") || lower.ends_with(".jsonl");
    let items = if by_line {
        parse_as(Shape::Ndjson, &text, &key)
    } else {
        parse(&text, &key)
    };
    items.map_err(|why| CommandError::Parse {
        file: shown(file),
        why,
    })
}

fn read_text(file: &str) -> Result<String, CommandError> {
    let mut bytes = Vec::new();
    let done = if file == "-" {
        std::io::stdin().lock().read_to_end(&mut bytes)
    } else {
        std::fs::File::open(file).and_then(|mut file| file.read_to_end(&mut bytes))
    };
    done.map_err(|why| CommandError::Read {
        file: shown(file),
        why,
    })?;
    String::from_utf8(bytes).map_err(|error| {
        let offset = error.utf8_error().valid_up_to();
        let before = &error.as_bytes()[..offset];
        CommandError::NotText {
            file: shown(file),
            offset,
            line: 1 + before.iter().filter(|byte| **byte == b'\n').count(),
        }
    })
}

/// A file's name for a message.
pub(crate) fn shown(file: &str) -> String {
    if file == "-" { "standard input" } else { file }.to_owned()
}

/// The query that the options ask for, checked against the items that it is for.
pub(crate) fn query(
    options: &QueryOptions,
    items: &[&[Record]],
) -> Result<Query<Record>, CommandError> {
    let items = || items.iter().copied().flatten();
    let schema = Schema::infer(items());
    // Without items there are no fields to know: any name will do.
    let nothing = items().next().is_none();
    let mut query = Query::new();
    if let Some(text) = &options.filter {
        let filter: FilterText = text.parse()?;
        query = query.filter(if nothing {
            filter.check()?
        } else {
            filter.check_with(&schema)?
        });
    }
    if let Some(text) = &options.search {
        let holds_text = |(name, kind)| {
            let text = matches!(kind, Kind::Text | Kind::Any);
            text.then(|| schema.field(name)).flatten()
        };
        query = query.search(Search::in_fields(
            text,
            schema.fields().filter_map(holds_text),
        ));
    }
    let collation = match &options.locale {
        Some(tag) => Some(Collation::for_locale(tag)?.numeric()),
        None => None,
    };
    if let Some(text) = &options.sort {
        query = query.sort(match &collation {
            _ if nothing => Sort::parse(text)?,
            Some(collation) => Sort::parse_collated(text, &schema, collation)?,
            None => Sort::parse_with(text, &schema)?,
        });
    }
    if let Some(text) = &options.group {
        query = query.group(match &collation {
            _ if nothing => Group::parse(text)?,
            Some(collation) => Group::parse_collated(text, &schema, collation)?,
            None => Group::parse_with(text, &schema)?,
        });
    }
    Ok(if options.numbered {
        query.numbered()
    } else {
        query
    })
}
