//! The rows of a list as they are drawn. Change sets drive them; each row knows where it was drawn last, and slides
//! from there to where it belongs.

use crate::piece::Piece;
use std::sync::Arc;
use usual_tide::changes::{Rows, ViewSink};
use usual_tide::lists::FlatItem;

/// The height of a row.
pub const ROW: f32 = 30.0;

/// How long a row takes to fade, in seconds.
const FADE: f64 = 0.25;

/// A row on the screen.
pub struct ShownRow {
    pub item: Arc<FlatItem<Piece>>,
    /// Where it was drawn in the last frame, from the top of the column.
    y: f32,
    /// The frame in which it was drawn last: a row that comes into sight by scrolling does not slide.
    drawn: u64,
    /// When it came.
    since: f64,
}

/// A row that is gone and fades.
pub struct LeavingRow {
    pub item: Arc<FlatItem<Piece>>,
    pub y: f32,
    since: f64,
}

/// The rows of a list on the screen.
#[derive(Default)]
pub struct Column {
    pub rows: Vec<ShownRow>,
    pub leaving: Vec<LeavingRow>,
    frame: u64,
    now: f64,
    /// Whether a row slides or fades, so that another frame is needed.
    pub moving: bool,
}

impl Column {
    /// A column of these rows.
    pub fn of(items: impl Iterator<Item = FlatItem<Piece>>) -> Self {
        let mut column = Self::default();
        column
            .rows
            .extend(items.map(|item| ShownRow::new(Arc::new(item), f64::MIN)));
        column
    }

    /// Begins a frame at a time in seconds; `still` for a person who wants no motion.
    pub fn begin_frame(&mut self, now: f64, still: bool) {
        self.frame += 1;
        self.now = now;
        self.leaving.retain(|row| !still && now - row.since < FADE);
        self.moving = !self.leaving.is_empty();
    }

    /// Where to draw a row in this frame, and how opaque. `reach` is the part of the way that a row slides in a
    /// frame: all of it for a person who wants no motion.
    pub fn place(&mut self, at: usize, reach: f32) -> (f32, f32) {
        let target = at as f32 * ROW;
        let row = &mut self.rows[at];
        let slides = row.drawn + 1 == self.frame && (target - row.y).abs() > 0.5;
        row.y = match slides {
            true => row.y + (target - row.y) * reach,
            false => target,
        };
        row.drawn = self.frame;
        let age = ((self.now - row.since) / FADE).min(1.0);
        self.moving |= slides || age < 1.0;
        (row.y, 0.2 + 0.8 * age as f32)
    }

    /// How opaque a row is that is gone.
    pub fn fading(&self, row: &LeavingRow) -> f32 {
        (1.0 - (self.now - row.since) / FADE) as f32
    }

    /// Takes all rows along when the column is scrolled so that the row on top stays where it is.
    pub fn shift(&mut self, by: f32) {
        self.rows.iter_mut().for_each(|row| row.y += by);
        self.leaving.iter_mut().for_each(|row| row.y += by);
    }
}

impl ShownRow {
    fn new(item: Arc<FlatItem<Piece>>, since: f64) -> Self {
        Self {
            item,
            y: 0.0,
            drawn: 0,
            since,
        }
    }
}

/// The four calls that a change set makes; every position holds at the moment of the call.
impl ViewSink<FlatItem<Piece>> for Column {
    fn rows_removed(&mut self, at: usize, count: usize) {
        let (frame, now) = (self.frame, self.now);
        let gone = self.rows.drain(at..at + count);
        // Only what was in sight is seen to go.
        self.leaving.extend(
            gone.filter(|row| row.drawn + 1 >= frame)
                .map(|row| LeavingRow {
                    item: row.item,
                    y: row.y,
                    since: now,
                }),
        );
    }

    fn rows_inserted(&mut self, at: usize, rows: &Rows<FlatItem<Piece>>) {
        let now = self.now;
        let new = rows.iter().map(|item| ShownRow::new(Arc::clone(item), now));
        self.rows.splice(at..at, new);
    }

    fn row_moved(&mut self, from: usize, to: usize) {
        // It is the same row, with the place where it was drawn: so it slides.
        let row = self.rows.remove(from);
        self.rows.insert(to, row);
    }

    fn row_updated(&mut self, at: usize, item: &Arc<FlatItem<Piece>>) {
        self.rows[at].item = Arc::clone(item);
    }
}
