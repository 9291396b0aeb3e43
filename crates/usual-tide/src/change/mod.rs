//! Change sets: what turns the rows before into the rows after, and what can be done with that.
//!
//! A [`ChangeSet`] is made from an alignment, which says for each row after where it came
//! from. Alignments are composed; a minimal set is made of one at the end.

mod align;
mod apply;
mod compose;
mod convert;
mod folded;
mod follow;
mod increasing;
mod invert;
#[cfg(feature = "record")]
mod json;
mod minimal;
mod rejoin;
mod replica;
mod rows;
mod sections;
mod set;
mod steps;
mod touched;
mod view_sink;

pub(crate) use align::{Alignment, Segment};
pub use apply::ApplyError;
pub(crate) use compose::{compose, compose_all};
pub(crate) use folded::Folded;
pub use follow::Followed;
pub(crate) use increasing::heaviest_increasing;
#[cfg(feature = "record")]
pub use json::{ChangesJsonError, ChangesJsonProblem};
pub use replica::Replica;
pub(crate) use rows::RowBlock;
pub use rows::Rows;
pub(crate) use sections::{Boundaries, Layout, Recounted, Sectioning, align_by_key};
pub use sections::{
    FlatItem, FlatKey, FlatRow, Section, SectionApplyError, SectionChanges, SectionMove,
    SectionReplica, SectionRow, SectionRun, SectionStep, SectionUpdated,
};
pub(crate) use set::Numbers;
pub use set::{ChangeSet, MovedRun, RowRun, Updated};
pub use steps::Step;
pub(crate) use touched::{TouchedRow, align_touched};
pub use view_sink::{SectionViewSink, ViewSink};
