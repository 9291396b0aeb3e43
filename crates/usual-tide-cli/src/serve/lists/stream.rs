//! A stream of the change sets of one list (HTML standard, "Server-sent events").

use super::{Missed, Positions};
use crate::serve::routes::{App, Stopped};
use crate::serve::stream::{BEAT, Wait, event_stream, wait};
use axum::body::Body;
use axum::http::Response;
use futures::stream::{self, Stream};
use std::sync::Arc;
use tokio::sync::{OwnedSemaphorePermit, watch};

/// A stream that goes on after a version, until the list is closed or the server is stopped. Without a version it
/// begins with the rows.
pub(super) fn response(
    app: Arc<App>,
    name: String,
    (version, positions): (Option<u64>, Positions),
    stopped: Stopped,
    place: OwnedSemaphorePermit,
) -> Response<Body> {
    let moved = app.hub.moved.subscribe();
    app.hub.shown().lists.note_stream(&name, true);
    event_stream(following(Following {
        reading: Reading { app, name },
        version,
        matching: None,
        positions,
        moved,
        stopped,
        _place: place,
    }))
}

/// A list that is read by a stream, until that ends.
struct Reading {
    app: Arc<App>,
    name: String,
}

impl Drop for Reading {
    fn drop(&mut self) {
        self.app.hub.shown().lists.note_stream(&self.name, false);
    }
}

struct Following {
    reading: Reading,
    /// What was told last; none before the rows.
    version: Option<u64>,
    /// How many items match, as it was told last.
    matching: Option<usize>,
    positions: Positions,
    moved: watch::Receiver<u64>,
    stopped: Stopped,
    /// The stream's place among those that there may be.
    _place: OwnedSemaphorePermit,
}

/// What a slow reader has missed is told as one change set, so that it takes no memory.
fn following(state: Following) -> impl Stream<Item = String> {
    stream::unfold(Some(state), async |state| {
        let mut state = state?;
        loop {
            if *state.stopped.borrow() {
                return None;
            }
            state.moved.borrow_and_update();
            let (missed, matching) = {
                let shown = state.reading.app.hub.shown();
                let name = &state.reading.name;
                let (lists, store) = (&shown.lists, &shown.store);
                let missed = lists.after(store, name, state.version, state.positions);
                (missed, lists.matching(store, name))
            };
            let (Ok(missed), Ok(matching)) = (missed, matching) else {
                // It was closed.
                return Some((event("closed", None, "{}"), None));
            };
            let told = match missed {
                // After the change set that made it so, or by itself: other items may match than those in the window.
                Missed::Nothing if state.matching != Some(matching) => {
                    state.matching = Some(matching);
                    Some(event(
                        "matching",
                        None,
                        &format!("{{\"matching\":{matching}}}"),
                    ))
                }
                Missed::Nothing => None,
                Missed::Changes(version, json) => {
                    state.version = Some(version);
                    Some(event("changes", Some(version), &json))
                }
                Missed::Rows(version, json) => {
                    (state.version, state.matching) = (Some(version), Some(matching));
                    Some(event("rows", Some(version), &json))
                }
            };
            if let Some(text) = told {
                return Some((text, Some(state)));
            }
            match wait(&mut state.moved, &mut state.stopped).await {
                Wait::Moved => {}
                Wait::Beat => return Some((BEAT.to_owned(), Some(state))),
                Wait::End => return None,
            }
        }
    })
}

fn event(name: &str, id: Option<u64>, data: &str) -> String {
    let id = id.map(|id| format!("id: {id}\n")).unwrap_or_default();
    format!("{id}event: {name}\ndata: {data}\n\n")
}
