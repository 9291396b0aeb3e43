//! Standard output and standard error.

use crate::error::CommandError;
use std::io::{ErrorKind, Write};
use usual_tide::{Section, SectionKey};

/// Writes text with colours, which are taken out where they do not belong: when the output is no
/// terminal, or `NO_COLOR` is set. A reader that has gone away is no error.
pub(crate) fn write(text: &str) -> Result<(), CommandError> {
    let mut out = anstream::AutoStream::auto(std::io::stdout()).lock();
    match out.write_all(text.as_bytes()).and_then(|()| out.flush()) {
        Err(error) if error.kind() != ErrorKind::BrokenPipe => Err(CommandError::Write(error)),
        _ => Ok(()),
    }
}

/// Says on standard error what went wrong.
pub(crate) fn complain(error: &CommandError) {
    // When that cannot be written either, nobody is left to tell.
    let _ = writeln!(std::io::stderr(), "usual-tide: {error}");
}

/// Columns of the terminal; 100 where there is none.
pub(crate) fn columns() -> usize {
    terminal_size::terminal_size().map_or(100, |(width, _)| usize::from(width.0))
}

/// What a section is called.
pub(crate) fn heading(section: &Section) -> &str {
    match section.heading() {
        "" if section.key() == &SectionKey::WHOLE => "all rows",
        "" => "none",
        heading => heading,
    }
}
