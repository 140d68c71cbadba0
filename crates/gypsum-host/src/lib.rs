//! Everything of Gypsum that touches the machine: files, journal, locks, the private view, service
//! managers, probes, and the loop that carries a change from its first order to its verdict.
//!
//! The loop is in [`run`]; what it is to do next is computed by [`gypsum_core::change::Change`].
//!
//! # Limitations
//!
//! - A file is replaced by exchange where its file system can do that (ext4, XFS, Btrfs, tmpfs,
//!   overlay), and in place elsewhere and where it is itself a mount.
//! - A guardian is a unit of its own under systemd, for root; elsewhere a process in a session of its own, which
//!   outlives a hang-up and not a host that ends all processes of a session.

pub mod accounts;
mod background;
pub mod children;
pub mod disk;
pub mod drafts;
pub mod editor;
pub mod error;
pub mod evidence;
pub mod files;
pub mod guardian;
pub mod guardian_process;
pub mod health;
pub mod journal;
pub mod locks;
pub mod logs;
pub mod mounts;
pub mod probe;
pub mod profiles;
pub mod rehearse;
pub mod run;
pub mod service;
pub mod shell;
pub mod sockets;
pub mod state;
pub mod survey;
pub mod transaction;
pub mod view;
pub mod who;
pub mod world;
