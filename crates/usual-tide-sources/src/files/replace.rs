//! Files that get a new content as a whole.

use super::lock::is_in_use;
use super::stamp::Stamp;
use super::write::WriteError;
use crate::faults::{self, Writing};
use std::fs::{self, File, Metadata, Permissions};
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::thread::sleep;
use std::time::{Duration, Instant};
use tempfile::{Builder, NamedTempFile, TempPath};

/// Ends the names of files that are being written and are to replace another.
const NEW_SUFFIX: &str = ".usual-tide-new";

/// How long a program that has a file open may keep it from being replaced.
const PATIENCE: Duration = Duration::from_secs(1);

/// Gives a file new content: all of it, or none when anything fails. Who reads it meanwhile sees the old content or
/// the new.
///
/// The content is written to a file beside it, brought to the disk and put in its place, with the
/// permissions and the owner that the file had. Links are followed, dangling ones too. What is no regular file (a
/// pipe, a device) is written to as it is. A file that nobody may write to is refused; one whose owner cannot
/// be kept is written in place.
///
/// # Errors
///
/// Those of the file system or of `write`; the file is as it was, unless it had to be written in place.
pub fn replace_file(
    path: impl AsRef<Path>,
    write: impl FnOnce(&mut dyn Write) -> Result<(), WriteError>,
) -> Result<(), WriteError> {
    let target = behind_links(path.as_ref())?;
    let about = match fs::metadata(&target) {
        Ok(about) => Some(about),
        Err(why) if why.kind() == io::ErrorKind::NotFound => None,
        Err(why) => return Err(why.into()),
    };
    if let Some(about) = &about {
        refuse_unwritable(&target, about)?;
        if !about.is_file() {
            let mut out = BufWriter::new(fs::OpenOptions::new().write(true).open(&target)?);
            write(&mut out)?;
            return Ok(out.flush()?);
        }
    }
    let new = prepare(&target, about.as_ref(), write)?;
    match new {
        Prepared::Ready(new) => {
            let new = new.into_temp_path();
            faults::before("rename")?;
            put_in_place(new, &target, PATIENCE).map_err(|(why, _)| why)?;
        }
        Prepared::OtherOwner(new) => {
            let mut from = new.reopen()?;
            let mut to = fs::OpenOptions::new()
                .write(true)
                .truncate(true)
                .open(&target)?;
            io::copy(&mut from, &mut to)?;
            to.sync_all()?;
        }
    }
    Ok(())
}

/// A new content that is written and on the disk.
pub(super) enum Prepared {
    /// It can take the file's place.
    Ready(NamedTempFile),
    /// It cannot have the file's owner.
    OtherOwner(NamedTempFile),
}

/// Writes a new content to a file beside another.
pub(super) fn prepare(
    target: &Path,
    about: Option<&Metadata>,
    write: impl FnOnce(&mut dyn Write) -> Result<(), WriteError>,
) -> Result<Prepared, WriteError> {
    let folder = folder_of(target);
    faults::before("create")?;
    let new = Builder::new()
        .prefix(&hidden(target, ""))
        .suffix(NEW_SUFFIX)
        .tempfile_in(folder)?;
    // Who finds it locked knows that it is being written.
    let _ = new.as_file().try_lock();
    let mut out = BufWriter::new(Writing(new));
    write(&mut out)?;
    let Writing(new) = out.into_inner().map_err(io::IntoInnerError::into_error)?;
    let owned = about.is_none_or(|about| keep_owner(new.as_file(), about).is_ok());
    let permissions = match about {
        Some(about) => about.permissions(),
        None => for_new_files(folder)?,
    };
    faults::before("permissions")?;
    new.as_file().set_permissions(permissions)?;
    faults::before("sync")?;
    new.as_file().sync_all()?;
    Ok(match owned {
        true => Prepared::Ready(new),
        false => Prepared::OtherOwner(new),
    })
}

