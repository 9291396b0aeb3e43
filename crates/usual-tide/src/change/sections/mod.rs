//! Sections: what they are, how they change, and their change sets.

mod boundaries;
mod by_section;
mod flat;
mod flattening;
#[cfg(feature = "record")]
mod json;
mod layout;
mod order;
mod phases;
mod recounted;
mod replica;
mod section;
mod sectioning;
mod steps;

pub(crate) use boundaries::{Boundaries, align_by_key};
pub use by_section::{SectionChanges, SectionMove, SectionRun, SectionUpdated};
pub use flat::{FlatItem, FlatKey, FlatRow};
pub(crate) use layout::Layout;
pub(crate) use recounted::Recounted;
pub use replica::{SectionApplyError, SectionReplica};
pub use section::{Section, SectionRow};
pub(crate) use sectioning::Sectioning;
pub use steps::SectionStep;
