//! A list with its search, sort and group, and its rows.

use crate::action::Action;
use crate::column::{Column, ROW};
use crate::piece::{GROUPS, Piece, SORTS, group, sort};
use crate::row;
use eframe::egui::{self, AsIdSalt, Rect, Ui, UiBuilder, pos2, vec2};
use std::error::Error;
use usual_tide::changes::Followed;
use usual_tide::lists::{FlatRow, Flattened};
use usual_tide::{Draft, Feed, ListId, Query, Search, Store};

/// A list on the screen.
pub struct Panel {
    pub name: &'static str,
    pub list: ListId,
    feed: Feed<Piece>,
    pub column: Column,
    search: String,
    sort: usize,
    group: usize,
    /// How far it is scrolled.
    scrolled: f32,
    /// Where it is to be scrolled to in the next frame.
    scroll_to: Option<f32>,
    /// The piece that is being dragged.
    dragged: Option<u64>,
}

/// A draft with what keeps it from being saved.
pub struct Editing {
    pub draft: Draft<Piece>,
    /// The panel in which it was begun.
    pub list: ListId,
    pub refused: Option<String>,
    /// Whether others changed the same fields, so that the person decides.
    pub conflict: bool,
    /// Whether the first field is still to be given the keyboard.
    pub is_new: bool,
}

impl Panel {
    /// Binds a list and begins with the rows of this moment.
    pub fn open(
        store: &mut Store<Piece>,
        name: &'static str,
        query: Query<Piece>,
        (sort_by, group_by): (usize, usize),
    ) -> Result<Self, Box<dyn Error>> {
        let query = arranged(query, sort_by, group_by);
        let list = store.bind(query);
        let feed = store.feed(list)?;
        let column = Column::of(Flattened::of(store.list(list)?).items());
        Ok(Self {
            name,
            list,
            feed,
            column,
            search: String::new(),
            sort: sort_by,
            group: group_by,
            scrolled: 0.0,
            scroll_to: None,
            dragged: None,
        })
    }

    /// Puts all that happened since the last frame into effect, as one change set.
    pub fn follow(&mut self, store: &Store<Piece>) -> Result<(), Box<dyn Error>> {
        let Some(changes) = self.feed.read(store)? else {
            return Ok(());
        };
        // This toolkit's list is one column, so that headings are rows too.
        let changes = changes.flattened();
        let top = (self.scrolled / ROW) as usize;
        changes.drive(&mut self.column);
        // What a person reads stays where it is, whatever comes and goes above it.
        if let Some(Followed::At(now)) = changes.follow(top).filter(|_| self.scrolled > 0.0) {
            let by = (now as f32 - top as f32) * ROW;
            if by != 0.0 {
                self.column.shift(by);
                self.scroll_to = Some(self.scrolled + by);
            }
        }
        Ok(())
    }

    /// What is asked for above the rows; gives the query that the list is to have from now on.
    pub fn controls(&mut self, ui: &mut Ui, store: &Store<Piece>) -> Option<Query<Piece>> {
        let mut asked = false;
        ui.horizontal(|ui| {
            ui.heading(self.name);
            let rows = store.list(self.list).map_or(0, |list| list.len());
            ui.weak(format!("{rows} pieces"));
        });
        ui.horizontal(|ui| {
            let search = egui::TextEdit::singleline(&mut self.search)
                .hint_text("Search")
                .desired_width(150.0);
            asked |= ui.add(search).changed();
            for (what, choice, names) in [
                ("Sort", &mut self.sort, &SORTS[..]),
                ("Group", &mut self.group, &GROUPS[..]),
            ] {
                ui.label(what);
                egui::ComboBox::from_id_salt((self.name, what))
                    .selected_text(names[*choice])
                    .show_ui(ui, |ui| {
                        for (number, name) in names.iter().enumerate() {
                            asked |= ui.selectable_value(choice, number, *name).changed();
                        }
                    });
            }
        });
        let query = store.list(self.list).ok()?.query().clone();
        let query = match self.search.trim() {
            "" => query.unsearched(),
            text => query.search(Search::new(text)),
        };
        asked.then(|| arranged(query, self.sort, self.group))
    }

