//! How one row is drawn, and what can be done there.

use crate::action::Action;
use crate::panel::{Editing, child};
use crate::piece::Piece;
use eframe::egui::{
    self, Button, Key, Label, Rect, Response, RichText, Role, Sense, TextEdit, Ui, WidgetInfo,
};
use usual_tide::Store;
use usual_tide::drafts::Prefer;
use usual_tide::lists::{FlatKey, FlatRow};
use usual_tide::sections::Section;
use usual_tide::writes::WriteState;

/// Where a row is drawn. It is known by its key, wherever it is: so the keyboard stays with it.
pub(crate) fn ui(ui: &mut Ui, place: Rect, row: &FlatRow<Piece>, opacity: f32) -> Ui {
    let known_by: FlatKey<u64> = row.flat_key();
    let mut ui = child(ui, place, known_by);
    ui.set_opacity(opacity);
    // A drag moves a row; it selects no text.
    ui.style_mut().interaction.selectable_labels = false;
    ui
}

/// A button that a screen reader names in full.
fn named(response: Response, name: &str) -> Response {
    response.widget_info(|| WidgetInfo::labeled(Role::Button, true, name));
    response.on_hover_text(name)
}

/// A cell as wide as those above and below it.
fn cell<R>(ui: &mut Ui, width: f32, draw: impl FnOnce(&mut Ui) -> R) -> R {
    let layout = egui::Layout::left_to_right(egui::Align::Center);
    let cell = ui.allocate_ui_with_layout(egui::vec2(width, 24.0), layout, |ui| {
        ui.set_min_width(width);
        draw(ui)
    });
    cell.inner
}

/// Titles have the room that the other cells leave.
fn title_width(ui: &Ui) -> f32 {
    (ui.available_width() - 320.0).max(120.0)
}

/// A heading: a click folds its section.
pub(crate) fn heading(ui: &mut Ui, section: &Section, at: usize) -> Option<Action> {
    let mark = if section.is_collapsed() { "+" } else { "-" };
    let text = format!("{mark} {} ({})", section.heading(), section.count());
    let button = Button::new(RichText::new(&text).strong()).frame(false);
    named(ui.add(button), &text)
        .clicked()
        .then_some(Action::Fold(at))
}

/// A piece as it is.
pub(crate) fn piece(
    ui: &mut Ui,
    piece: &Piece,
    state: WriteState,
    by_hand: bool,
    dragged: &mut Option<u64>,
) -> Option<Action> {
    let (key, title) = (piece.id, &piece.title);
    let handle = ui.add_enabled(by_hand, Label::new("=").sense(Sense::click_and_drag()));
    let handle = named(handle, &format!("Move {title}"));
    if handle.drag_started() {
        *dragged = Some(key);
    }
    let mut fired = piece.fired;
    let tick = ui.checkbox(&mut fired, "");
    tick.widget_info(|| {
        WidgetInfo::selected(Role::CheckBox, true, fired, format!("{title} is fired"))
    });
    let name = cell(ui, title_width(ui), |ui| {
        ui.add(Button::new(title.as_str()).frame(false).truncate())
    });
    let name = named(name, &format!("Edit {title}"));
    let keys = ui.ctx().input(|input| {
        let alt = input.modifiers.alt;
        let pressed = |key| input.key_pressed(key);
        (
            alt && pressed(Key::ArrowUp),
            alt && pressed(Key::ArrowDown),
            pressed(Key::Delete),
        )
    });
    let asked = match (name.has_focus(), keys) {
        _ if name.clicked() => Some(Action::Edit(key)),
        (true, (true, ..)) => Some(Action::Step { key, down: false }),
        (true, (_, true, _)) => Some(Action::Step { key, down: true }),
        (true, (.., true)) => Some(Action::Delete(key)),
        _ => None,
    };
    let height = format!("{} mm", piece.height_mm);
    ui.add_sized([60.0, 24.0], Label::new(height).halign(egui::Align::RIGHT));
    ui.add_sized(
        [80.0, 24.0],
        Label::new(piece.due.strftime("%-d %b %Y").to_string()),
    );
    ui.add_sized([28.0, 24.0], Label::new(&piece.shelf));
    match state {
        WriteState::Saved => {}
        WriteState::Pending => drop(ui.weak("saving")),
        WriteState::Failed => drop(ui.colored_label(ui.visuals().error_fg_color, "not saved")),
    }
    let delete = ui.with_layout(egui::Layout::right_to_left(egui::Align::Center), |ui| {
        named(ui.button("x"), &format!("Delete {title}")).clicked()
    });
    asked
        .or(tick.changed().then_some(Action::Fire(key, fired)))
        .or(delete.inner.then_some(Action::Delete(key)))
}

/// A piece that is being edited. What is typed goes into the draft at once, so that what is wrong shows at once.
pub(crate) fn editor(ui: &mut Ui, store: &Store<Piece>, editing: &mut Editing) -> Option<Action> {
    for (name, label, width) in [
        ("title", "Title", 190.0),
        ("height_mm", "Height in mm", 60.0),
    ] {
        let mut text = editing.draft.typed(name).unwrap_or_default();
        let field = ui.add(TextEdit::singleline(&mut text).desired_width(width));
        field.widget_info(|| {
            let mut info = WidgetInfo::labeled(Role::TextInput, true, label);
            info.current_text_value = Some(text.clone());
            info
        });
        if std::mem::take(&mut editing.is_new) {
            field.request_focus();
        }
        if field.changed() {
            // Text that is no number is kept as it was typed; the draft cannot be saved until it is one.
            editing.refused = editing
                .draft
                .type_text(name, &text)
                .err()
                .map(|why| why.to_string());
            editing.conflict = false;
        }
        if field.lost_focus() && ui.ctx().input(|input| input.key_pressed(Key::Enter)) {
            return Some(Action::Commit);
        }
    }
    if ui.ctx().input(|input| input.key_pressed(Key::Escape)) {
        return Some(Action::Cancel);
    }
    let failures = store.drafts().failures(&editing.draft);
    let wrong = failures
        .first()
        .map(|failed| format!("{}: {failed}", failed.field));
    match wrong.or_else(|| editing.refused.clone()) {
        Some(why) => drop(
            ui.add(Label::new(RichText::new(why).color(ui.visuals().error_fg_color)).truncate()),
        ),
        None => drop(ui.weak("Enter saves, Esc leaves it")),
    }
    if editing.conflict {
        for (text, prefer) in [("Keep mine", Prefer::Mine), ("Take theirs", Prefer::Theirs)] {
            if ui.button(text).clicked() {
                return Some(Action::Settle(prefer));
            }
        }
    }
    None
}

/// A row that is gone: it can only be seen.
pub(crate) fn gone(ui: &mut Ui, row: &FlatRow<Piece>) {
    let text = match row {
        FlatRow::Heading(section) => section.heading(),
        FlatRow::Item(piece) => &piece.title,
    };
    ui.weak(text);
}
