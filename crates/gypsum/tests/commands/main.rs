//! The built program on files in a temporary folder, with the departure boards as the daemon: no root,
//! no network beyond loopback.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

#[path = "../shared/schema.rs"]
mod schema;

mod bad_input;
mod boards;
mod diff;
mod drafts;
mod editor;
mod events;
mod files;
mod findings;
mod help;
mod history;
mod housekeeping;
mod interrupts;
mod manual;
mod merge;
mod outputs;
mod paging;
mod probation;
mod real;
mod records;
mod reports;
mod restores;
mod screens;
mod secrets;
mod settings;
mod standing;
mod telling;
mod terminal;
mod unprofiled;
mod verdicts;
mod watching;
