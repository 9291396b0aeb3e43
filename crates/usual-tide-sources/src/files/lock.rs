//! Files that are opened so that no other program writes to them meanwhile.

use crate::faults;
use std::fs::File;
use std::io;
use std::path::Path;
use std::thread::sleep;
use std::time::{Duration, Instant};

const ERROR_SHARING_VIOLATION: i32 = 32;

/// What a file is opened for.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Access {
    Read,
    Replace,
    /// It is read, and written to at its end.
    Append,
}

/// Opens a file and waits until no other program that takes locks writes to it.
pub(super) fn open_locked(path: &Path, access: Access, most: Duration) -> io::Result<File> {
    let begun = Instant::now();
    loop {
        faults::before("open")?;
        if let Some(file) = try_open_locked(path, access)? {
            return Ok(file);
        }
        if begun.elapsed() > most {
            let why = "another program holds a lock on the file";
            return Err(io::Error::new(io::ErrorKind::WouldBlock, why));
        }
        sleep(Duration::from_millis(10));
    }
}

/// `None` while another program holds the file.
#[cfg(not(windows))]
fn try_open_locked(path: &Path, access: Access) -> io::Result<Option<File>> {
    use super::stamp::Stamp;
    use std::fs::TryLockError;
    let file = File::options()
        .read(true)
        .append(access == Access::Append)
        .open(path)?;
    let locked = match access {
        Access::Read => file.try_lock_shared(),
        Access::Replace | Access::Append => file.try_lock(),
    };
    match locked {
        // The one that was locked may have been replaced in the meantime.
        Ok(()) if Stamp::from(&file.metadata()?).file == Stamp::of(path)?.file => Ok(Some(file)),
        Ok(()) | Err(TryLockError::WouldBlock) => Ok(None),
        // Not every file system has locks.
        Err(TryLockError::Error(_)) => Ok(Some(file)),
    }
}

/// The same on Windows, where a lock would keep others from reading the file, too. Who opens a file says there what others may do
/// meanwhile: one that is about to be replaced they may read. Who only reads it leaves others free to do anything.
#[cfg(windows)]
fn try_open_locked(path: &Path, access: Access) -> io::Result<Option<File>> {
    use std::os::windows::fs::OpenOptionsExt;
    const FILE_SHARE_READ: u32 = 1;
    let opened = match access {
        Access::Read => File::open(path),
        Access::Append => File::options()
            .read(true)
            .append(true)
            .share_mode(FILE_SHARE_READ)
            .open(path),
        // To write to it is asked for so that two that mean to replace it exclude each other.
        Access::Replace => File::options()
            .read(true)
            .write(!std::fs::metadata(path)?.permissions().readonly())
            .share_mode(FILE_SHARE_READ)
            .open(path),
    };
    match opened {
        Err(why) if why.raw_os_error() == Some(ERROR_SHARING_VIOLATION) => Ok(None),
        opened => opened.map(Some),
    }
}

/// Whether a file could not be replaced since another program has it open, as is so on Windows alone.
pub(super) fn is_in_use(why: &io::Error) -> bool {
    const ERROR_ACCESS_DENIED: i32 = 5;
    let codes = [ERROR_ACCESS_DENIED, ERROR_SHARING_VIOLATION];
    cfg!(windows) && why.raw_os_error().is_some_and(|code| codes.contains(&code))
}
