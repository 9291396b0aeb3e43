//! Which keys do what: the one table that the keyboard, the foot of the screen and the help page go by.

use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// What a key does while the rows have the keyboard.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Action {
    Up,
    Down,
    PageUp,
    PageDown,
    First,
    Last,
    Left,
    Right,
    RangeUp,
    RangeDown,
    Mark,
    MarkAll,
    Back,
    Enter,
    Add,
    Delete,
    Undo,
    Redo,
    MoveUp,
    MoveDown,
    MoveFirst,
    MoveLast,
    Search,
    Filter,
    Sort,
    SortText,
    Group,
    GroupText,
    CollapseAll,
    ExpandAll,
    Detail,
    Copy,
    CopyAll,
    Save,
    Retry,
    Dismiss,
    Told,
    ToldAlone,
    Pause,
    Step,
    Trace,
    AnotherList,
    CloseList,
    NextList,
    Refresh,
    More,
    Check,
    Help,
    Quit,
}

impl Action {
    /// Whether it is for the row under the cursor, and not only looks around.
    pub(crate) fn acts_on_rows(self) -> bool {
        matches!(
            self,
            Self::RangeUp
                | Self::RangeDown
                | Self::Mark
                | Self::Enter
                | Self::Add
                | Self::Delete
                | Self::MoveUp
                | Self::MoveDown
                | Self::MoveFirst
                | Self::MoveLast
                | Self::Copy
                | Self::Detail
                | Self::Retry
                | Self::Dismiss
        )
    }
}

/// A key with its modifiers.
type Pressed = (KeyModifiers, KeyCode);

/// What one or several keys do.
pub(crate) struct Binding {
    pressed: &'static [Pressed],
    pub(crate) action: Action,
    /// The keys as they are told.
    pub(crate) keys: &'static str,
    /// One or two words for the foot; nothing for what is told on the help page alone.
    pub(crate) foot: &'static str,
    pub(crate) help: &'static str,
}

/// Bindings under one heading of the help page.
pub(crate) struct KeyGroup {
    pub(crate) heading: &'static str,
    pub(crate) bindings: &'static [Binding],
}

const NONE: KeyModifiers = KeyModifiers::NONE;
const CTRL: KeyModifiers = KeyModifiers::CONTROL;
const ALT: KeyModifiers = KeyModifiers::ALT;
const SHIFT: KeyModifiers = KeyModifiers::SHIFT;

const fn letter(letter: char) -> Pressed {
    (NONE, KeyCode::Char(letter))
}

const fn ctrl(letter: char) -> Pressed {
    (CTRL, KeyCode::Char(letter))
}

const fn plain(code: KeyCode) -> Pressed {
    (NONE, code)
}

const fn bind(
    pressed: &'static [Pressed],
    action: Action,
    keys: &'static str,
    foot: &'static str,
    help: &'static str,
) -> Binding {
    Binding {
        pressed,
        action,
        keys,
        foot,
        help,
    }
}

