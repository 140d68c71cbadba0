//! The change: a pure, total state machine, and the records it leaves.
//!
//! Given what was seen, [`Change::next`] answers with the next state and one order. The host records
//! the state, carries out the order and feeds back what it saw, until there is no order left.

mod journal;
mod machine;
mod plan;

pub use journal::{Log, Record, Stage, decode, encode};
pub use machine::{Change, Order, State, StepOutcome, Verdict};
pub use plan::{Content, How, Ownership, Plan, PlannedDraft, PlannedFile, PlannedNeighbour, TakenDraft};
