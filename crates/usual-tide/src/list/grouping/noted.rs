//! What is noted of the sections, for feeds and for positions read earlier.

use crate::change::{Alignment, Layout, Recounted, Section};
use std::borrow::Cow;
use std::sync::Arc;

/// What an edit did to the sections of a list.
pub(in crate::list) enum SectionChange {
    None,
    /// No section came or went.
    Recounted(Recounted),
    Touched(Alignment<Section>),
    /// The rows were grouped again.
    Anew,
}

impl SectionChange {
    /// The sections that were touched, where that is known.
    pub(in crate::list) fn align(&self) -> Option<Cow<'_, Alignment<Section>>> {
        match self {
            Self::Recounted(few) => Some(Cow::Owned(few.align())),
            Self::Touched(change) => Some(Cow::Borrowed(change)),
            Self::None | Self::Anew => None,
        }
    }

    /// The same, given away.
    pub(in crate::list) fn into_alignment(self) -> Option<Alignment<Section>> {
        match self {
            Self::Touched(change) => Some(change),
            other => other.align().map(Cow::into_owned),
        }
    }
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
    ) -> Option<Arc<Self>> {
        let worth = hidden_before.is_some() || !matches!(change, SectionChange::None);
        worth.then(|| {
            Arc::new(Self {
                change,
                hidden_before,
            })
        })
    }
}
