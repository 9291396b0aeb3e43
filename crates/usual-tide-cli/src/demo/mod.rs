//! `usual-tide demo`: an evening at the kiln queue, act by act.

mod scenes;
mod screen;

use crate::args::{self, ItemOptions, SCENES, SceneRange};
use crate::error::CommandError;
use crate::output::{self, Output};
use screen::Screen;
use usual_tide::record::{FieldName, ParseError, Record, parse};
use usual_tide::removals::RemovalId;
use usual_tide::{Draft, Feed, ListId, Query, Replica, Store};

/// The data that the tour starts from.
const PIECES: &str = include_str!("pieces.json");

/// The pieces that the tour starts from.
pub(crate) fn pieces(key: &FieldName) -> Result<Vec<Record>, ParseError> {
    parse(PIECES, key)
}

pub(crate) fn run(args: &args::Demo, out: &mut Output) -> Result<(), CommandError> {
    let mut demo = Demo::new(output::columns().clamp(40, 100))?;
    if args.scenes.is_none() {
        demo.screen.opening(demo.demo.store.len());
    }
    let all = SceneRange {
        first: 1,
        last: SCENES,
    };
    let printed = args.scenes.unwrap_or(all);
    for scene in &scenes::ALL {
        demo.play(scene, printed)?;
    }
    out.text(&demo.close(printed)?)
}

/// One act of the tour.
struct Scene {
    heading: &'static str,
    /// What was done, as a person would say it.
    story: &'static str,
    /// What was done, in code.
    code: &'static str,
    edit: fn(&mut DemoStore) -> Result<(), CommandError>,
}

/// The store, the list on the screen, and what one act leaves open for the next.
struct DemoStore {
    store: Store<Record>,
    list: ListId,
    draft: Option<Draft<Record>>,
    asked: Option<RemovalId>,
}

/// The store, and a view that is updated by the feed only.
struct Demo {
    demo: DemoStore,
    feed: Feed<Record>,
    view: Replica<Record>,
    screen: Screen,
    scenes: usize,
    touched: usize,
    shown: usize,
}

impl Demo {
    fn new(columns: usize) -> Result<Self, CommandError> {
        let key = crate::input::key(&ItemOptions::default())?;
        let mut store = Store::load(pieces(&key)?)?;
        let list = store.bind(Query::new().numbered());
        let feed = store.feed(list)?;
        let view = store.list(list)?.items().cloned().collect();
        Ok(Self {
            demo: DemoStore {
                store,
                list,
                draft: None,
                asked: None,
            },
            feed,
            view,
            screen: Screen::new(columns),
            scenes: 0,
            touched: 0,
            shown: 0,
        })
    }

    fn play(&mut self, scene: &Scene, printed: SceneRange) -> Result<(), CommandError> {
        (scene.edit)(&mut self.demo)?;
        self.scenes += 1;
        let changes = self.feed.read(&self.demo.store)?;
        if let Some(changes) = &changes {
            self.view.apply(changes)?;
            self.touched += changes.touched();
        }
        if printed.has(self.scenes) {
            self.screen.scene(self.scenes, scene);
            match changes {
                Some(changes) => self.screen.changes(&changes, &self.view),
                None => self.screen.nothing(),
            }
        }
        self.shown += self.view.len();
        Ok(())
    }

    /// Compares the view, which heard of nothing but change sets, with the list.
    fn close(mut self, printed: SceneRange) -> Result<String, CommandError> {
        let rows = self.demo.store.list(self.demo.list)?;
        if !self.view.items().eq(rows.items()) {
            return Err(CommandError::OutOfStep);
        }
        if printed.has(SCENES) {
            self.screen
                .closing(rows.len(), self.scenes, self.touched, self.shown);
        }
        Ok(self.screen.text())
    }
}
