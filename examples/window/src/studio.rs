//! A data source of one's own: the studio's list, kept in memory and as slow as a server.

use crate::piece::{Piece, samples};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use usual_tide::Item;
use usual_tide::writes::Write;
use usual_tide_sources::link::{
    Answer, Change, ChangeSender, Loaded, Loading, Source, SourceError,
};

/// The tallest piece that fits into the kiln.
pub const KILN_MM: u32 = 450;

/// The studio. A link calls it from a thread of its own, so that it may take its time.
pub struct Studio {
    pieces: Arc<Mutex<Vec<Piece>>>,
    /// How long an answer takes.
    latency: Duration,
    /// Whether a colleague fires a piece now and then.
    colleague: bool,
}

impl Studio {
    pub fn new(latency: Duration, colleague: bool) -> Self {
        let pieces = Arc::new(Mutex::new(samples()));
        Self {
            pieces,
            latency,
            colleague,
        }
    }
}

impl Source<Piece> for Studio {
    fn load(&mut self, _: &mut Loading<'_>) -> Result<Loaded<Piece>, SourceError> {
        std::thread::sleep(self.latency);
        let pieces = self.pieces.lock().unwrap_or_else(PoisonError::into_inner);
        Ok(Loaded::all(pieces.clone()))
    }

    fn write(&mut self, write: &Write<Piece>) -> Result<Answer<Piece>, SourceError> {
        std::thread::sleep(self.latency);
        let after = write.after.as_deref();
        // A rule that only the source knows: the row shows the edit until this answer comes, and then as it was.
        if after.is_some_and(|piece| piece.height_mm > KILN_MM) {
            return Ok(Answer::refused(format!(
                "the kiln takes {KILN_MM} mm at the most"
            )));
        }
        let mut pieces = self.pieces.lock().unwrap_or_else(PoisonError::into_inner);
        let at = pieces.iter().position(|piece| *piece.key() == write.key);
        match (at, after) {
            (Some(at), Some(piece)) => pieces[at] = piece.clone(),
            (Some(at), None) => drop(pieces.remove(at)),
            (None, piece) => pieces.extend(piece.cloned()),
        }
        Ok(Answer::Saved)
    }

    /// Others work with the same pieces; the link hears of it, and the lists show it.
    fn watch(&mut self, changes: ChangeSender<Piece>) {
        if !self.colleague {
            return;
        }
        let pieces = Arc::clone(&self.pieces);
        std::thread::spawn(move || {
            while !changes.wait_until_closed(Duration::from_secs(4)) {
                let mut pieces = pieces.lock().unwrap_or_else(PoisonError::into_inner);
                let Some(next) = pieces.iter_mut().find(|piece| !piece.fired) else {
                    continue;
                };
                next.fired = true;
                changes.changed(vec![Change::Put(next.clone(), None)], None);
            }
        });
    }
}
