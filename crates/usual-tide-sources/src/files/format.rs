//! How a file holds its items.

use std::fmt;
use std::path::Path;

/// How a file holds its items.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum FileFormat {
    /// One JSON array of objects.
    Json,
    /// One JSON object a line.
    Ndjson,
    /// Comma-separated values (RFC 4180), or such with another character between them, under a line of field names. Dotted
    /// names go into objects.
    Csv,
}

impl FileFormat {
    /// The format of a file by its name: `.json`, `.ndjson` or `.jsonl`, `.csv` or `.tsv`.
    ///
    /// ```
    /// use usual_tide_sources::files::FileFormat;
    ///
    /// assert_eq!(FileFormat::of_path("demo/pieces.CSV"), Some(FileFormat::Csv));
    /// assert_eq!(FileFormat::of_path("-"), None);
    /// ```
    pub fn of_path(path: impl AsRef<Path>) -> Option<Self> {
        match &*extension(path.as_ref())? {
            "json" => Some(Self::Json),
            "ndjson" | "jsonl" => Some(Self::Ndjson),
            "csv" | "tsv" => Some(Self::Csv),
            _ => None,
        }
    }

    /// The format that a text looks like: JSON begins with a bracket, an object begins NDJSON; all else is CSV.
    pub fn of_text(text: &str) -> Self {
        let text = text.trim_start_matches('\u{feff}').trim_start();
        match text.bytes().next() {
            Some(b'{') => Self::Ndjson,
            Some(b'[') | None => Self::Json,
            Some(_) => Self::Csv,
        }
    }
}

/// What a file's name ends with, in small letters.
pub(super) fn extension(path: &Path) -> Option<String> {
    Some(path.extension()?.to_str()?.to_ascii_lowercase())
}

impl fmt::Display for FileFormat {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Json => "JSON",
            Self::Ndjson => "NDJSON",
            Self::Csv => "CSV",
        })
    }
}
