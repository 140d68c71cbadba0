//! Watching on: after a change was kept, a check of the person's is looked at for some days. No lock is held; a timer of
//! the service manager looks, or a process of its own.

mod look;
mod record;
mod timer;

pub use look::{look, stay};
pub use record::{WATCHES, Watch, all, end};
pub use timer::{start_all, stop};

use crate::error::Error;
use crate::state::State;

/// The first word of the own program's command line that means: look once, or stay and look.
pub const ENTRY: &str = "__watch";

/// Begins one, under the next number.
///
/// # Errors
///
/// If it cannot be written down or started.
pub fn begin(state: &State, watch: &mut Watch) -> Result<(), Error> {
    watch.add(state)?;
    timer::start(state, watch)
}
