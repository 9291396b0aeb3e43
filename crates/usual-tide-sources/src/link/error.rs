//! Why a link or a source fails.

use super::outbox::OutboxError;
use super::panics::message;
use std::any::Any;
use usual_tide::shared::SharedError;

/// Why a source gives no items, or no answer.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SourceError {
    /// It cannot be reached, or does not answer.
    #[error("{what}: {why}")]
    Unreachable {
        /// What was tried.
        what: String,
        /// What came of it.
        why: Box<dyn std::error::Error + Send + Sync>,
    },
    /// What it holds or answers cannot be used.
    #[error("{what}: {why}")]
    Unusable {
        /// What it is.
        what: String,
        /// Why it cannot be used.
        why: Box<dyn std::error::Error + Send + Sync>,
    },
    /// Code of the app, the source's or what an edit of the store calls, panicked. The link goes on, and tries again.
    #[error("{what} panicked: {message}")]
    Panicked {
        /// What was called.
        what: String,
        /// What the panic says.
        message: String,
    },
    /// The link is being closed.
    #[error("the link is being closed")]
    Closing,
}

impl SourceError {
    /// It cannot be reached, or does not answer.
    pub fn unreachable(
        what: impl Into<String>,
        why: impl Into<Box<dyn std::error::Error + Send + Sync>>,
    ) -> Self {
        Self::Unreachable {
            what: what.into(),
            why: why.into(),
        }
    }

    pub(super) fn panicked(what: &str, panic: &(dyn Any + Send)) -> Self {
        Self::Panicked {
            what: what.to_owned(),
            message: message(panic).to_owned(),
        }
    }

    /// What it holds or answers cannot be used.
    pub fn unusable(
        what: impl Into<String>,
        why: impl Into<Box<dyn std::error::Error + Send + Sync>>,
    ) -> Self {
        Self::Unusable {
            what: what.into(),
            why: why.into(),
        }
    }
}

/// Why a link cannot begin.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum LinkError {
    /// The store is in use by this thread.
    #[error(transparent)]
    Store(#[from] SharedError),
    /// The writes that were kept cannot be read.
    #[error(transparent)]
    Outbox(#[from] OutboxError),
    /// No thread can be started.
    #[error("no thread can be started for the link: {0}")]
    Thread(std::io::Error),
}
