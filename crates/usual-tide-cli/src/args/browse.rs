//! The options of the full-screen list.

use super::query::{FieldNames, ItemOptions, QueryOptions, field_names};
use clap::Args;

#[derive(Args, Clone, Debug)]
pub(crate) struct Browse {
    /// A file, `sqlite:PATH?table=NAME&order=COLUMN`, `sqlite:PATH?query=SQL`, `http://…` or `https://…`; the demo's
    /// pieces without.
    pub(crate) source: Option<String>,
    #[command(flatten)]
    pub(crate) items: ItemOptions,
    #[command(flatten)]
    pub(crate) query: QueryOptions,
    /// The fields to show, with commas between, in this order, named as those to sort by.
    #[arg(long, value_name = "FIELDS", value_parser = field_names)]
    pub(crate) columns: Option<FieldNames>,
    /// Another list over the same items beside the first, as a query in JSON with any of `filter`, `search`, `sort`,
    /// `group`, `totals`, `skip`, `take`; can be given again.
    #[arg(long, value_name = "JSON")]
    pub(crate) also: Vec<String>,
    /// Keep the edits of a file back until they are saved.
    #[arg(long)]
    pub(crate) hold: bool,
    /// Compare the view with the list after each change, and tell how long keys waited for their answer.
    #[arg(long)]
    pub(crate) check: bool,
}
