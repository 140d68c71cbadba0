//! What is done about an open change when the host starts: its files are put back before the daemons start, and it is
//! brought to its verdict after them.
//!
//! What we believe: a unit whose condition fails is skipped at once and counts as no failure (systemd.unit(5)), and
//! nothing waits for a unit that is only wanted, but for its own time limit.

mod install;
mod way;

pub use install::{install, packaged_units, remove};
pub use way::{early, late};

/// The first word of the own program's command line that means: the host has started.
pub const ENTRY: &str = "__boot";
