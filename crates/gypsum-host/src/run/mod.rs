//! One change, from the request to its verdict. The state machine of the core gives the orders; here they are
//! carried out, and what came of them is fed back.
//!
//! Before anything is written each step takes what the one before it made (`prepare`). From the backup on a change
//! is its plan and its record (`apply`, `restore`).

mod apply;
mod behind_unit;
mod boot;
mod carry;
mod change;
mod close;
mod drafts;
mod extra_files;
mod follow;
mod handover;
mod live;
mod observer;
mod outside;
mod prepare;
mod ready;
mod recorder;
mod recover;
mod repeated;
mod replayed;
mod request;
mod restore;
mod stand_by;
mod steps;
mod values;

pub use behind_unit::checks_behind;
pub use boot::put_files_back;
pub use change::change;
pub use extra_files::{Companion, ExtraFiles};
pub use follow::carry_staged;
pub use observer::{Finished, Nobody, Observer};

pub use ready::ready;
pub use recorder::Acceptance;
pub use recover::{carry_saved, recover, recover_all, resume};
pub use replayed::Replaying;
pub use request::{ChangeRequest, NewContent, TakeBack, TrialWish, Wishes};
pub use stand_by::{go_on_with_probation, stand_by};
pub use values::{ChecksNow, Values};
