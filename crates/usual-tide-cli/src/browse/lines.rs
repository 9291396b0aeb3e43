//! What a list shows, line by line, kept by change sets alone.

use std::ops::Range;
use std::sync::Arc;
use usual_tide::changes::{MovedRun, RowRun, Rows, ViewSink};
use usual_tide::lists::{FlatItem, FlatRow};
use usual_tide::record::Record;
use usual_tide::sections::Section;
use usual_tide::{ChangeSet, Item};

/// Lines of a chunk at most.
const MOST: usize = if cfg!(test) { 4 } else { 512 };

/// A change set of so many steps, and one more for so many lines, is put into effect step by step.
const FEW: usize = 16;
const LINES_A_STEP: usize = 64;

/// Lines that come to another place.
enum Arriving<'a, T> {
    New(&'a RowRun<T>),
    Moved(&'a MovedRun),
}

/// The rows and headings that a view shows, one a line.
///
/// They are in chunks that are shared with every copy until one of them is changed: a copy to draw from costs a pointer
/// a chunk, and a change of a line a copy of its chunk.
#[derive(Clone, Default, Debug)]
pub(crate) struct Lines {
    chunks: Vec<Chunk>,
    /// Beside the chunks, so that finding a line goes through memory that lies together.
    sizes: Vec<Size>,
    len: usize,
}

/// Lines that are shared until one of them is changed.
type Chunk = Arc<Vec<FlatRow<Record>>>;

/// How many lines a chunk has, and how many of them are headings.
#[derive(Clone, Copy, Default, Debug)]
struct Size {
    lines: u32,
    headings: u32,
}

impl Size {
    fn of(lines: &[FlatRow<Record>]) -> Self {
        let headings = lines.iter().filter(|line| is_heading(line));
        // A chunk has no more lines than fit.
        let number = |count: usize| u32::try_from(count).unwrap_or(u32::MAX);
        Self {
            lines: number(lines.len()),
            headings: number(headings.count()),
        }
    }

    fn lines(self) -> usize {
        self.lines as usize
    }
}

fn is_heading(line: &FlatRow<Record>) -> bool {
    matches!(line, FlatRow::Heading(_))
}

impl Lines {
    /// How many rows and headings there are.
    pub(crate) fn len(&self) -> usize {
        self.len
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.len == 0
    }

    pub(crate) fn at(&self, position: usize) -> Option<&FlatRow<Record>> {
        let (chunk, within) = self.find(position);
        self.chunks.get(chunk)?.get(within)
    }

    /// The row at a position; none where a heading is.
    pub(crate) fn row(&self, position: usize) -> Option<&Arc<Record>> {
        match self.at(position)? {
            FlatRow::Item(record) => Some(record),
            FlatRow::Heading(_) => None,
        }
    }

    /// The lines from a position on.
    pub(crate) fn from(&self, position: usize) -> impl Iterator<Item = &FlatRow<Record>> {
        let (chunk, within) = self.find(position);
        let chunks = self.chunks.iter().skip(chunk);
        chunks.flat_map(|chunk| chunk.iter()).skip(within)
    }

    /// How many rows, headings left out, are before a position.
    pub(crate) fn rows_before(&self, position: usize) -> usize {
        let (chunk, within) = self.find(position);
        let whole = self.sizes[..chunk.min(self.sizes.len())].iter();
        let whole: usize = whole
            .map(|size| size.lines() - size.headings as usize)
            .sum();
        let rest = self.chunks.get(chunk).map_or(0, |lines| {
            let before = lines.iter().take(within);
            before.filter(|line| !is_heading(line)).count()
        });
        whole + rest
    }

    /// The heading that a line stands under, and its position.
    pub(crate) fn heading_of(&self, position: usize) -> Option<(usize, &Arc<Section>)> {
        let (mut chunk, within) = self.find(position);
        let mut start = position - within;
        let mut upto = within + 1;
        loop {
            let lines = self.chunks.get(chunk)?;
            let upto_here = upto.min(lines.len());
            let found = lines[..upto_here].iter().rposition(is_heading);
            if let Some(at) = found
                && let FlatRow::Heading(section) = &lines[at]
            {
                return Some((start + at, section));
            }
            // Chunks without a heading are passed without a look at their lines.
            loop {
                chunk = chunk.checked_sub(1)?;
                start -= self.sizes[chunk].lines();
                if self.sizes[chunk].headings > 0 {
                    break;
                }
            }
            upto = usize::MAX;
        }
    }

    /// Puts a change set into effect: step by step, or in one pass through all lines where that is less work.
    pub(crate) fn follow<T>(
        &mut self,
        changes: &ChangeSet<T>,
        line: impl Fn(&Arc<T>) -> FlatRow<Record>,
    ) where
        Self: ViewSink<T>,
        T: Item,
    {
        let moved: usize = changes.moved().iter().map(|run| run.len).sum();
        let runs = changes.removed().len() + changes.inserted().len();
        match moved + runs + changes.updated().len() <= FEW + self.len / LINES_A_STEP {
            true => changes.drive(self),
            false => *self = self.after(changes, line),
        }
    }

    /// The lines after a change set, by its rule of application.
    fn after<T: Item>(
        &self,
        changes: &ChangeSet<T>,
        line: impl Fn(&Arc<T>) -> FlatRow<Record>,
    ) -> Self {
        let old: Vec<&FlatRow<Record>> = self.from(0).collect();
        let moved = changes.moved().iter();
        let mut leaving: Vec<Range<usize>> =
            moved.map(|run| run.from..run.from + run.len).collect();
        leaving.extend(changes.removed().iter().map(RowRun::range));
        leaving.sort_unstable_by_key(|range| range.start);
        let mut kept = {
            let mut from = 0;
            let mut ranges = Vec::with_capacity(leaving.len() + 1);
            for range in leaving {
                ranges.push(from..range.start);
                from = range.end;
            }
            ranges.push(from..old.len());
            ranges.into_iter().flatten().filter_map(|at| old.get(at))
        };
        let moved = changes
            .moved()
            .iter()
            .map(|run| (run.to, Arriving::Moved(run)));
        let inserted = changes.inserted().iter();
        let inserted = inserted.map(|run| (run.range().start, Arriving::New(run)));
        let mut arriving: Vec<(usize, Arriving<'_, T>)> = moved.chain(inserted).collect();
        arriving.sort_unstable_by_key(|arriving| arriving.0);
        let mut lines: Vec<FlatRow<Record>> = Vec::with_capacity(changes.len_after());
        for (at, arriving) in arriving {
            let before = at.saturating_sub(lines.len());
            lines.extend(kept.by_ref().take(before).map(|line| (*line).clone()));
            match arriving {
                Arriving::New(run) => lines.extend(run.rows.iter().map(&line)),
                Arriving::Moved(run) => {
                    let moved = (run.from..run.from + run.len).filter_map(|from| old.get(from));
                    lines.extend(moved.map(|line| (*line).clone()));
                }
            }
        }
        lines.extend(kept.map(|line| (*line).clone()));
        for row in changes.updated() {
            if let Some(old) = lines.get_mut(row.to) {
                *old = line(&row.after);
            }
        }
        lines.into_iter().collect()
    }

    /// The chunk of a position, and the place in it; past all chunks from the end on.
    fn find(&self, position: usize) -> (usize, usize) {
        let mut rest = position;
        for (chunk, size) in self.sizes.iter().enumerate() {
            if rest < size.lines() {
                return (chunk, rest);
            }
            rest -= size.lines();
        }
        (self.chunks.len(), rest)
    }

    fn remove(&mut self, range: Range<usize>) {
        let mut left = range.len();
        self.len -= left.min(self.len);
        let (mut chunk, mut within) = self.find(range.start);
        while left > 0 && chunk < self.chunks.len() {
            let here = left.min(self.sizes[chunk].lines() - within);
            left -= here;
            if here == self.sizes[chunk].lines() {
                self.chunks.remove(chunk);
                self.sizes.remove(chunk);
                continue;
            }
            Arc::make_mut(&mut self.chunks[chunk]).drain(within..within + here);
            self.sizes[chunk] = Size::of(&self.chunks[chunk]);
            chunk += 1;
            within = 0;
        }
        self.join(chunk.saturating_sub(1));
        self.join(chunk);
    }

    /// Joins a chunk with the one after it when both are small.
    fn join(&mut self, chunk: usize) {
        let [one, two] = [chunk, chunk + 1].map(|at| self.sizes.get(at).map(|size| size.lines()));
        if let (Some(one), Some(two)) = (one, two)
            && one + two <= MOST / 2
        {
            let next = self.chunks.remove(chunk + 1);
            self.sizes.remove(chunk + 1);
            Arc::make_mut(&mut self.chunks[chunk]).extend(next.iter().cloned());
            self.sizes[chunk] = Size::of(&self.chunks[chunk]);
        }
    }

    fn insert(&mut self, at: usize, lines: impl ExactSizeIterator<Item = FlatRow<Record>>) {
        let count = lines.len();
        if count == 0 {
            return;
        }
        self.len += count;
        // At the end of all chunks it goes on in the last.
        let (chunk, within) = match self.find(at) {
            (chunk, 0) if chunk > 0 => (chunk - 1, self.sizes[chunk - 1].lines()),
            place => place,
        };
        let Some(here) = self.chunks.get_mut(chunk) else {
            let (chunks, sizes) = in_chunks(lines.collect());
            self.chunks.extend(chunks);
            self.sizes.extend(sizes);
            return;
        };
        if here.len() + count <= MOST {
            Arc::make_mut(here).splice(within..within, lines);
            self.sizes[chunk] = Size::of(here);
            return;
        }
        let mut all: Vec<FlatRow<Record>> = Vec::with_capacity(here.len() + count);
        all.extend(here[..within].iter().cloned());
        all.extend(lines);
        all.extend(here[within..].iter().cloned());
        let (chunks, sizes) = in_chunks(all);
        self.chunks.splice(chunk..=chunk, chunks);
        self.sizes.splice(chunk..=chunk, sizes);
    }

    fn move_line(&mut self, from: usize, to: usize) {
        if let Some(line) = self.at(from).cloned() {
            self.remove(from..from + 1);
            self.insert(to, std::iter::once(line));
        }
    }

    fn replace(&mut self, at: usize, line: FlatRow<Record>) {
        let (chunk, within) = self.find(at);
        if let Some(lines) = self.chunks.get_mut(chunk)
            && let Some(old) = Arc::make_mut(lines).get_mut(within)
        {
            *old = line;
        }
    }
}

/// Lines in chunks that have room to grow.
fn in_chunks(lines: Vec<FlatRow<Record>>) -> (Vec<Chunk>, Vec<Size>) {
    let chunks = lines.chunks(MOST / 2 + MOST / 4);
    let chunks: Vec<_> = chunks.map(|lines| Arc::new(lines.to_vec())).collect();
    let sizes = chunks.iter().map(|lines| Size::of(lines)).collect();
    (chunks, sizes)
}

impl FromIterator<FlatRow<Record>> for Lines {
    fn from_iter<I: IntoIterator<Item = FlatRow<Record>>>(lines: I) -> Self {
        let lines: Vec<_> = lines.into_iter().collect();
        let len = lines.len();
        let (chunks, sizes) = in_chunks(lines);
        Self { chunks, sizes, len }
    }
}

/// A list without sections.
impl ViewSink<Record> for Lines {
    fn rows_removed(&mut self, at: usize, count: usize) {
        self.remove(at..at + count);
    }

    fn rows_inserted(&mut self, at: usize, rows: &Rows<Record>) {
        let rows: Vec<&Arc<Record>> = rows.iter().collect();
        let rows = rows.into_iter().map(|row| FlatRow::Item(Arc::clone(row)));
        self.insert(at, rows);
    }

    fn row_moved(&mut self, from: usize, to: usize) {
        self.move_line(from, to);
    }

    fn row_updated(&mut self, at: usize, item: &Arc<Record>) {
        self.replace(at, FlatRow::Item(Arc::clone(item)));
    }
}

/// A list in sections, in which headings are rows too.
impl ViewSink<FlatItem<Record>> for Lines {
    fn rows_removed(&mut self, at: usize, count: usize) {
        self.remove(at..at + count);
    }

    fn rows_inserted(&mut self, at: usize, rows: &Rows<FlatItem<Record>>) {
        let rows: Vec<_> = rows.iter().map(|item| item.row().clone()).collect();
        self.insert(at, rows.into_iter());
    }

    fn row_moved(&mut self, from: usize, to: usize) {
        self.move_line(from, to);
    }

    fn row_updated(&mut self, at: usize, item: &Arc<FlatItem<Record>>) {
        self.replace(at, item.row().clone());
    }
}