/// All keys, by what they are for.
pub(crate) const KEY_GROUPS: &[KeyGroup] = &[
    KeyGroup {
        heading: "Look around",
        bindings: &[
            bind(&[plain(KeyCode::Up)], Action::Up, "↑", "", "the row above"),
            bind(
                &[plain(KeyCode::Down)],
                Action::Down,
                "↓",
                "",
                "the row below",
            ),
            bind(
                &[plain(KeyCode::Left)],
                Action::Left,
                "←",
                "",
                "the column before",
            ),
            bind(
                &[plain(KeyCode::Right)],
                Action::Right,
                "→",
                "",
                "the column after",
            ),
            bind(
                &[plain(KeyCode::PageUp)],
                Action::PageUp,
                "PgUp",
                "",
                "a screen up",
            ),
            bind(
                &[plain(KeyCode::PageDown)],
                Action::PageDown,
                "PgDn",
                "",
                "a screen down",
            ),
            bind(
                &[plain(KeyCode::Home)],
                Action::First,
                "Home",
                "",
                "the first row",
            ),
            bind(
                &[plain(KeyCode::End)],
                Action::Last,
                "End",
                "",
                "the last row",
            ),
            bind(
                &[letter('o')],
                Action::Detail,
                "o",
                "",
                "open the row: all its fields",
            ),
            bind(
                &[plain(KeyCode::Tab)],
                Action::NextList,
                "Tab",
                "",
                "the next list",
            ),
        ],
    },
    KeyGroup {
        heading: "Find and arrange",
        bindings: &[
            bind(
                &[letter('/'), ctrl('f')],
                Action::Search,
                "/",
                "search",
                "search for words while you type",
            ),
            bind(
                &[letter('f')],
                Action::Filter,
                "f",
                "filter",
                "filter by a condition (CQL2)",
            ),
            bind(
                &[letter('s')],
                Action::Sort,
                "s",
                "sort",
                "sort by this column: up, down, not at all",
            ),
            bind(
                &[letter('S')],
                Action::SortText,
                "S",
                "",
                "type what to sort by",
            ),
            bind(
                &[letter('g')],
                Action::Group,
                "g",
                "group",
                "group by this column, or no more",
            ),
            bind(
                &[letter('G')],
                Action::GroupText,
                "G",
                "",
                "type what to group by, such as due:month",
            ),
            bind(
                &[letter('-')],
                Action::CollapseAll,
                "-",
                "",
                "collapse all sections",
            ),
            bind(
                &[letter('+')],
                Action::ExpandAll,
                "+",
                "",
                "expand all sections",
            ),
            bind(
                &[letter('l')],
                Action::AnotherList,
                "l",
                "",
                "another list over the same items, beside this one",
            ),
            bind(
                &[letter('L')],
                Action::CloseList,
                "L",
                "",
                "close this list",
            ),
        ],
    },
    KeyGroup {
        heading: "Edit",
        bindings: &[
            bind(
                &[plain(KeyCode::Enter), letter('e')],
                Action::Enter,
                "Enter",
                "edit",
                "edit this field; turn a flag; collapse or expand a section",
            ),
            bind(
                &[letter('a'), plain(KeyCode::Insert)],
                Action::Add,
                "a",
                "add",
                "add a row: here, at the start, at the end",
            ),
            bind(
                &[letter('d'), plain(KeyCode::Delete)],
                Action::Delete,
                "d",
                "delete",
                "delete this row, or the selected ones",
            ),
            bind(
                &[letter('u'), ctrl('z')],
                Action::Undo,
                "u",
                "undo",
                "undo the last step",
            ),
            bind(
                &[letter('r'), ctrl('y')],
                Action::Redo,
                "r",
                "",
                "make the undone step again",
            ),
            bind(
                &[(ALT, KeyCode::Up), letter('<')],
                Action::MoveUp,
                "Alt+↑ <",
                "",
                "move the row up, or the selected ones",
            ),
            bind(
                &[(ALT, KeyCode::Down), letter('>')],
                Action::MoveDown,
                "Alt+↓ >",
                "",
                "move the row down, or the selected ones",
            ),
            bind(
                &[(ALT, KeyCode::Home)],
                Action::MoveFirst,
                "Alt+Home",
                "",
                "move to the start",
            ),
            bind(
                &[(ALT, KeyCode::End)],
                Action::MoveLast,
                "Alt+End",
                "",
                "move to the end",
            ),
            bind(
                &[letter('c')],
                Action::Copy,
                "c",
                "",
                "copy the row, or the selected ones",
            ),
            bind(
                &[letter('C')],
                Action::CopyAll,
                "C",
                "",
                "copy all rows that the list shows",
            ),
        ],
    },
    KeyGroup {
        heading: "Select",
        bindings: &[
            bind(
                &[letter(' ')],
                Action::Mark,
                "Space",
                "select",
                "select this row, or no more",
            ),
            bind(
                &[(SHIFT, KeyCode::Up)],
                Action::RangeUp,
                "Shift+↑",
                "",
                "select from here up",
            ),
            bind(
                &[(SHIFT, KeyCode::Down)],
                Action::RangeDown,
                "Shift+↓",
                "",
                "select from here down",
            ),
            bind(
                &[ctrl('a'), letter('*')],
                Action::MarkAll,
                "*",
                "",
                "select all rows",
            ),
            bind(
                &[plain(KeyCode::Esc)],
                Action::Back,
                "Esc",
                "",
                "select none; then end the search",
            ),
        ],
    },
    KeyGroup {
        heading: "The source",
        bindings: &[
            bind(
                &[letter('w'), ctrl('s')],
                Action::Save,
                "w",
                "",
                "write what was kept back (--hold) to the file",
            ),
            bind(
                &[letter('t')],
                Action::Retry,
                "t",
                "",
                "try again what was refused",
            ),
            bind(
                &[letter('x')],
                Action::Dismiss,
                "x",
                "",
                "drop what was refused",
            ),
            bind(
                &[plain(KeyCode::F(5))],
                Action::Refresh,
                "F5",
                "",
                "load again",
            ),
            bind(
                &[letter('m')],
                Action::More,
                "m",
                "",
                "load more, where there is more",
            ),
        ],
    },
    KeyGroup {
        heading: "What the view was told",
        bindings: &[
            bind(&[letter('v')], Action::Told, "v", "told", "show or hide it"),
            bind(
                &[letter('V')],
                Action::ToldAlone,
                "V",
                "",
                "it alone, to scroll through",
            ),
            bind(
                &[letter('p')],
                Action::Pause,
                "p",
                "pause",
                "pause: the view is told nothing until it goes on",
            ),
            bind(
                &[letter('n')],
                Action::Step,
                "n",
                "",
                "while paused: tell the view the next change set",
            ),
            bind(
                &[letter('T')],
                Action::Trace,
                "T",
                "",
                "write it as a trace, for `usual-tide verify`",
            ),
            bind(
                &[letter('=')],
                Action::Check,
                "=",
                "",
                "compare the view with the list",
            ),
        ],
    },
    KeyGroup {
        heading: "Leave",
        bindings: &[
            bind(
                &[letter('?'), plain(KeyCode::F(1))],
                Action::Help,
                "?",
                "help",
                "this page",
            ),
            bind(
                &[letter('q'), ctrl('q'), ctrl('c')],
                Action::Quit,
                "q",
                "leave",
                "leave",
            ),
        ],
    },
];

/// What a key does.
pub(crate) fn action(key: &KeyEvent) -> Option<Action> {
    // A capital letter says that Shift was held.
    let modifiers = match key.code {
        KeyCode::Char(_) => key.modifiers - KeyModifiers::SHIFT,
        _ => key.modifiers,
    };
    let bindings = KEY_GROUPS.iter().flat_map(|group| group.bindings);
    let mut found = bindings.filter(|binding| binding.pressed.contains(&(modifiers, key.code)));
    found.next().map(|binding| binding.action)
}

/// What the foot tells, in order.
pub(crate) fn foot() -> impl Iterator<Item = (&'static str, &'static str)> {
    let bindings = KEY_GROUPS.iter().flat_map(|group| group.bindings);
    let told = bindings.filter(|binding| !binding.foot.is_empty());
    told.map(|binding| (binding.keys, binding.foot))
}
