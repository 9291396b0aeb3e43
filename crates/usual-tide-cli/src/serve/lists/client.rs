//! One client's list: which shared list it reads, and the change sets that it may have missed.

use super::shared::{Positions, SharedChanges, json_of};
use std::collections::VecDeque;
use std::net::IpAddr;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use usual_tide::BoundList;
use usual_tide::record::Record;

/// Change sets that are kept for a client that is away, and rows that they touch. The last one is kept however large it is,
/// since a stream is about to read it.
const MOST_SETS: usize = 1000;
const MOST_TOUCHED: usize = 2_000;

/// What a client has missed.
#[derive(Debug)]
pub(in crate::serve) enum Missed {
    /// Nothing.
    Nothing,
    /// One change set as JSON, which leads to this version.
    Changes(u64, String),
    /// Some change sets are not kept any more: the rows as they are in this version, as JSON.
    Rows(u64, String),
}

/// A client's list.
#[derive(Debug)]
pub(super) struct ClientList {
    /// The number of the shared list.
    pub(super) shared: u64,
    pub(super) client: IpAddr,
    pub(super) version: u64,
    /// The last change sets, each with the version that it leads to.
    log: VecDeque<(u64, Arc<SharedChanges>)>,
    touched: usize,
    opened: Instant,
    /// When it was read last, in milliseconds since it was opened; and how many streams read it now.
    read: AtomicU64,
    streams: AtomicUsize,
}

impl ClientList {
    pub(super) fn new(shared: u64, client: IpAddr) -> Self {
        Self {
            shared,
            client,
            version: 0,
            log: VecDeque::new(),
            touched: 0,
            opened: Instant::now(),
            read: AtomicU64::new(0),
            streams: AtomicUsize::new(0),
        }
    }

    /// The rows have changed.
    pub(super) fn push(&mut self, changes: Arc<SharedChanges>) {
        self.version += 1;
        self.touched += changes.changes.touched();
        self.log.push_back((self.version, changes));
        while self.log.len() > MOST_SETS || (self.touched > MOST_TOUCHED && self.log.len() > 1) {
            let Some((_, oldest)) = self.log.pop_front() else {
                break;
            };
            self.touched -= oldest.changes.touched();
        }
    }

    /// What comes after a version, as one change set; `None` where some of it is not kept any more, or there was no
    /// such version.
    pub(super) fn after(
        &self,
        version: u64,
        rows: &BoundList<'_, Record>,
        positions: Positions,
    ) -> Option<Missed> {
        if version >= self.version {
            return (version == self.version).then_some(Missed::Nothing);
        }
        let first = self.log.partition_point(|(to, _)| *to <= version);
        let (to, _) = self.log.get(first)?;
        if *to != version + 1 {
            return None;
        }
        let mut sets = self.log.range(first..).map(|(_, changes)| changes);
        let only = sets.next()?;
        if first + 1 == self.log.len() {
            let json = only.json(rows, positions).to_owned();
            return Some(Missed::Changes(self.version, json));
        }
        let mut missed = only.changes.clone();
        for next in sets {
            missed = missed.then(&next.changes)?;
        }
        let json = json_of(&missed, rows, positions);
        Some(Missed::Changes(self.version, json))
    }

    /// Somebody reads it.
    pub(super) fn touch(&self) {
        let now = u64::try_from(self.opened.elapsed().as_millis()).unwrap_or(u64::MAX);
        self.read.store(now, Ordering::Relaxed);
    }

    pub(super) fn note_stream(&self, begins: bool) {
        self.touch();
        match begins {
            true => self.streams.fetch_add(1, Ordering::Relaxed),
            false => self.streams.fetch_sub(1, Ordering::Relaxed),
        };
    }

    /// Whether nobody has read it for so long.
    pub(super) fn is_unused(&self, now: Instant, most: Duration) -> bool {
        let read = self.opened + Duration::from_millis(self.read.load(Ordering::Relaxed));
        self.streams.load(Ordering::Relaxed) == 0 && now.saturating_duration_since(read) >= most
    }
}
