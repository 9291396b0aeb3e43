//! The window, by its toolkit's own test harness: what is drawn is found by the names that a screen reader hears.

use eframe::egui::{self, Key, Modifiers, Pos2};
use egui_kittest::Harness;
use egui_kittest::kittest::Queryable;
use kiln_queue_window::app::KilnQueue;
use kiln_queue_window::piece::Piece;
use std::time::{Duration, Instant};

type Window = Harness<'static, Option<KilnQueue>>;

fn open() -> Window {
    let mut window = Harness::builder()
        .with_size(egui::vec2(1280.0, 800.0))
        .with_step_dt(1.0 / 60.0)
        .build_ui_state(
            |ui, state: &mut Option<KilnQueue>| {
                let app = state.get_or_insert_with(|| {
                    // The harness is for people who want no motion, unless it is told otherwise.
                    ui.ctx().all_styles_mut(|style| style.animation_time = 0.1);
                    KilnQueue::open(ui.ctx(), false).unwrap()
                });
                egui::Panel::top("toolbar").show(ui, |ui| app.toolbar(ui));
                egui::CentralPanel::default().show(ui, |ui| app.draw(ui));
            },
            None,
        );
    until(&mut window, |window| {
        drawn(window, "Edit Ash-glazed jug") == 2
    });
    window
}

/// Draws until something holds.
fn until(window: &mut Window, holds: impl Fn(&Window) -> bool) {
    let end = Instant::now() + Duration::from_secs(60);
    while !holds(window) {
        assert!(Instant::now() < end, "not in time; {}", app(window).told);
        std::thread::sleep(Duration::from_millis(2));
        window.step();
    }
}

fn app(window: &Window) -> &KilnQueue {
    window.state().as_ref().unwrap()
}

/// Draws until nothing moves any more.
fn settle(window: &mut Window) {
    window.run_steps(40);
}

/// Clicks what is drawn first of what has this name.
fn press(window: &mut Window, label: &str) {
    let found = window.query_all_by_label(label).next();
    found.unwrap().click();
    window.step();
}

/// Types another text into a field.
fn replace(window: &mut Window, field: &str, text: &str) {
    window.get_by_label(field).click();
    window.key_combination_modifiers(Modifiers::COMMAND, &[Key::A]);
    window.step();
    window.event(egui::Event::Text(text.to_owned()));
    settle(window);
}

fn piece(window: &Window, title: &str) -> Option<Piece> {
    let store = &app(window).store;
    let found = |store: &usual_tide::Store<Piece>| {
        store
            .items()
            .find(|piece| piece.title == title)
            .map(|piece| (**piece).clone())
    };
    store.read(found).unwrap()
}

fn titles(window: &Window, panel: usize) -> Vec<String> {
    let list = app(window).panels[panel].list;
    app(window)
        .store
        .read(|store| {
            store
                .list(list)
                .unwrap()
                .items()
                .map(|piece| piece.title.clone())
                .collect()
        })
        .unwrap()
}

/// How often something with this name is drawn.
fn drawn(window: &Window, label: &str) -> usize {
    window.query_all_by_label(label).count()
}

fn top(window: &Window, label: &str) -> f32 {
    window
        .query_all_by_label(label)
        .next()
        .unwrap()
        .rect()
        .top()
}

/// Everything is saved, and each list shows what it would show if it were bound now.
fn is_saved(window: &Window) -> bool {
    app(window)
        .store
        .read(|store| store.writes().pending().count() == 0)
        .unwrap()
}

#[test]
fn a_tick_changes_both_lists_and_is_undone() {
    let mut window = open();
    assert_eq!(drawn(&window, "Edit Ash-glazed jug"), 2);
    window
        .query_all_by_label("Ash-glazed jug is fired")
        .next()
        .unwrap()
        .click();
    settle(&mut window);
    assert_eq!(
        drawn(&window, "Edit Ash-glazed jug"),
        1,
        "it is not to be fired any more"
    );
    assert!(piece(&window, "Ash-glazed jug").unwrap().fired);
    until(&mut window, is_saved);
    window.get_by_label("Undo").click();
    settle(&mut window);
    assert_eq!(drawn(&window, "Edit Ash-glazed jug"), 2);
}

#[test]
fn a_row_is_edited_in_its_place_and_refused_until_it_is_right() {
    let mut window = open();
    let count = titles(&window, 0).len();
    press(&mut window, "Edit Ash-glazed jug");
    settle(&mut window);
    replace(&mut window, "Title", "   ");
    assert!(
        window
            .query_by_label_contains("a value is needed")
            .is_some()
    );
    window.key_press(Key::Enter);
    settle(&mut window);
    assert!(
        piece(&window, "Ash-glazed jug").is_some(),
        "nothing was saved"
    );

    replace(&mut window, "Title", " Deep jug ");
    window.key_press(Key::Enter);
    settle(&mut window);
    assert!(
        piece(&window, "Deep jug").is_some(),
        "{}",
        app(&window).told
    );
    assert_eq!(drawn(&window, "Edit Deep jug"), 2);

    // Another is left as it was.
    press(&mut window, "Edit Raku mug");
    settle(&mut window);
    window.event(egui::Event::Text("x".to_owned()));
    window.key_press(Key::Escape);
    settle(&mut window);
    assert!(piece(&window, "Raku mug").is_some());
    assert_eq!(titles(&window, 0).len(), count);
}

