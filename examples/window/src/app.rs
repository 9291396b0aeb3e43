//! The window: two panels over one store, what they ask for, and what came of it.

use crate::action::Action;
use crate::panel::{Editing, Panel};
use crate::piece::{Piece, blank, rules};
use crate::studio::Studio;
use eframe::egui::{self, Context, Ui};
use std::error::Error;
use std::time::Duration;
use usual_tide::drafts::{CommitProblem, Prefer};
use usual_tide::keys::KeyCounter;
use usual_tide::lists::{FlatRow, ListEditError};
use usual_tide::shared::Subscription;
use usual_tide::writes::Ticket;
use usual_tide::{ChangeSet, Draft, ListId, Place, Query, SharedStore, Store};
use usual_tide_sources::link::{Link, LinkState};

/// The window's state.
pub struct KilnQueue {
    pub store: SharedStore<Piece>,
    pub link: Link<Piece>,
    pub panels: Vec<Panel>,
    keys: KeyCounter,
    editing: Option<Editing>,
    /// What was done or refused last.
    pub told: String,
    _wakes: Vec<Subscription<Piece>>,
}

impl KilnQueue {
    /// Binds the lists, and begins to load in the background.
    pub fn open(ctx: &Context, colleague: bool) -> Result<Self, Box<dyn Error + Send + Sync>> {
        let latency = Duration::from_millis(if colleague { 400 } else { 20 });
        Self::with(ctx, Studio::new(latency, colleague)).map_err(|why| why.to_string().into())
    }

    fn with(ctx: &Context, studio: Studio) -> Result<Self, Box<dyn Error>> {
        let store = SharedStore::new(Store::new());
        let link = Link::start(store.clone(), studio)?;
        let panels = store.edit(|store| -> Result<_, Box<dyn Error>> {
            store.set_rules(rules())?;
            let waiting = Query::new().filter(Piece::FIRED.is(false));
            Ok(vec![
                Panel::open(store, "All pieces", Query::new(), (0, 0))?,
                Panel::open(store, "To be fired", waiting, (3, 2))?,
            ])
        })??;
        // The frame reads the feeds; these only see to it that there is a frame.
        let mut wakes = Vec::new();
        for panel in &panels {
            let (one, two) = (ctx.clone(), ctx.clone());
            let wake = move |_: &ChangeSet<Piece>| one.request_repaint();
            wakes.push(store.subscribe(panel.list, |_| wake)?);
            wakes.push(store.subscribe_write_states(panel.list, move |_| two.request_repaint())?);
        }
        let ctx = ctx.clone();
        link.on_state(move |_| ctx.request_repaint());
        Ok(Self {
            store,
            link,
            panels,
            keys: KeyCounter::after([1000]),
            editing: None,
            told: String::new(),
            _wakes: wakes,
        })
    }

    /// Draws a frame, then does what was asked in it.
    pub fn draw(&mut self, ui: &mut Ui) {
        let mut asked = None;
        let mut query = None;
        let (panels, editing) = (&mut self.panels, &mut self.editing);
        let drawn = self.store.read(|store| -> Result<(), Box<dyn Error>> {
            for panel in panels.iter_mut() {
                panel.follow(store)?;
            }
            ui.columns(panels.len(), |columns| {
                for (panel, ui) in panels.iter_mut().zip(columns) {
                    let list = panel.list;
                    if let Some(next) = panel.controls(ui, store) {
                        query = Some((list, next));
                    }
                    let action = panel.rows(ui, store, editing.as_mut());
                    asked = asked.take().or(action.map(|action| (list, action)));
                }
            });
            Ok(())
        });
        if let Ok(Err(why)) = drawn {
            self.told = why.to_string();
        }
        if let Some((list, query)) = query {
            self.edit(|store| {
                store.list_mut(list)?.set_query(query);
                Ok(())
            });
        }
        if let Some((list, action)) = asked {
            self.perform(list, action);
            ui.ctx().request_repaint();
        }
    }

    /// What is above the lists: new, undo, how the link stands, and what was told last.
    pub fn toolbar(&mut self, ui: &mut Ui) {
        let (undo, refused) = self
            .store
            .read(|store| {
                let refused = store.writes().refused().next();
                let refused = refused.map(|refused| (refused.write.ticket, refused.reason.clone()));
                (store.history().undo_len() > 0, refused)
            })
            .unwrap_or_default();
        ui.horizontal(|ui| {
            if ui.button("New piece").clicked() {
                self.begin_new();
            }
            if ui.add_enabled(undo, egui::Button::new("Undo")).clicked() {
                self.undo();
            }
            ui.separator();
            ui.label(match self.link.state() {
                LinkState::Ready { .. } => "in step with the studio".to_owned(),
                LinkState::Failed { error, .. } => format!("{error}; trying again"),
                _ => "loading".to_owned(),
            });
            ui.separator();
            match refused {
                Some((ticket, reason)) => self.refused(ui, ticket, &reason),
                None => drop(ui.label(&self.told)),
            }
        });
    }

    /// A write that the studio refused stays shown as not saved until the person has seen why.
    fn refused(&mut self, ui: &mut Ui, ticket: Ticket, reason: &str) {
        ui.colored_label(ui.visuals().error_fg_color, format!("Not saved: {reason}"));
        if ui.button("Try again").clicked() {
            self.edit(|store| Ok(store.writes_mut().retry(ticket)?));
        }
        if ui.button("Dismiss").clicked() {
            self.edit(|store| Ok(store.writes_mut().dismiss(ticket)?));
        }
    }