/// Puts a new content in a file's place and gives the path of what was there at that moment: on Linux and macOS in
/// one step, so that nothing which another program puts there meanwhile is lost. `None` where the file system cannot
/// keep that. When it fails, both are where they were. `release` comes right before the file is replaced.
pub(super) fn exchange(
    new: TempPath,
    target: &Path,
    release: impl FnOnce(),
) -> Result<Option<TempPath>, (io::Error, TempPath)> {
    if let Err(why) = faults::before("exchange") {
        return Err((why, new));
    }
    #[cfg(any(target_os = "linux", target_os = "android", target_vendor = "apple"))]
    {
        use rustix::fs::{CWD, RenameFlags, renameat_with};
        use rustix::io::Errno;
        /// What file systems answer that cannot do it.
        const CANNOT: [Errno; 5] = [
            Errno::INVAL,
            Errno::NOSYS,
            Errno::NOTSUP,
            Errno::OPNOTSUPP,
            // So do sandboxes.
            Errno::PERM,
        ];
        let exchanged = match faults::before("swap") {
            Ok(()) => renameat_with(CWD, &*new, CWD, target, RenameFlags::EXCHANGE),
            Err(_) => Err(Errno::NOTSUP),
        };
        match exchanged {
            Ok(()) => {
                release();
                sync_folder(target);
                return Ok(Some(new));
            }
            Err(why) if !CANNOT.contains(&why) => return Err((why.into(), new)),
            Err(_) => {}
        }
    }
    let former = Builder::new()
        .prefix(&hidden(target, ""))
        .suffix(NEW_SUFFIX)
        .make_in(folder_of(target), |path| {
            faults::before("link")?;
            fs::hard_link(target, path)
        });
    let former = match former {
        Ok(former) => Some(former.into_temp_path()),
        Err(why) if why.kind() == io::ErrorKind::NotFound => return Err((why, new)),
        // Memory cards and some file servers know no second names.
        Err(why) => {
            tracing::debug!(%why, "the former version of the file is not kept");
            None
        }
    };
    release();
    put_in_place(new, target, Duration::ZERO)?;
    Ok(former)
}

/// Gives a new content the name of a file. Where another program has that open and this is in the way, it may take so long
/// to close it.
fn put_in_place(
    mut new: TempPath,
    target: &Path,
    patience: Duration,
) -> Result<(), (io::Error, TempPath)> {
    let begun = Instant::now();
    while let Err((why, path)) = rename(new, target) {
        if !is_in_use(&why) || begun.elapsed() >= patience {
            return Err((why, path));
        }
        new = path;
        sleep(Duration::from_millis(10));
    }
    sync_folder(target);
    Ok(())
}

#[cfg(not(windows))]
fn rename(new: TempPath, target: &Path) -> Result<(), (io::Error, TempPath)> {
    new.persist(target)
        .map_err(|failed| (failed.error, failed.path))
}

/// The same on Windows, where the library of temporary files replaces no file that somebody reads, and the standard one does, if
/// the reader lets others remove it.
#[cfg(windows)]
fn rename(new: TempPath, target: &Path) -> Result<(), (io::Error, TempPath)> {
    match fs::rename(&new, target) {
        Ok(()) => Ok(()),
        Err(why) => Err((why, new)),
    }
}

/// Puts back what another program had put in a file's place meanwhile, and gives what this one had put there. Where that
/// cannot be, it is kept beside the file, and the error says where.
pub(super) fn put_back(
    mut others: TempPath,
    ours: &Stamp,
    target: &Path,
) -> io::Result<Option<TempPath>> {
    let number = |path: &TempPath| Stamp::of(path).ok().map(|stamp| stamp.file);
    let mut put_there_last = Some(ours.file);
    let (why, others) = loop {
        let next = number(&others);
        let former = match exchange(others, target, || ()) {
            Ok(former) => former,
            Err(failed) => break failed,
        };
        let is_last = |former: &TempPath| number(former) == put_there_last;
        match former {
            // Yet another version was put there meanwhile, and is to stay.
            Some(newer) if next.is_some() && !is_last(&newer) => {
                put_there_last = next;
                others = newer;
            }
            former => return Ok(former.filter(|_| put_there_last == Some(ours.file))),
        }
    };
    let kept = keep_beside(target, |path| fs::rename(&others, path));
    let others = others.keep()?;
    let place = match kept {
        Ok(((), path)) => format!("it is kept as {}", path.display()),
        // What has such a name is removed by the next run.
        Err(_) => format!(
            "move {} away before the file is opened again",
            others.display()
        ),
    };
    let told = format!(
        "another program wrote to the file while it was replaced, and its version could not be put back ({why}): {place}"
    );
    Err(io::Error::new(why.kind(), told))
}

