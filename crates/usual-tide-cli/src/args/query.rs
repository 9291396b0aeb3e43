//! Options of the commands that show a list.

use clap::Args;

/// How a file's items are told apart.
#[derive(Args, Clone, Debug)]
pub(crate) struct KeyOption {
    /// The field that tells one item from another: a string or an integer, unique in the file.
    #[arg(long, value_name = "FIELD", default_value = "id")]
    pub(crate) key: String,
}

/// What to show of a file, and in what order.
#[derive(Args, Clone, Debug)]
pub(crate) struct QueryOptions {
    /// Show only items for which this is true: a filter in CQL2, such as `fired = FALSE AND height_mm > 200`.
    #[arg(long, value_name = "CQL2")]
    pub(crate) filter: Option<String>,
    /// Show only items that hold all of these words, each in any field that holds text. Case and accents do
    /// not count.
    #[arg(long, value_name = "WORDS")]
    pub(crate) search: Option<String>,
    /// Fields to sort by, with commas between; a `-` before a field makes it descend. Names are dotted
    /// (`fee.amount`) or JSON Pointers (`/fee/amount`).
    #[arg(long, value_name = "FIELDS", allow_hyphen_values = true)]
    pub(crate) sort: Option<String>,
    /// Put the rows into sections by a field, or by a part of it: `title:initial`, `height_mm:step=50`, or
    /// `day`, `week`, `month`, `quarter` or `year` of a date; a `-` before it for descending.
    #[arg(long, value_name = "FIELD[:PART]", allow_hyphen_values = true)]
    pub(crate) group: Option<String>,
    /// What each section's heading tells of fields, with commas between: the `sum`, `minimum`, `maximum` or `mean`.
    #[arg(long, value_name = "FIELD:TOTAL", requires = "group")]
    pub(crate) totals: Option<String>,
    /// Sort text, and group it by initial letters, as this locale does (`de`, `sv-SE`), numbers by their value.
    #[arg(long, value_name = "TAG")]
    pub(crate) locale: Option<String>,
    /// Leave out so many rows from the top.
    #[arg(long, value_name = "ROWS", default_value_t = 0)]
    pub(crate) skip: usize,
    /// Show so many rows at the most.
    #[arg(long, value_name = "ROWS")]
    pub(crate) take: Option<usize>,
    /// Number the rows; a change set then tells which rows that did not move show another number.
    #[arg(long)]
    pub(crate) numbered: bool,
}
