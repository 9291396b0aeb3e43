//! Where calls of the operating system can be made to fail, by tests alone (feature `faults`).

use std::io;
#[cfg(feature = "files")]
use std::io::Write;

/// Comes before a call. With the feature `faults`, and where a test asks for it, the call fails.
#[cfg(feature = "faults")]
pub(crate) fn before(call: &'static str) -> io::Result<()> {
    fail::fail_point!(call, |kind| Err(error(kind.as_deref())));
    Ok(())
}

#[cfg(not(feature = "faults"))]
#[expect(clippy::unnecessary_wraps, reason = "with the feature it can fail")]
#[inline]
pub(crate) fn before(_: &'static str) -> io::Result<()> {
    Ok(())
}

#[cfg(feature = "faults")]
fn error(kind: Option<&str>) -> io::Error {
    let kind = match kind {
        Some("full") => io::ErrorKind::StorageFull,
        Some("denied") => io::ErrorKind::PermissionDenied,
        _ => io::ErrorKind::Other,
    };
    io::Error::new(kind, "a simulated fault")
}

/// Comes before a statement of a database.
#[cfg(feature = "sqlite")]
pub(crate) fn before_statement() -> rusqlite::Result<()> {
    use rusqlite::ffi;
    before("statement").map_err(|why| {
        let code = match why.kind() {
            io::ErrorKind::StorageFull => ffi::SQLITE_FULL,
            _ => ffi::SQLITE_IOERR,
        };
        rusqlite::Error::SqliteFailure(ffi::Error::new(code), Some(why.to_string()))
    })
}

/// Writes that can fail; then half of what was to be written is there.
#[cfg(feature = "files")]
pub(crate) struct Writing<W>(pub(crate) W);

#[cfg(feature = "files")]
impl<W: Write> Write for Writing<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        before("write").inspect_err(|_| {
            let _ = self.0.write_all(&bytes[..bytes.len() / 2]);
        })?;
        self.0.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}
