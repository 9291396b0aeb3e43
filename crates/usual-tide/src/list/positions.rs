//! Positions that were read a while ago.

use super::log::{Entry, LogEntry};
use super::state::{Context, ListState};
use super::version::Version;
use crate::change::{Alignment, Segment};
use crate::item::Item;

/// Why a position that was read earlier names no row.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum PositionError {
    /// The list had no such position then.
    #[error("position {position} is out of range: the list had {len} rows (0..{len})")]
    OutOfRange {
        /// The position asked for.
        position: usize,
        /// The rows the list had.
        len: usize,
    },
    /// The list has changed too often since.
    #[error(
        "the position is too old: it was read {changes} changes ago, \
         and the last {known} are known; read it again"
    )]
    TooOld {
        /// How many changes ago it was read.
        changes: u64,
        /// How many changes the list can look back.
        known: u64,
    },
    /// The list never had this version.
    #[error("the version is not one of this list's: it comes from another list")]
    UnknownVersion,
}

impl<T: Item> ListState<T> {
    /// The key of the row that was shown at a position when the list had a version, even when
    /// the row is gone by now. O(changes since).
    pub(super) fn key_shown(
        &self,
        position: usize,
        version: Version,
        context: Context<'_, T>,
    ) -> Result<T::Key, PositionError> {
        let now = self.log.version();
        if version > now {
            return Err(PositionError::UnknownVersion);
        }
        let entries = self.log.since(version).ok_or(PositionError::TooOld {
            changes: now.0 - version.0,
            known: now.0 - self.log.oldest().0,
        })?;
        let entries: Vec<&LogEntry<T>> = entries.collect();
        let rows = entries
            .first()
            .map_or(self.rows.len(), |entry| entry.rows.rows_before());
        let window = entries
            .iter()
            .find_map(|noted| match &noted.rows {
                Entry::Shown { before, .. } => Some(*before),
                _ => None,
            })
            .unwrap_or(self.window());
        // A layout is noted where it hides rows.
        let layout = match entries.first() {
            Some(noted) => noted
                .sections
                .as_ref()
                .and_then(|noted| noted.hidden_before.as_ref()),
            None => self.layout(),
        };
        let open_rows = layout.map_or(rows, |layout| layout.sums().shown);
        let shown = window.range(open_rows);
        let out_of_range = PositionError::OutOfRange {
            position,
            len: shown.len(),
        };
        if position >= shown.len() {
            return Err(out_of_range);
        }

        let at = shown.start + position;
        let mut at = layout.map_or(at, |layout| layout.row_of_shown(at));
        for noted in entries {
            match follow(&noted.rows, at) {
                Ok(next) => at = next,
                Err(Some(key)) => return Ok(context.key_now(&key).clone()),
                Err(None) => return Err(out_of_range),
            }
        }
        let item = self.rows.get(at).and_then(|slot| context.items.get(slot));
        item.map(|item| item.key().clone()).ok_or(out_of_range)
    }
}

/// Where a row is after a change, or the key that it had when it left.
fn follow<T: Item>(entry: &Entry<T>, at: usize) -> Result<usize, Option<T::Key>> {
    match entry {
        Entry::Shown { .. } => Ok(at),
        Entry::Rows(alignment) => follow_alignment(alignment, at),
        Entry::Row { row, .. } => {
            let from = row.before.as_ref();
            let to = row.after.as_ref().map(|after| after.0);
            match (from, to) {
                (Some((from, _)), Some(to)) if *from == at => Ok(to),
                (Some((from, item)), None) if *from == at => Err(Some(item.key().clone())),
                _ => {
                    let rest = at - usize::from(from.is_some_and(|from| from.0 < at));
                    Ok(rest + usize::from(to.is_some_and(|to| to <= rest)))
                }
            }
        }
    }
}

fn follow_alignment<T: Item>(alignment: &Alignment<T>, at: usize) -> Result<usize, Option<T::Key>> {
    let run = alignment.removed.partition_point(|run| run.at <= at);
    if let Some(run) = run.checked_sub(1).map(|run| &alignment.removed[run])
        && let Some(item) = run.rows.at(at - run.at)
    {
        return Err(Some(item.key().clone()));
    }
    let mut to = 0;
    for segment in &alignment.segments {
        match segment {
            Segment::Kept { from, len } if (*from..*from + *len).contains(&at) => {
                return Ok(to + at - from);
            }
            Segment::Changed { from, .. } if *from == at => return Ok(to),
            _ => to += segment.len(),
        }
    }
    Err(None)
}
