//! What is noted of the sections, for feeds and for positions read earlier.

use crate::change::{Alignment, Layout, Section};

/// What an edit did to the sections of a list.
pub(in crate::list) enum SectionChange {
    None,
    Touched(Alignment<Section>),
    /// The rows were grouped anew.
    Anew,
}

/// What is noted of the sections with a change of the rows.
pub(in crate::list) struct Sectioned {
    pub(in crate::list) change: SectionChange,
    /// The sections before the change, when they hid rows.
    pub(in crate::list) hidden_before: Option<Layout>,
}

impl Sectioned {
    pub(in crate::list) fn noted(
        change: SectionChange,
        hidden_before: Option<Layout>,
    ) -> Option<Box<Self>> {
        let worth = hidden_before.is_some() || !matches!(change, SectionChange::None);
        worth.then(|| {
            Box::new(Self {
                change,
                hidden_before,
            })
        })
    }
}
