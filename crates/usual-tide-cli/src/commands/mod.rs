//! The commands that work on files.

pub(crate) mod apply;
pub(crate) mod compare;
#[cfg(feature = "manual")]
pub(crate) mod pages;
pub(crate) mod replay;
pub(crate) mod show;
pub(crate) mod verify;
pub(crate) mod watch;
