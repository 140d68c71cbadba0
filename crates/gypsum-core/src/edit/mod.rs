//! Edits: from what was asked for to splices, and the proof that they do exactly that.
//!
//! All addresses are resolved on the original. If one edit does not fit, none is made, and every
//! misfit is reported.

mod anchors;
mod apply;
mod ask;
mod block;
mod commas;
mod comment_out;
mod confirm;
mod context;
mod edit_error;
mod enable;
mod expected;
mod find;
mod insert;
mod list;
mod option;
mod paths;
mod piece;
mod place;
mod prepared;
mod preview;
mod prove;
mod quantity;
mod quoting;
mod remove;
mod style;
mod typed;
mod whole_block;
mod within;

pub use ask::{Amount, Edit, NotAnEdit, Request, Where};
pub use context::{File, Guide};
pub use find::{find_active, find_commented_out};
pub use place::{Batch, EditedFile, Proposal, propose, propose_batches};
pub use prepared::{Companion, NotPrepared, Prepared, RawEdit};
pub use preview::LineDiff;
