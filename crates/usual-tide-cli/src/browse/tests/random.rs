//! Random requests: whatever is asked, the view shows what the list has, and finds its lines.

use super::TestScreen;
use crate::browse::lines::Lines;
use crate::browse::messages::{Mark, NewPlace, Request, Target, Which};
use crate::input::QueryTexts;
use proptest::prelude::*;
use usual_tide::Item;
use usual_tide::lists::FlatRow;
use usual_tide::record::RecordKey;

const FILTERS: [&str; 4] = [
    "",
    "fired = FALSE",
    "height_mm > 150",
    "shelf = 'A1' OR fired = TRUE",
];
const SEARCHES: [&str; 5] = ["", "b", "bo", "bowl", "vase"];
const SORTS: [&str; 4] = ["", "title", "-height_mm,id", "due"];
const GROUPS: [&str; 4] = ["", "clay", "due:month", "shelf"];

/// One request, by numbers that choose among what there is.
#[derive(Clone, Copy, Debug)]
struct Step {
    what: u8,
    which: usize,
    other: usize,
}

fn steps() -> impl Strategy<Value = Vec<Step>> {
    let step = (0..23_u8, 0..10_000_usize, 0..10_000_usize);
    let step = step.prop_map(|(what, which, other)| Step { what, which, other });
    proptest::collection::vec(step, 1..40)
}

/// How many random cases are tried: `USUAL_TIDE_CASES` sets another number, for a long run.
pub(super) fn cases(usually: u32) -> u32 {
    let asked = std::env::var("USUAL_TIDE_CASES").ok();
    asked
        .and_then(|cases| cases.parse().ok())
        .unwrap_or(usually)
}

/// What others make of the items: some are gone, some are changed, and one goes to the end.
pub(super) fn others(ui: &TestScreen, which: usize, other: usize) {
    let mut rows = ui.engine.items_for_test();
    if rows.is_empty() {
        return;
    }
    let at = which % rows.len();
    let moved = rows.remove(at);
    rows.push(moved);
    for row in rows.iter_mut().skip(other % 7).step_by(29) {
        row["height_mm"] = which.into();
    }
    let gone = (other % 3).min(rows.len());
    rows.drain(..gone);
    ui.engine.reload_for_test(rows);
}

fn part(step: Step, texts: &[&str]) -> Option<String> {
    Some(texts[step.other % texts.len()].to_owned())
}

/// What a step asks for, of the list that has the keyboard.
fn request(ui: &TestScreen, step: Step) -> Option<Request> {
    let list = ui.app.list()?;
    let number = list.number;
    let query = |texts: QueryTexts| Request::Query {
        list: number,
        texts,
    };
    let none = QueryTexts::default();
    let key_at = |at: usize| -> Option<RecordKey> {
        let row = list.lines.row(at % list.lines.len().max(1))?;
        Some(row.key().clone())
    };
    Some(match step.what {
        0 | 1 => query(QueryTexts {
            search: part(step, &SEARCHES),
            ..none
        }),
        2 | 3 => query(QueryTexts {
            filter: part(step, &FILTERS),
            ..none
        }),
        4 | 5 => query(QueryTexts {
            sort: part(step, &SORTS),
            ..none
        }),
        6 | 7 => query(QueryTexts {
            group: part(step, &GROUPS),
            ..none
        }),
        8 => Request::Remove {
            list: number,
            which: Which::Row(key_at(step.which)?),
        },
        9 => Request::Remove {
            list: number,
            which: Which::Selected,
        },
        10 | 11 => {
            let targets = [
                Target::Up,
                Target::Down,
                Target::Start,
                Target::End,
                Target::GapBefore(step.other % (list.lines.len() + 1)),
            ];
            Request::Move {
                list: number,
                which: match list.status.selected {
                    0 => Which::Row(key_at(step.which)?),
                    _ => Which::Selected,
                },
                target: targets[step.other % targets.len()].clone(),
            }
        }
        12 => Request::Undo,
        13 => Request::Redo,
        14 => Request::Collapse {
            list: number,
            section: list
                .lines
                .heading_of(step.which % list.lines.len().max(1))?
                .1
                .key()
                .clone(),
        },
        15 => Request::CollapseAll {
            list: number,
            collapsed: step.other.is_multiple_of(2),
        },
        16 => Request::Toggle {
            list: number,
            which: list.acted_on()?,
            field: ui
                .app
                .columns
                .0
                .iter()
                .position(|column| column.title == "fired")?,
        },
        17 => Request::BeginNew {
            list: number,
            place: NewPlace::After(key_at(step.which)),
        },
        18 => Request::Mark {
            list: number,
            mark: Mark::Toggle(key_at(step.which)?),
        },
        19 => Request::Mark {
            list: number,
            mark: Mark::All,
        },
        20 => Request::Pause {
            list: number,
            paused: step.other.is_multiple_of(2),
        },
        21 => Request::Step { list: number },
        _ => Request::Wake,
    })
}

