//! What a log keeps and what it lets go, with the small limits of tests.

use super::{Entry, KEPT_AT_LEAST, KEPT_ENTRIES, KEPT_ROWS, Log};
use crate::change::{Alignment, RowRun, Rows, TouchedRow};
use crate::query::Window;
use std::sync::Arc;

/// One row of many that is another version.
fn row() -> Entry<u32> {
    let row = TouchedRow {
        before: Some((0, Arc::new(1))),
        after: Some((0, Arc::new(2))),
    };
    Entry::Row { before: 9, row }
}

/// So many rows that arrive, or that go.
fn rows(arrived: usize, gone: usize) -> Entry<u32> {
    let mut alignment = Alignment::empty(gone, arrived);
    let items = |count| Rows::concat(vec![Rows::one(Arc::new(0)); count]);
    if arrived > 0 {
        alignment.push_new(items(arrived));
    }
    if gone > 0 {
        alignment.removed.push(RowRun {
            at: 0,
            rows: items(gone),
        });
    }
    Entry::Rows(Arc::new(alignment))
}

fn push(log: &mut Log<u32>, entry: Entry<u32>) {
    log.push(entry, None);
    log.trim(9);
}

/// The changes that the log still has, and their rows.
fn kept(log: &Log<u32>) -> (usize, usize) {
    let rows = log.entries.iter().map(|noted| match &noted.rows {
        Entry::Rows(alignment) => alignment.before + alignment.after,
        _ => 1,
    });
    (log.entries.len(), rows.sum())
}

#[test]
fn without_feeds_some_changes_are_kept_and_no_more() {
    for (arrived, gone) in [(5, 0), (0, 5), (3, 2)] {
        let mut log = Log::new();
        for _ in 0..100 {
            push(&mut log, row());
        }
        assert_eq!(kept(&log).0, KEPT_ENTRIES);
        // Heavier ones leave fewer, down to a number that is always kept.
        for _ in 0..100 {
            push(&mut log, rows(arrived, gone));
            let (entries, rows) = kept(&log);
            assert!((KEPT_AT_LEAST..=KEPT_ENTRIES).contains(&entries));
            assert!(rows <= KEPT_ROWS || entries == KEPT_AT_LEAST);
            // What could stay, stays.
            assert!(entries == KEPT_ENTRIES || rows + arrived + gone > KEPT_ROWS);
        }
        for _ in 0..100 {
            push(&mut log, rows(arrived * 20, gone * 20));
        }
        assert_eq!(kept(&log).0, KEPT_AT_LEAST);
        // And when light ones come again, as many stay as at first.
        for _ in 0..100 {
            push(&mut log, row());
        }
        assert_eq!(kept(&log), (KEPT_ENTRIES, KEPT_ENTRIES));
    }
}

#[test]
fn a_change_that_is_taken_back_weighs_nothing() {
    let mut log = Log::new();
    for _ in 0..100 {
        push(&mut log, rows(1, 1));
        log.push(rows(40, 40), None);
        log.forget_last();
    }
    assert_eq!(kept(&log).0, KEPT_ENTRIES);
}

#[test]
fn a_feed_that_is_not_read_keeps_what_it_needs_and_not_the_changes_themselves() {
    for heavy in [false, true] {
        let mut log = Log::new();
        push(&mut log, row());
        let cursor = log.cursor(Window::ALL, None);
        let begun = cursor.version();
        for edit in 0..200 {
            let entry = match heavy && edit % 3 == 0 {
                true => rows(9, 9),
                false => row(),
            };
            push(&mut log, entry);
            // An edit adds one change and folds two.
            let (entries, rows) = kept(&log);
            assert!(entries <= KEPT_ENTRIES + 1, "{entries} after {edit}");
            assert!(rows <= KEPT_ROWS + 18, "{rows} rows after {edit}");
        }
        assert_eq!(cursor.version(), begun);
        assert!(log.unread(&cursor, |_| ()).is_some());
        // A change that stays as it was has been noted; when nobody needs it, it goes with the others.
        drop(cursor);
        for _ in 0..100 {
            push(&mut log, row());
        }
        assert_eq!(kept(&log), (KEPT_ENTRIES, KEPT_ENTRIES));
        assert!(!log.unread.lock().is_ok_and(|unread| unread.is_late()));
    }
}
