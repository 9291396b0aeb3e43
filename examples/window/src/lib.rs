//! A window on a store: two lists over the same pieces, one sink for each, and a link in the background.
//!
//! - [`piece`]: the item and its rules.
//! - [`studio`]: where the pieces come from, and go to; slow, as a server is.
//! - [`column`]: the rows of a list as they are drawn, driven by change sets, so that they slide and fade.
//! - [`panel`]: a list with its search, sort and group; what a person does there becomes an [`action`].
//! - [`app`]: does what was asked, and tells what came of it.
//!
//! The toolkit calls [`app::KilnQueue`] each time it draws. Nothing is drawn while nothing moves: the store's
//! subscriptions wake the window.

pub mod action;
pub mod app;
pub mod column;
pub mod panel;
pub mod piece;
mod row;
pub mod studio;