/// Makes a file for what another program wrote, which is not to be lost.
pub(super) fn keep_beside<R>(
    target: &Path,
    make: impl FnMut(&Path) -> io::Result<R>,
) -> io::Result<(R, PathBuf)> {
    let name = target.file_name().unwrap_or_default().to_string_lossy();
    let kept = Builder::new()
        .prefix(&format!("{name}."))
        .suffix(".from-another-program")
        .make_in(folder_of(target), make)?;
    Ok(kept.keep()?)
}

/// Removes what runs that were killed have left beside a file.
pub(super) fn clean_up(target: &Path) {
    let Ok(entries) = fs::read_dir(folder_of(target)) else {
        return;
    };
    let prefix = hidden(target, "");
    for entry in entries.flatten() {
        let name = entry.file_name();
        let is_ours = name
            .to_str()
            .is_some_and(|name| name.starts_with(&prefix) && name.ends_with(NEW_SUFFIX));
        // Another process may be writing it.
        let left = is_ours && File::open(entry.path()).is_ok_and(|file| file.try_lock().is_ok());
        if left && fs::remove_file(entry.path()).is_ok() {
            tracing::info!(file = ?entry.path(), "removed what an earlier run has left");
        }
    }
}

/// The target of a link, also where that does not exist yet.
pub(super) fn behind_links(path: &Path) -> io::Result<PathBuf> {
    let mut path = path.to_owned();
    // As many as the system follows.
    for _ in 0..40 {
        match fs::read_link(&path) {
            Ok(next) => path = folder_of(&path).join(next),
            Err(_) => return Ok(path),
        }
    }
    Err(io::Error::other("too many links, one after the other"))
}

fn refuse_unwritable(target: &Path, about: &Metadata) -> io::Result<()> {
    // The system lets an administrator write to any file; its owner has said otherwise.
    if about.permissions().readonly() {
        let why = "the file may not be written to: its permissions say so";
        return Err(io::Error::new(io::ErrorKind::PermissionDenied, why));
    }
    if about.is_file() {
        fs::OpenOptions::new().write(true).open(target)?;
    }
    Ok(())
}

#[cfg(unix)]
fn keep_owner(new: &File, about: &Metadata) -> io::Result<()> {
    use std::os::unix::fs::{MetadataExt, fchown};
    let own = new.metadata()?;
    if (own.uid(), own.gid()) == (about.uid(), about.gid()) {
        return Ok(());
    }
    fchown(new, Some(about.uid()), Some(about.gid()))
}

#[cfg(not(unix))]
fn keep_owner(_: &File, _: &Metadata) -> io::Result<()> {
    Ok(())
}

fn folder_of(path: &Path) -> &Path {
    match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    }
}

/// The name of a file that belongs to another and is not listed.
fn hidden(target: &Path, suffix: &str) -> String {
    let name = target.file_name().unwrap_or_default().to_string_lossy();
    format!(".{name}.{}", suffix.trim_start_matches('.'))
}

/// The new name is only on the disk when the folder is; not every system can do that.
fn sync_folder(target: &Path) {
    if let Ok(folder) = File::open(folder_of(target)) {
        let _ = folder.sync_all();
    }
}

/// The permissions that a new file gets here: a temporary one is for its owner alone.
fn for_new_files(folder: &Path) -> io::Result<Permissions> {
    let probe = Builder::new().make_in(folder, |path| {
        fs::OpenOptions::new()
            .write(true)
            .create_new(true)
            .open(path)
    })?;
    Ok(probe.as_file().metadata()?.permissions())
}
