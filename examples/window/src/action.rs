//! What a person asks for. A panel only draws; it hands these on, and the app does them.

use usual_tide::drafts::Prefer;

/// What was asked of a panel.
#[derive(Clone, Debug)]
pub enum Action {
    /// Begin to edit a piece in its row.
    Edit(u64),
    /// Save what is being edited.
    Commit,
    /// Leave it as it was.
    Cancel,
    /// Save it though others changed it too: mine, or theirs where both differ.
    Settle(Prefer),
    /// Mark a piece as fired, or not.
    Fire(u64, bool),
    /// Delete a piece; it can be undone.
    Delete(u64),
    /// Put a piece into a gap of the panel's column, counted with the headings and before the piece is lifted.
    Drop(u64, usize),
    /// Move a piece past the row above or below it.
    Step { key: u64, down: bool },
    /// Fold or open the section whose heading is in this row of the column.
    Fold(usize),
}
