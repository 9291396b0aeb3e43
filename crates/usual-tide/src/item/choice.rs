//! Values that are one of several choices.

use std::fmt;

/// One of the values that an enum can have: `#[derive(FieldValue)]` makes it of each variant.
///
/// Choices are in the order in which they are defined. One is named in text and JSON by its name, and shown by its
/// shown text.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub struct Choice {
    order: u32,
    name: &'static str,
    shown: &'static str,
}

impl Choice {
    /// The choice at a place in the order, with its name and the text that a view shows.
    pub const fn new(order: u32, name: &'static str, shown: &'static str) -> Self {
        Self { order, name, shown }
    }

    /// Its place among the choices.
    pub const fn order(&self) -> u32 {
        self.order
    }

    /// Its name, as text and JSON have it.
    pub const fn name(&self) -> &'static str {
        self.name
    }

    /// The text that a view shows.
    pub const fn shown(&self) -> &'static str {
        self.shown
    }
}

/// As JSON and filters name it.
impl fmt::Display for Choice {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.name)
    }
}
