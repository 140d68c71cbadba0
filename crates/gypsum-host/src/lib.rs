//! Everything of Gypsum that touches the machine: files, journal, locks, the private view, service
//! managers, probes, and the loop that carries a change from its first order to its verdict.
//!
//! What is to be done next is computed by [`gypsum_core::change::Change`]; [`run`] carries it out. A change of a setting
//! as the command makes it, with nothing written yet:
//!
//! ```no_run
//! use gypsum_core::edit::{Edit, Request};
//! use gypsum_core::event::Event;
//! use gypsum_host::run::{ChangeRequest, NewContent, Observer, change};
//! use gypsum_host::{profiles::load, state::State, who::login_name, world::RealWorld};
//!
//! /// Prints what happens.
//! struct Printer;
//!
//! impl Observer for Printer {
//!     fn on_event(&mut self, event: &Event) {
//!         println!("{event:?}");
//!     }
//!
//!     fn confirm(&mut self) -> bool {
//!         false
//!     }
//! }
//!
//! let Ok(profile) = load("sshd", None) else { panic!("there is no such profile") };
//! let edit = Request { edit: Edit::parse_set("MaxAuthTries=4")?, within: None };
//! let mut request = ChangeRequest::new(profile, NewContent::Edits(vec![edit]), login_name());
//! request.wishes.dry_run = true;
//! let (world, state) = (RealWorld::new()?, State::at(None)?);
//! let finished = change(&world, &state, &mut Printer, request);
//! println!("{:?}, exit status {}", finished.report.verdict, finished.status.code());
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # Limitations
//!
//! - A file is replaced by exchange where its file system can do that (ext4, XFS, Btrfs, tmpfs,
//!   overlay), and in place elsewhere and where it is itself a mount.
//! - A guardian is a unit of its own under systemd, for root; elsewhere a process in a session of its own, which
//!   outlives a hang-up and not a host that ends all processes of a session.

pub mod accounts;
mod background;
mod beside;
pub mod boot;
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
mod host_log;
pub mod installing;
pub mod interrupt;
pub mod journal;
pub mod local_zone;
pub mod locks;
pub mod logs;
pub mod marks;
mod merging;
mod moment;
pub mod mounts;
mod package_lock;
pub mod probation;
pub mod probe;
pub mod profiles;
pub mod prune;
pub mod rehearse;
pub mod run;
pub mod running;
pub mod running_unit;
pub mod scratch;
mod sealed;
mod security_label;
pub mod service;
pub mod settings;
pub mod shell;
pub mod shipped;
pub mod sockets;
pub mod starter;
pub mod state;
pub mod survey;
pub mod tell;
pub mod transaction;
pub mod trial;
pub mod trust;
mod unread;
pub mod view;
pub mod watching;
pub mod who;
pub mod world;
