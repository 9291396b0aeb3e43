//! Files replaced as a whole.

use std::fs;
use std::io::{self, BufWriter, Write};
use std::path::Path;
use tempfile::NamedTempFile;

/// Gives a file new content: all of it, or none when anything fails. Who reads it meanwhile sees the old content or
/// the new.
///
/// The content is written to a file beside it, brought to the disk and then put in its place, with the
/// permissions that the file had. A link is followed.
///
/// # Errors
///
/// Those of the file system or of `write`; the file is as it was.
pub fn replace_file(
    path: impl AsRef<Path>,
    write: impl FnOnce(&mut dyn Write) -> io::Result<()>,
) -> io::Result<()> {
    let path = path.as_ref();
    let target = fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    let folder = match target.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    };
    let permissions = fs::metadata(&target).map(|found| found.permissions());
    let new = NamedTempFile::new_in(folder)?;
    let mut out = BufWriter::new(new);
    write(&mut out)?;
    let new = out.into_inner().map_err(io::IntoInnerError::into_error)?;
    match permissions {
        Ok(permissions) => new.as_file().set_permissions(permissions)?,
        Err(_) => new.as_file().set_permissions(for_new_files(folder)?)?,
    }
    new.as_file().sync_all()?;
    new.persist(&target).map_err(|error| error.error)?;
    // The new name is only on the disk when the folder is; not every system can do that.
    if let Ok(folder) = fs::File::open(folder) {
        let _ = folder.sync_all();
    }
    Ok(())
}

/// The permissions that a new file gets here: a temporary one is for its owner alone.
fn for_new_files(folder: &Path) -> io::Result<fs::Permissions> {
    let probe = tempfile::Builder::new().make_in(folder, |path| {
        fs::OpenOptions::new()
            .write(true)
            .create_new(true)
            .open(path)
    })?;
    Ok(probe.as_file().metadata()?.permissions())
}
