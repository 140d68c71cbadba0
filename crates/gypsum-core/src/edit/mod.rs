//! Edits: from what was asked for to splices, and the proof that they do exactly that.
//!
//! All addresses are resolved on the original. If one edit does not fit, none is made, and every
//! misfit is reported.

mod ask;
mod find;
mod insert;
mod place;
mod prove;
mod style;

pub use ask::{Edit, NotAnEdit};
pub use find::{find_active, find_dormant};
pub use place::{EditedFile, File, Guide, Proposal, Shown, propose};
