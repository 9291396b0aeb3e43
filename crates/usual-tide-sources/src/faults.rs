//! Where calls of the operating system can be made to fail, by tests alone (feature `faults`).

use std::io::{self, Write};

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

/// Writes that can fail; then half of what was to be written is there.
pub(crate) struct Writing<W>(pub(crate) W);

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