fn shows(lines: &Lines, key: &RecordKey) -> bool {
    lines
        .from(0)
        .any(|line| matches!(line, FlatRow::Item(item) if item.key() == key))
}

/// Compares what the lines say of themselves with a plain look through them.
fn assert_lines_are_sound(lines: &Lines) {
    let all: Vec<&FlatRow<usual_tide::record::Record>> = lines.from(0).collect();
    assert_eq!(all.len(), lines.len());
    let (mut rows, mut heading) = (0, None);
    for (at, line) in all.iter().enumerate() {
        assert_eq!(lines.at(at), Some(*line));
        assert_eq!(lines.rows_before(at), rows);
        match line {
            FlatRow::Heading(_) => heading = Some(at),
            FlatRow::Item(_) => rows += 1,
        }
        assert_eq!(lines.heading_of(at).map(|found| found.0), heading);
        assert_eq!(lines.from(at).count(), all.len() - at);
    }
    assert_eq!(lines.rows_before(all.len()), rows);
    assert!(lines.at(all.len()).is_none());
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(16), failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn the_view_shows_what_the_list_has(steps in steps()) {
        let mut ui = TestScreen::new(100, 20, &["--check", "--also", r#"{"group": "maker", "sort": "title"}"#]);
        for step in steps {
            let row = ui.app.list().and_then(|list| list.row().map(|row| row.key().clone()));
            let before = ui.app.list().map(|list| list.lines.clone()).unwrap_or_default();
            if step.what == 22 {
                others(&ui, step.which, step.other);
            }
            let Some(request) = request(&ui, step) else {
                continue;
            };
            let is_edit = matches!(request, Request::BeginNew { .. });
            ui.ask(request);
            ui.settle();
            // A difference would have ended it.
            let ended = ui.app.take_end();
            prop_assert!(ended.is_none(), "{:?}", ended);
            for list in &ui.app.lists {
                prop_assert!(list.cursor < list.lines.len().max(1));
                assert_lines_are_sound(&list.lines);
            }
            // The cursor stays on its row as long as the list shows that, unless the row comes back that it was on
            // before.
            if let (Some(row), Some(list)) = (row, ui.app.list()) {
                let moved_on = matches!(step.what, 12 | 13 | 20) || is_edit;
                if shows(&list.lines, &row) && !moved_on && !list.status.paused
                    && let Some(now) = list.row().map(|row| row.key())
                {
                    prop_assert!(*now == row || !shows(&before, now), "{row} {now}");
                }
            }
            if is_edit {
                ui.press(crossterm::event::KeyCode::Esc);
            }
        }
        let number = ui.app.list().map(|list| list.number).unwrap_or_default();
        ui.ask(Request::Pause { list: number, paused: false });
        ui.ask(Request::Check);
        prop_assert!(ui.said().contains("the view shows what the list has"), "{}", ui.said());
    }
}
