//! Watching on: after a change was kept, a check of the person's is looked at for some days. No lock is held; a timer of
//! the service manager looks, or a process of its own.

mod look;
mod record;
mod timer;

pub use look::{look, stay};
pub use record::{Watch, all, end};
pub use timer::{start_all, stop};

use crate::error::Error;
use crate::state::{Entry, State};
use gypsum_core::change::{Plan, PlannedWatch};

/// The first word of the own program's command line that means: look once, or stay and look.
pub const ENTRY: &str = "__watch";

/// Begins one, for a change that was kept.
///
/// # Errors
///
/// If it cannot be written down or started.
pub fn begin(
    state: &State,
    entry: &Entry,
    plan: &Plan,
    planned: &PlannedWatch,
    now_ms: i64,
) -> Result<Watch, Error> {
    let watch = record::begin(state, entry, plan, planned, now_ms)?;
    timer::start(state, &watch)?;
    Ok(watch)
}
