//! How a file is read, and what it holds.

use super::csv::CsvLayout;
use super::format::{FileFormat, extension};
use std::path::Path;
use usual_tide::record::Record;

/// How a file is read.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub struct ReadOptions {
    /// The format; the one that the text looks like where it is not given.
    pub format: Option<FileFormat>,
    /// The character between the values of a CSV file, one byte.
    pub delimiter: u8,
    /// How many items are read at most; the rest of JSON and NDJSON is not read. `None` reads all.
    pub most: Option<usize>,
}

impl Default for ReadOptions {
    /// Whatever it looks like; commas in CSV.
    fn default() -> Self {
        Self {
            format: None,
            delimiter: b',',
            most: None,
        }
    }
}

impl ReadOptions {
    /// As a file of this name is read: in the format that its name tells ([`FileFormat::of_path`]), with tabs between the values of
    /// a `.tsv` file.
    ///
    /// ```
    /// use usual_tide_sources::files::{FileFormat, ReadOptions};
    ///
    /// let options = ReadOptions::of_path("pieces.tsv");
    /// assert_eq!((options.format, options.delimiter), (Some(FileFormat::Csv), b'\t'));
    /// ```
    pub fn of_path(path: impl AsRef<Path>) -> Self {
        let usual = Self::default().format(FileFormat::of_path(&path));
        match extension(path.as_ref()).as_deref() {
            Some("tsv") => usual.delimiter(b'\t'),
            _ => usual,
        }
    }

    /// With this format; with the one that the text looks like when it is `None`.
    #[must_use]
    pub fn format(mut self, format: impl Into<Option<FileFormat>>) -> Self {
        self.format = format.into();
        self
    }

    /// With this character between the values of a CSV file.
    #[must_use]
    pub fn delimiter(mut self, delimiter: u8) -> Self {
        self.delimiter = delimiter;
        self
    }

    /// With this many items at most.
    #[must_use]
    pub fn most(mut self, items: impl Into<Option<usize>>) -> Self {
        self.most = items.into();
        self
    }
}

/// What a file holds.
#[derive(Clone, PartialEq, Debug)]
#[non_exhaustive]
pub struct FileContent {
    /// The items, in the file's order.
    pub items: Vec<Record>,
    /// The columns of a CSV file, to be given to [`write_as`](super::write_as).
    pub layout: CsvLayout,
}

impl FileContent {
    pub(super) fn of_json(items: Vec<Record>) -> Self {
        let layout = CsvLayout::default();
        Self { items, layout }
    }
}
