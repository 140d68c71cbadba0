//! The demonstration: a made-up daemon, and a walk with it through a change, a refusal, a restore and
//! a recovery.
//!
//! The departure boards of Saltmarsh harbour are a real HTTP server on loopback with a configuration
//! file, a check mode and a reload by signal. It shares no code with the parsers that it helps to show.
//!
//! The program of the workspace is this daemon, too, when it is called by its name:
//!
//! ```
//! let help = gypsum_demo::daemon(&["--check".to_owned(), "/no/such/file".to_owned()]);
//! assert_ne!(help, 0, "a file that is not there does not pass its check");
//! ```

mod boards;
mod config;
mod host;
mod walk;

pub use boards::daemon;
pub use host::Host;
pub use walk::walk;

/// The name of the daemon, and of the program that is it.
pub const DAEMON: &str = "departures";