    /// The rows in sight; what is asked of them.
    pub fn rows(
        &mut self,
        ui: &mut Ui,
        store: &Store<Piece>,
        mut editing: Option<&mut Editing>,
    ) -> Option<Action> {
        let mut action = None;
        let input = ui
            .ctx()
            .input(|input| (input.time, input.stable_dt.min(0.1)));
        let still = ui.style().animation_time == 0.0;
        self.column.begin_frame(input.0, still);
        let reach = if still {
            1.0
        } else {
            1.0 - (-input.1 * 14.0).exp()
        };
        let mut area = egui::ScrollArea::vertical()
            .id_salt(self.name)
            .auto_shrink(false);
        if let Some(offset) = self.scroll_to.take() {
            area = area.vertical_scroll_offset(offset);
        }
        let shown = area.show_viewport(ui, |ui, viewport| {
            let size = vec2(ui.available_width(), self.column.rows.len() as f32 * ROW);
            let (column, _) = ui.allocate_exact_size(size, egui::Sense::hover());
            let place = |y: f32| {
                Rect::from_min_size(
                    pos2(column.left(), column.top() + y),
                    vec2(column.width(), ROW),
                )
            };
            // Twenty rows are drawn, whether there are twenty or a million.
            let first = (viewport.top() / ROW).floor().max(0.0) as usize;
            let last = (viewport.bottom() / ROW).ceil().max(0.0) as usize;
            for at in first..last.min(self.column.rows.len()) {
                let (y, opacity) = self.column.place(at, reach);
                let item = std::sync::Arc::clone(&self.column.rows[at].item);
                let mut ui = row::ui(ui, place(y), item.row(), opacity);
                let asked = match item.row() {
                    FlatRow::Heading(section) => row::heading(&mut ui, section, at),
                    FlatRow::Item(piece) => match editing.as_deref_mut() {
                        Some(editing)
                            if (editing.draft.key(), editing.list) == (&piece.id, self.list) =>
                        {
                            row::editor(&mut ui, store, editing)
                        }
                        _ => {
                            let by_hand = self.sort == 0;
                            row::piece(
                                &mut ui,
                                piece,
                                store.writes().state(&piece.id),
                                by_hand,
                                &mut self.dragged,
                            )
                        }
                    },
                };
                action = action.take().or(asked);
            }
            for gone in &self.column.leaving {
                let mut ui = row::ui(ui, place(gone.y), gone.item.row(), self.column.fading(gone));
                row::gone(&mut ui, gone.item.row());
            }
            action.take().or_else(|| self.drop_gap(ui, column))
        });
        self.scrolled = shown.state.unclamped_offset().y;
        if self.column.moving {
            ui.ctx().request_repaint();
        }
        shown.inner
    }

    /// Draws the gap over which a piece is dragged; where it is dropped, when it is.
    fn drop_gap(&mut self, ui: &mut Ui, column: Rect) -> Option<Action> {
        let key = self.dragged?;
        let pointer = ui
            .ctx()
            .input(|input| (input.pointer.latest_pos(), input.pointer.any_down()));
        let row = (pointer.0?.y - column.top()) / ROW;
        let gap = (row.round().max(0.0) as usize).min(self.column.rows.len());
        if !pointer.1 {
            self.dragged = None;
            return Some(Action::Drop(key, gap));
        }
        let y = column.top() + gap as f32 * ROW;
        let line = ui.visuals().selection.stroke;
        ui.painter()
            .hline(column.x_range(), y, egui::Stroke::new(3.0, line.color));
        None
    }
}

/// A query in another order and with other groups.
fn arranged(query: Query<Piece>, sort_by: usize, group_by: usize) -> Query<Piece> {
    let query = match sort(sort_by) {
        Some(sort) => query.sort(sort),
        None => query.unsorted(),
    };
    match group(group_by) {
        Some(group) => query.group(group),
        None => query.ungrouped(),
    }
}

/// The place of a row on the screen.
pub(crate) fn child(ui: &mut Ui, rect: Rect, id: impl AsIdSalt) -> Ui {
    let layout = egui::Layout::left_to_right(egui::Align::Center);
    let inner = rect.shrink2(vec2(6.0, 2.0));
    ui.new_child(UiBuilder::new().id_salt(id).max_rect(inner).layout(layout))
}
