//! The change: a pure, total state machine, and the records it leaves.
//!
//! Given what was seen, [`Change::next`] answers with the next state and one order. The host records
//! the state, carries out the order and feeds back what it saw, until there is no order left.

mod journal;
mod machine;
mod order;
mod plan;
mod stage;
mod verdict;

pub use journal::{Log, Record, decode, encode};
pub use machine::{Change, Early, State};
pub use order::{Order, StepOutcome};
pub use plan::{
    Content, Ownership, Plan, PlannedDraft, PlannedFile, PlannedRelated, PlannedWatch, ReplaceBy, TakenDraft,
};
pub use stage::Stage;
pub use verdict::Verdict;
