//! In step across threads: a loader in the background, edits by the person, and a view that is told.
#![allow(clippy::print_stdout)]

use std::error::Error;
use std::sync::{Arc, Mutex, mpsc};
use std::thread;
use usual_tide::{ChangeSet, Item, Place, Query, Replica, SharedStore, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    fired: bool,
}

const PAGE: u32 = 250;

fn main() -> Result<(), Box<dyn Error>> {
    let shared = SharedStore::new(Store::new());
    let waiting = shared.bind(Query::new().filter(Piece::FIRED.is(false)))?;

    // The view's own thread applies change sets as they come.
    let (sender, receiver) = mpsc::channel::<ChangeSet<Piece>>();
    let view = Arc::new(Mutex::new(Replica::default()));
    let drawing = {
        let view = Arc::clone(&view);
        thread::spawn(move || -> Result<usize, String> {
            let mut inserted = 0;
            for changes in receiver {
                let mut view = view.lock().map_err(|error| error.to_string())?;
                view.apply(&changes).map_err(|error| error.to_string())?;
                inserted += changes
                    .inserted()
                    .iter()
                    .map(|run| run.rows.len())
                    .sum::<usize>();
            }
            Ok(inserted)
        })
    };
    let subscription = shared.subscribe(waiting, |_| {
        move |changes: &ChangeSet<Piece>| {
            // The view may be closed by now, and then nobody is to be told.
            let _ = sender.send(changes.clone());
        }
    })?;

    // Pages come in from the source, each as one change set.
    let loader = shared.clone();
    let loading = thread::spawn(move || {
        for page in 0..4 {
            let pieces = (page * PAGE..(page + 1) * PAGE).map(|id| Piece { id, fired: false });
            loader
                .edit(|store| store.add_many(pieces, Place::End))
                .map_err(|error| error.to_string())?
                .map_err(|error| error.to_string())?;
        }
        Ok::<(), String>(())
    });
    loading.join().map_err(|_| "the loader panicked")??;
    // Meanwhile pieces are fired, by the person.
    shared.edit(|store| store.edit_many(&[1, 2, 3], |piece| piece.fired = true))??;

    drop(subscription);
    let inserted = drawing.join().map_err(|_| "the view's thread panicked")??;
    let view = view.lock().map_err(|error| error.to_string())?;
    let equal = shared.read(|store| {
        store
            .list(waiting)
            .map(|rows| view.items().eq(rows.items()))
    })??;
    println!(
        "{inserted} rows came in, {} wait, in step: {equal}",
        view.len()
    );
    Ok(())
}
