//! Options of the commands that show a list.

use crate::input::built_without;
use clap::Args;
use std::path::PathBuf;
use usual_tide::query::{FilterText, NameInText, QueryTextError, Total, names_in};
use usual_tide::record::{FieldName, FieldNameError, Record};
use usual_tide::text::Collation;
use usual_tide::{Group, Sort};

/// How the items of a file, a database or a server are read.
#[derive(Args, Clone, Default, Debug)]
pub(crate) struct ItemOptions {
    /// The field that tells one item from another: a string or an integer, unique among them. It is `id` unless said
    /// otherwise, or the primary key of a table.
    #[arg(long, value_name = "FIELD", value_parser = field_name)]
    pub(crate) key: Option<FieldName>,
    /// The character between the values of a CSV file, a comma unless said otherwise (a tab in `.tsv` files); `tab` for
    /// a tab.
    #[arg(long, value_name = "CHARACTER", value_parser = delimiter)]
    pub(crate) delimiter: Option<u8>,
    /// A header that a server is sent with each request, such as `Accept-Language: de`; can be given again.
    #[arg(long, value_name = "NAME: VALUE")]
    pub(crate) header: Vec<String>,
    /// A file with the token that a server asks for (`Authorization: Bearer …`); without, the environment variable
    /// USUAL_TIDE_TOKEN.
    #[arg(long, value_name = "FILE")]
    pub(crate) token_file: Option<PathBuf>,
}

/// A field's name, which says what is wrong when it is none.
pub(super) fn field_name(text: &str) -> Result<FieldName, FieldNameError> {
    FieldName::parse(text)
}

/// Fields with commas between. No sign has a meaning here, and is a part of the name.
pub(super) fn field_names(text: &str) -> Result<FieldNames, String> {
    let names = names_in(text).map_err(|why| why.to_string())?;
    let names = names.into_iter().map(|one| {
        let name = one.sign.into_iter().collect::<String>() + &one.name + one.rest;
        FieldName::parse(&name).map_err(|why| why.to_string())
    });
    names.collect::<Result<_, _>>().map(FieldNames)
}

/// The fields that an option names.
#[derive(Clone, Debug)]
pub(crate) struct FieldNames(pub(crate) Vec<FieldName>);

fn delimiter(text: &str) -> Result<u8, String> {
    match (text, text.as_bytes()) {
        ("tab" | "\\t", _) => Ok(b'\t'),
        (_, [b'"' | b'\r' | b'\n']) => Err("it has a meaning of its own in CSV".to_owned()),
        (_, [character]) => Ok(*character),
        _ => Err("one ASCII character is expected, or tab".to_owned()),
    }
}

impl ItemOptions {
    /// The headers, as names and values; none where one of them is no header. What is wrong is not told with the value,
    /// which may be a secret.
    pub(crate) fn headers(&self) -> Option<Vec<(String, String)>> {
        let headers = self.header.iter().map(|text| {
            let (name, value) = text.split_once(':')?;
            let value = value.trim();
            let is_name = !name.is_empty()
                && name
                    .bytes()
                    .all(|byte| byte.is_ascii_alphanumeric() || b"-_.!#$%&'*+^`|~".contains(&byte));
            let is_value = value.bytes().all(|byte| (32..127).contains(&byte));
            (is_name && is_value).then(|| (name.to_owned(), value.to_owned()))
        });
        headers.collect()
    }
}

