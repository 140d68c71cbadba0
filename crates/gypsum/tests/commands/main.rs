//! The built program on files in a temporary folder, with the departure boards as the daemon: no root,
//! no network beyond loopback.

mod bad_input;
mod boards;
mod screens;
mod verdicts;
