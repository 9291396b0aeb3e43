//! Bytes that are kept for each item: its folded text, or its collation key.

use std::ops::Range;

/// Bytes that may be dead before the living ones are moved together, at the least.
const WORTH_COMPACTING: usize = if cfg!(any(test, fuzzing)) {
    64
} else {
    1 << 20
};

/// Ends the bytes of each item, so that no word is found across two. No word of a search holds it.
pub(crate) const END: u8 = b'\n';

/// For each of many items some bytes, one item's after another's, so that all can be searched at once.
#[derive(Default, Debug)]
pub(crate) struct ByteColumn {
    bytes: Vec<u8>,
    /// Whose bytes begin where, ascending; those that were replaced since are dead.
    entries: Vec<Entry>,
    spans: Vec<Span>,
    dead: usize,
}

#[derive(Clone, Copy, Debug)]
struct Entry {
    start: u32,
    item: u32,
}

/// Where an item's bytes are.
#[derive(Clone, Copy, PartialEq, Debug)]
struct Span {
    start: u32,
    len: u32,
    /// Whether they come from plain ASCII text.
    plain: bool,
}

/// No bytes.
const NOWHERE: Span = Span {
    start: u32::MAX,
    len: 0,
    plain: true,
};

/// There are more bytes than a column can hold.
#[derive(Debug)]
pub(crate) struct Full;

impl ByteColumn {
    /// No bytes yet of so many items.
    pub(crate) fn for_items(items: usize) -> Self {
        Self {
            entries: Vec::with_capacity(items),
            spans: Vec::with_capacity(items),
            ..Self::default()
        }
    }

    /// Gives an item other bytes. O(bytes), amortised.
    pub(crate) fn set(&mut self, item: usize, bytes: &[u8], plain: bool) -> Result<(), Full> {
        self.clear(item);
        // The end, too, has to be a number of this kind.
        u32::try_from(self.bytes.len() + bytes.len()).map_err(|_| Full)?;
        let (start, len) = (self.bytes.len() as u32, bytes.len() as u32);
        if item >= self.spans.len() {
            self.spans.resize(item + 1, NOWHERE);
        }
        self.bytes.extend_from_slice(bytes);
        self.bytes.push(END);
        self.spans[item] = Span { start, len, plain };
        let item = item as u32;
        self.entries.push(Entry { start, item });
        Ok(())
    }

    /// Takes an item's bytes away.
    pub(crate) fn clear(&mut self, item: usize) {
        if let Some(span) = self.spans.get_mut(item)
            && *span != NOWHERE
        {
            self.dead += span.len as usize + 1;
            *span = NOWHERE;
        }
        if self.dead > WORTH_COMPACTING && self.dead > self.bytes.len() / 4 {
            self.compact();
        }
    }

    /// Adds the bytes of the items from `first` on, which there were none of; the other column counts them from 0.
    pub(crate) fn append(&mut self, first: usize, other: Self) -> Result<(), Full> {
        let shift = u32::try_from(self.bytes.len()).map_err(|_| Full)?;
        u32::try_from(self.bytes.len() + other.bytes.len()).map_err(|_| Full)?;
        self.bytes.extend_from_slice(&other.bytes);
        self.spans.resize(first, NOWHERE);
        self.spans.extend(other.spans.iter().map(|span| Span {
            start: span.start.saturating_add(shift),
            ..*span
        }));
        self.entries.extend(other.entries.iter().map(|entry| Entry {
            start: entry.start + shift,
            item: entry.item + first as u32,
        }));
        Ok(())
    }

    /// Gives back most of the memory that is there for more.
    pub(crate) fn shrink(&mut self) {
        self.bytes
            .shrink_to(self.bytes.len() + self.bytes.len() / 16);
    }

    /// An item's bytes; none where it has none.
    pub(crate) fn get(&self, item: usize) -> Option<&[u8]> {
        let span = self.spans.get(item).filter(|span| **span != NOWHERE)?;
        self.bytes
            .get(span.start as usize..(span.start + span.len) as usize)
    }

    /// Whether an item's bytes come from plain ASCII text.
    pub(crate) fn is_plain(&self, item: usize) -> bool {
        self.spans.get(item).is_some_and(|span| span.plain)
    }

    /// The parts into which a search of all bytes can be shared.
    pub(crate) fn len(&self) -> usize {
        self.entries.len()
    }

    /// Bytes held, spare capacity included.
    pub(crate) fn memory(&self) -> usize {
        self.bytes.capacity()
            + self.entries.capacity() * size_of::<Entry>()
            + self.spans.capacity() * size_of::<Span>()
    }

    /// Finds the items whose bytes hold some others; `accept` is asked once for each, with the place of the
    /// first find, and says whether that was enough. O(bytes).
    pub(crate) fn find(
        &self,
        part: Range<usize>,
        needle: &[u8],
        mut accept: impl FnMut(usize, usize) -> bool,
    ) {
        let start = |entry: usize| {
            self.entries
                .get(entry)
                .map_or(self.bytes.len(), |entry| entry.start as usize)
        };
        let end = start(part.end);
        let finder = memchr::memmem::Finder::new(needle);
        let mut entry = part.start;
        let mut at = start(entry);
        while let Some(found) = self.bytes.get(at..end).and_then(|rest| finder.find(rest)) {
            let place = at + found;
            entry = self.entry_at(entry, place);
            let item = self.entries[entry].item as usize;
            let begin = start(entry);
            let lives = self.spans[item].start as usize == begin;
            if lives && !accept(item, place - begin) {
                // Not enough: the next find may be in the same item.
                at = place + 1;
                continue;
            }
            entry += 1;
            at = start(entry);
            if entry >= part.end {
                break;
            }
        }
    }

    /// The entry that holds a place, at or after one that begins before it.
    fn entry_at(&self, from: usize, place: usize) -> usize {
        // Mostly it is near.
        let mut step = 1;
        let mut low = from;
        while let Some(next) = self.entries.get(low + step)
            && next.start as usize <= place
        {
            low += step;
            step *= 2;
        }
        let near = &self.entries[low..self.entries.len().min(low + step)];
        low + near.partition_point(|entry| entry.start as usize <= place) - 1
    }

    fn compact(&mut self) {
        let mut bytes = Vec::with_capacity(self.bytes.len() - self.dead);
        let mut entries = Vec::with_capacity(self.entries.len());
        for entry in &self.entries {
            let span = &mut self.spans[entry.item as usize];
            if span.start == entry.start {
                let start = entry.start as usize;
                span.start = bytes.len() as u32;
                entries.push(Entry {
                    start: span.start,
                    item: entry.item,
                });
                bytes.extend_from_slice(&self.bytes[start..=start + span.len as usize]);
            }
        }
        (self.bytes, self.entries, self.dead) = (bytes, entries, 0);
    }
}