#[test]
fn what_the_studio_refuses_is_taken_back_and_told() {
    let mut window = open();
    press(&mut window, "Edit Ash-glazed jug");
    settle(&mut window);
    replace(&mut window, "Height in mm", "800");
    window.key_press(Key::Enter);
    until(&mut window, |window| {
        window
            .query_by_label("Not saved: the kiln takes 450 mm at the most")
            .is_some()
    });
    assert_eq!(piece(&window, "Ash-glazed jug").unwrap().height_mm, 245);
    assert_eq!(drawn(&window, "not saved"), 2);
    window.get_by_label("Dismiss").click();
    settle(&mut window);
    assert_eq!(drawn(&window, "not saved"), 0);
}

#[test]
fn a_deleted_row_fades_and_comes_back() {
    let mut window = open();
    let before = titles(&window, 0);
    press(&mut window, "Delete Raku mug");
    window.run_steps(4);
    assert!(drawn(&window, "Raku mug") > 0, "it fades");
    settle(&mut window);
    assert_eq!(
        (drawn(&window, "Raku mug"), drawn(&window, "Edit Raku mug")),
        (0, 0)
    );
    window.get_by_label("Undo").click();
    settle(&mut window);
    assert_eq!(titles(&window, 0), before);
}

#[test]
fn a_row_is_dragged_to_another_place_and_the_others_slide() {
    let mut window = open();
    let before = titles(&window, 0);
    let handle = window
        .query_all_by_label(&format!("Move {}", before[0]))
        .next()
        .unwrap()
        .rect();
    let target = window
        .query_all_by_label(&format!("Move {}", before[3]))
        .next()
        .unwrap()
        .rect();
    window.drag_at(handle.center());
    window.step();
    window.hover_at(Pos2::new(target.center().x, target.bottom() + 4.0));
    window.run_steps(3);
    window.drop_at(Pos2::new(target.center().x, target.bottom() + 4.0));
    window.run_steps(2);
    let name = format!("Edit {}", before[0]);
    let on_the_way = top(&window, &name);
    settle(&mut window);
    let there = top(&window, &name);
    let moved = [&before[1..4], &before[..1], &before[4..]].concat();
    assert_eq!(titles(&window, 0), moved);
    assert!(
        handle.top() < on_the_way && on_the_way + 5.0 < there,
        "it slides: {on_the_way} {there}"
    );

    // The same by the keyboard, back by one.
    window.query_all_by_label(&name).next().unwrap().focus();
    window.step();
    window.key_press_modifiers(Modifiers::ALT, Key::ArrowUp);
    settle(&mut window);
    assert_eq!(titles(&window, 0)[2], before[0]);
}

#[test]
fn a_list_is_searched_sorted_and_grouped_and_a_drag_to_another_shelf_changes_it() {
    let mut window = open();
    let search = window
        .query_all_by_role(egui::accesskit::Role::TextInput)
        .next()
        .unwrap();
    search.click();
    window.step();
    window.event(egui::Event::Text("raku".to_owned()));
    settle(&mut window);
    let found = titles(&window, 0);
    assert!(
        !found.is_empty() && found.iter().all(|title| title.contains("Raku")),
        "{found:?}"
    );
    assert!(
        titles(&window, 1).len() > found.len(),
        "the other list is as it was"
    );

    window
        .query_all_by_value("no groups")
        .next()
        .unwrap()
        .click();
    settle(&mut window);
    window.get_by_label("shelf").click();
    settle(&mut window);
    let headings: Vec<String> = ["A1", "A2", "B1", "C2"]
        .into_iter()
        .filter(|shelf| {
            window
                .query_by_label_contains(&format!("- {shelf} ("))
                .is_some()
        })
        .map(str::to_owned)
        .collect();
    assert!(headings.len() > 1, "{headings:?}");
    let last = window
        .query_by_label_contains(&format!("- {} (", headings[headings.len() - 1]))
        .unwrap()
        .rect();
    let first = titles(&window, 0)[0].clone();
    let handle = window
        .query_all_by_label(&format!("Move {first}"))
        .next()
        .unwrap()
        .rect();
    window.drag_at(handle.center());
    window.step();
    window.hover_at(Pos2::new(handle.center().x, last.bottom() + 4.0));
    window.run_steps(3);
    window.drop_at(Pos2::new(handle.center().x, last.bottom() + 4.0));
    settle(&mut window);
    let id = |shelf: &str| {
        app(&window)
            .store
            .read(|store| {
                store
                    .items()
                    .filter(|piece| piece.title == first && piece.shelf == shelf)
                    .count()
            })
            .unwrap()
    };
    assert!(
        id(&headings[headings.len() - 1]) > 0,
        "{}",
        app(&window).told
    );
}

#[test]
fn a_new_piece_is_a_blank_row_until_it_is_saved() {
    let mut window = open();
    let count = titles(&window, 0).len();
    window.get_by_label("New piece").click();
    settle(&mut window);
    assert_eq!(titles(&window, 0).len(), count + 1);
    window.event(egui::Event::Text("Salt dish".to_owned()));
    settle(&mut window);
    window.key_press(Key::Enter);
    settle(&mut window);
    assert_eq!(titles(&window, 0)[0], "Salt dish", "{}", app(&window).told);
    until(&mut window, is_saved);
    window.get_by_label("New piece").click();
    settle(&mut window);
    window.key_press(Key::Escape);
    settle(&mut window);
    assert_eq!(titles(&window, 0).len(), count + 1);
}
