//! What the commands print.

pub(crate) mod cells;
pub(crate) mod change_text;
pub(crate) mod changes;
#[cfg(feature = "progress")]
pub(crate) mod progress;
#[cfg(not(feature = "progress"))]
#[path = "no_progress.rs"]
pub(crate) mod progress;
pub(crate) mod table;

use crate::error::CommandError;
use anstream::adapter::strip_str;
use anstream::{AutoStream, ColorChoice};
use serde_json::Value;
use std::borrow::Cow;
use std::io::{self, BufWriter, IsTerminal, StdoutLock, Write};
use terminal_size::terminal_size_of;
use usual_tide::sections::{Section, SectionKey};

/// Columns where there is no end to them: a file or another program reads.
const UNBOUNDED: usize = 1 << 20;

/// Standard output. Colours are taken out where they do not belong: when it is no terminal, or `NO_COLOR` is set.
pub(crate) struct Output {
    out: BufWriter<StdoutLock<'static>>,
    has_colours: bool,
    columns: usize,
}

impl Output {
    pub(crate) fn standard() -> Self {
        Self {
            has_colours: AutoStream::choice(&io::stdout()) != ColorChoice::Never,
            out: BufWriter::new(io::stdout().lock()),
            columns: columns(),
        }
    }

    /// Text for people, in colours where these belong, and in lines that fit.
    pub(crate) fn text(&mut self, text: &str) -> Result<(), CommandError> {
        let text = in_lines(text, self.columns);
        let written = match self.has_colours {
            true => self.out.write_all(text.as_bytes()),
            false => write!(self.out, "{}", strip_str(&text)),
        };
        written.map_err(CommandError::Write)
    }

    /// JSON over several lines.
    pub(crate) fn json(&mut self, value: &Value) -> Result<(), CommandError> {
        writeln!(self.out, "{value:#}").map_err(CommandError::Write)
    }

    /// JSON on one line.
    pub(crate) fn json_line(&mut self, value: &Value) -> Result<(), CommandError> {
        writeln!(self.out, "{value}").map_err(CommandError::Write)
    }

    pub(crate) fn finish(&mut self) -> Result<(), CommandError> {
        self.out.flush().map_err(CommandError::Write)
    }
}

/// The text with its longer lines broken between words, each rest set in a little further.
fn in_lines(text: &str, columns: usize) -> Cow<'_, str> {
    let fits = |line: &str| textwrap::core::display_width(line) <= columns;
    if text.lines().all(fits) {
        return Cow::Borrowed(text);
    }
    let lines = text.split_inclusive('\n').map(|line| {
        let (line, end) = match line.strip_suffix('\n') {
            Some(line) => (line, "\n"),
            None => (line, ""),
        };
        if fits(line) {
            return format!("{line}{end}");
        }
        let blanks = line.len() - line.trim_start_matches(' ').len();
        let others = " ".repeat((blanks + 2).min(columns / 2));
        format!("{}{end}", paragraph(line, columns, "", &others))
    });
    Cow::Owned(lines.collect())
}

/// Data, to the byte.
impl Write for Output {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.out.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.out.flush()
    }
}

/// Says on standard error what went wrong.
pub(crate) fn complain(error: &CommandError) {
    // When that cannot be written either, nobody is left to tell.
    let told = cells::one_line(&error.to_string());
    let _ = writeln!(io::stderr(), "usual-tide: {told}");
}

/// Says on standard error what is worth knowing, though it is no failure.
pub(crate) fn remark(text: &str) {
    let _ = writeln!(io::stderr(), "usual-tide: {text}");
}

/// Columns of the terminal, or what `USUAL_TIDE_COLUMNS` says where there is none; without end when neither tells:
/// what is piped is not cut.
pub(crate) fn columns() -> usize {
    let out = io::stdout();
    if out.is_terminal()
        && let Some((width, _)) = terminal_size_of(&out)
    {
        return usize::from(width.0);
    }
    let told = std::env::var("USUAL_TIDE_COLUMNS").ok();
    let told = told.and_then(|columns| columns.parse().ok());
    told.filter(|columns| *columns > 0).unwrap_or(UNBOUNDED)
}

/// Whether another program or a file takes the output, so that nothing of it is cut.
pub(crate) fn is_piped() -> bool {
    columns() == UNBOUNDED
}

/// What a section is called, on one line.
pub(crate) fn heading(section: &Section) -> String {
    match section.heading() {
        "" if section.key() == &SectionKey::WHOLE => "all rows".to_owned(),
        "" => "none".to_owned(),
        heading => cells::one_line(heading),
    }
}

/// Text in lines of this many columns at most, broken between words.
pub(crate) fn paragraph(text: &str, columns: usize, first: &str, others: &str) -> String {
    let options = textwrap::Options::new(columns)
        .initial_indent(first)
        .subsequent_indent(others)
        .word_splitter(textwrap::WordSplitter::NoHyphenation);
    textwrap::fill(text, options)
}

/// A count with its noun.
pub(crate) fn counted(count: usize, one: &str, many: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { many })
}