    /// Edits the store, and tells why that could not be.
    fn edit<R>(
        &mut self,
        edit: impl FnOnce(&mut Store<Piece>) -> Result<R, Box<dyn Error>>,
    ) -> Option<R> {
        match self.store.edit(edit) {
            Ok(Ok(done)) => return Some(done),
            Ok(Err(why)) => self.told = why.to_string(),
            Err(why) => self.told = why.to_string(),
        }
        None
    }

    fn perform(&mut self, list: ListId, action: Action) {
        match action {
            Action::Edit(key) => {
                self.cancel();
                let draft = self.edit(|store| Ok(store.drafts_mut().begin(&key)?));
                self.begin(draft, list);
            }
            Action::Commit => self.commit(None),
            Action::Settle(prefer) => self.commit(Some(prefer)),
            Action::Cancel => self.cancel(),
            Action::Fire(key, fired) => {
                self.edit(|store| Ok(store.edit(&key, |piece| piece.fired = fired)?));
            }
            Action::Delete(key) => {
                if let Some(gone) = self.edit(|store| Ok(store.remove(&key)?)) {
                    self.told = format!("Deleted “{}”. Undo brings it back.", gone.title);
                }
            }
            Action::Step { key, down } => {
                self.edit(|store| {
                    let mut list = store.list_mut(list)?;
                    Ok(if down {
                        list.move_down(&key)?
                    } else {
                        list.move_up(&key)?
                    })
                });
            }
            Action::Drop(key, gap) => self.drop_into(list, key, gap),
            Action::Fold(at) => self.fold(list, at),
        }
    }

    fn begin(&mut self, draft: Option<Draft<Piece>>, list: ListId) {
        self.editing = draft.map(|draft| Editing {
            draft,
            list,
            refused: None,
            conflict: false,
            is_new: true,
        });
    }

    /// A blank row, shown at once and edited at once; it is an item when it is saved.
    fn begin_new(&mut self) {
        self.cancel();
        let Some((piece, list)) = self
            .keys
            .next_key()
            .map(blank)
            .zip(self.panels.first().map(|panel| panel.list))
        else {
            return;
        };
        let draft =
            self.edit(|store| Ok(store.list_mut(list)?.begin_new_draft(piece, Place::Start)?));
        self.begin(draft, list);
    }

    fn cancel(&mut self) {
        if let Some(editing) = self.editing.take() {
            self.edit(|store| Ok(store.drafts_mut().discard(editing.draft)?));
        }
    }

    /// Saves the draft. What is refused comes back to be corrected; what others changed too is the person's to decide.
    fn commit(&mut self, prefer: Option<Prefer>) {
        let Some(mut editing) = self.editing.take() else {
            return;
        };
        let draft = editing.draft;
        let Ok(done) = self.store.edit(|store| {
            let refused = match store.drafts_mut().commit(draft) {
                Ok(_) => return Ok(()),
                Err(refused) => refused,
            };
            match (refused.problem, prefer) {
                (CommitProblem::Conflict(conflict), Some(prefer)) => {
                    let mut draft = *refused.draft;
                    draft.settle(*conflict, prefer);
                    store
                        .drafts_mut()
                        .commit(draft)
                        .map(drop)
                        .map_err(|refused| (refused.problem, refused.draft))
                }
                (problem, _) => Err((problem, refused.draft)),
            }
        }) else {
            return;
        };
        if let Err((problem, draft)) = done {
            editing.draft = *draft;
            editing.conflict = matches!(problem, CommitProblem::Conflict(_));
            editing.refused = Some(problem.to_string());
            editing.is_new = true;
            self.editing = Some(editing);
        }
    }

    /// The column's gap as the list has it: among its rows, or among those of the section that the heading above is of.
    fn drop_into(&mut self, list: ListId, key: u64, gap: usize) {
        let Some(panel) = self.panels.iter().find(|panel| panel.list == list) else {
            return;
        };
        let above = panel.column.rows.iter().take(gap).enumerate();
        let heading = above.rev().find_map(|(at, row)| match row.item.row() {
            FlatRow::Heading(section) => Some((at, section.key().clone())),
            FlatRow::Item(_) => None,
        });
        self.edit(|store| {
            let mut list = store.list_mut(list)?;
            let moved: Result<bool, ListEditError<u64>> = match heading {
                None => list.move_to(&[key], Place::Gap(gap)),
                Some((at, section)) => {
                    list.move_to_section(&[key], &section, Place::Gap(gap - at - 1))
                }
            };
            Ok(moved?)
        });
    }

    fn fold(&mut self, list: ListId, at: usize) {
        let Some(panel) = self.panels.iter().find(|panel| panel.list == list) else {
            return;
        };
        let Some(FlatRow::Heading(section)) =
            panel.column.rows.get(at).map(|row| row.item.row().clone())
        else {
            return;
        };
        self.edit(|store| {
            let mut list = store.list_mut(list)?;
            Ok(match section.is_collapsed() {
                true => list.expand(section.key())?,
                false => list.collapse(section.key())?,
            })
        });
    }

    fn undo(&mut self) {
        if let Some(Some(undone)) = self.edit(|store| Ok(store.history_mut().undo()?)) {
            self.told = match undone.skipped.len() {
                0 => "Undone.".to_owned(),
                more => format!("Undone, but for {more} that others changed since."),
            };
        }
    }
}

impl eframe::App for KilnQueue {
    fn ui(&mut self, ui: &mut Ui, _: &mut eframe::Frame) {
        egui::Panel::top("toolbar").show(ui, |ui| self.toolbar(ui));
        egui::CentralPanel::default().show(ui, |ui| self.draw(ui));
    }
}