/// What to show of a file, and in what order.
#[derive(Args, Clone, Default, Debug)]
pub(crate) struct QueryOptions {
    /// Show only items for which this is true: a filter in CQL2, such as `fired = FALSE AND height_mm > 200`.
    #[arg(long, value_name = "CQL2", value_parser = filter)]
    pub(crate) filter: Option<String>,
    /// Show only items that hold all of these words, each in any field that holds text. Case and accents do
    /// not count.
    #[arg(long, value_name = "WORDS")]
    pub(crate) search: Option<String>,
    /// Fields to sort by, with commas between; a `-` before a field makes it descend. Names are dotted
    /// (`fee.amount`) or JSON Pointers (`/fee/amount`), and in double quotes where a comma is in them, or a sign before them.
    #[arg(long, value_name = "FIELDS", allow_hyphen_values = true, value_parser = sort)]
    pub(crate) sort: Option<String>,
    /// Put the rows into sections by a field, or by a part of it: `title:initial`, `height_mm:width=50`, or
    /// `day`, `week`, `month`, `quarter` or `year` of a date; a `-` before it for descending.
    #[arg(long, value_name = "FIELD[:PART]", allow_hyphen_values = true, value_parser = group)]
    pub(crate) group: Option<String>,
    /// What each section's heading tells of fields, with commas between: the `sum`, `minimum`, `maximum` or `mean`.
    #[arg(long, value_name = "FIELD:TOTAL", requires = "group", value_parser = Totals::parse)]
    pub(crate) totals: Option<Totals>,
    /// Sort text, and group it by initial letters, as this locale does (`de`, `sv-SE`), numbers by their value.
    #[arg(long, value_name = "TAG", value_parser = locale)]
    pub(crate) locale: Option<Collation>,
    /// Leave out so many rows from the top.
    #[arg(long, value_name = "ROWS", default_value_t = 0)]
    pub(crate) skip: usize,
    /// Show at most this many rows.
    #[arg(long, value_name = "ROWS")]
    pub(crate) take: Option<usize>,
    /// Number the rows; a change set then tells which rows that did not move show another number.
    #[arg(long)]
    pub(crate) numbered: bool,
}

impl QueryOptions {
    /// Whether the rows are those of the file, in its order.
    pub(crate) fn is_plain(&self) -> bool {
        self.filter.is_none()
            && self.search.is_none()
            && self.sort.is_none()
            && self.group.is_none()
    }
}

// What can be judged without the data is judged here, so that it is a fault of the options (exit status 2).

fn filter(text: &str) -> Result<String, QueryTextError> {
    let filter: FilterText = text.parse()?;
    filter.check::<Record>()?;
    Ok(text.to_owned())
}

fn sort(text: &str) -> Result<String, QueryTextError> {
    Sort::<Record>::parse(text)?;
    Ok(text.to_owned())
}

fn group(text: &str) -> Result<String, QueryTextError> {
    Group::<Record>::parse(text)?;
    Ok(text.to_owned())
}

fn locale(tag: &str) -> Result<Collation, String> {
    let collation = Collation::for_locale(tag).map_err(|why| why.to_string())?;
    // Another order than the one that was asked for would go unnoticed.
    match collation.is_by_locale() {
        true => Ok(collation.numeric()),
        false => Err(built_without("locale")),
    }
}

/// What headings tell of fields.
#[derive(Clone, Debug)]
pub(crate) struct Totals(pub(crate) Vec<(Total, String)>);

impl Totals {
    /// Reads `field:total` with commas between.
    pub(crate) fn parse(text: &str) -> Result<Self, String> {
        let one = |part: &NameInText<'_>| {
            let name = part.sign.into_iter().collect::<String>() + &part.name;
            let (field, total) = match part.rest.strip_prefix(':') {
                Some(total) => (&*name, total),
                None => name.rsplit_once(':').filter(|_| !part.is_quoted)?,
            };
            let total = match total.trim() {
                "sum" => Total::Sum,
                "minimum" => Total::Minimum,
                "maximum" => Total::Maximum,
                "mean" => Total::Mean,
                _ => return None,
            };
            FieldName::parse(field.trim_end()).ok()?;
            Some((total, field.trim_end().to_owned()))
        };
        let parts = names_in(text).map_err(|why| why.to_string())?;
        let parts = parts.iter().map(|part| {
            one(part).ok_or_else(|| {
                format!(
                    "{:?} is no field with `:sum`, `:minimum`, `:maximum` or `:mean` after it",
                    part.name
                )
            })
        });
        parts.collect::<Result<_, _>>().map(Self)
    }
}
