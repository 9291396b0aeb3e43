//! The command line.

use clap::{Args, Parser, Subcommand, ValueEnum};

/// Keeps bound lists in step with their data: see what a change set would be.
#[derive(Parser, Debug)]
#[command(name = "usual-tide", version, about)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Command,
}

#[derive(Subcommand, Debug)]
pub(crate) enum Command {
    /// A tour: an evening at a pottery studio's kiln queue, one change set after another.
    Demo,
    /// The rows of a file in the order of a query.
    #[command(after_help = "\
Examples:
  usual-tide show demo/pieces.json --sort -height_mm,title
  usual-tide show demo/pieces.json --search \"cafe plate\"
  usual-tide show demo/pieces.json --group due:week --sort title --locale sv
  usual-tide show demo/pieces.json --filter \"fired = FALSE AND CASEI(title) LIKE '%bowl'\"")]
    Show(Show),
    /// What turns the rows of one file into the rows of another.
    ///
    /// Rows are told apart by their key. The change set has the fewest moved rows that there can be.
    #[command(after_help = "\
Examples:
  usual-tide compare demo/pieces.json demo/pieces-later.json
  usual-tide compare demo/pieces.json demo/pieces-later.json --format json")]
    Compare(Compare),
}

#[derive(Args, Debug)]
pub(crate) struct Show {
    /// A JSON array of objects, or NDJSON; `-` for standard input.
    pub(crate) file: String,
    #[command(flatten)]
    pub(crate) query: QueryOptions,
    /// How to write the rows.
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
}

#[derive(Args, Debug)]
pub(crate) struct Compare {
    /// The rows before: a JSON array of objects, or NDJSON; `-` for standard input.
    pub(crate) old: String,
    /// The rows after.
    pub(crate) new: String,
    #[command(flatten)]
    pub(crate) query: QueryOptions,
    /// How to write the change set.
    #[arg(long, value_enum, default_value_t)]
    pub(crate) format: Format,
}

/// What to show of a file, and in what order.
#[derive(Args, Debug)]
pub(crate) struct QueryOptions {
    /// The field that tells one item from another: a string or an integer, unique in the file.
    #[arg(long, value_name = "FIELD", default_value = "id")]
    pub(crate) key: String,
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
    /// Sort text, and group it by initial letters, as this locale does (`de`, `sv-SE`), numbers by their value.
    #[arg(long, value_name = "TAG")]
    pub(crate) locale: Option<String>,
    /// Number the rows; a change set then tells which rows that did not move show another number.
    #[arg(long)]
    pub(crate) numbered: bool,
}

#[derive(Clone, Copy, PartialEq, Eq, Default, Debug, ValueEnum)]
pub(crate) enum Format {
    /// For people.
    #[default]
    Text,
    /// For programs.
    Json,
}
