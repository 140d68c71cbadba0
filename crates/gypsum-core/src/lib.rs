//! Everything of Gypsum that can be computed.
//!
//! No I/O, no clock, no environment, no printing: files come in as bytes, time and what was seen of
//! the host come in as values, and what is to be done goes out as data.
//!
//! ```
//! use gypsum_core::doc::{Document, Family};
//! use gypsum_core::edit::{Edit, File, Guide, propose};
//!
//! let source = b"# guesses per connection\n#MaxAuthTries 6\n".to_vec();
//! let doc = Document::read(source, Family::Keyword, Family::Keyword.plain_dialect())?;
//! let files = [File { path: "/etc/ssh/sshd_config".into(), doc }];
//! let guide = Guide::default();
//! let edit = Edit::parse_set("MaxAuthTries=4")?;
//! let proposal = propose(&files, &[edit], &guide).map_err(|findings| findings[0].message.clone())?;
//! assert_eq!(proposal.files[0].after(), b"# guesses per connection\nMaxAuthTries 4\n");
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # Limitations
//!
//! - A JSON, YAML, TOML or XML file that its parser refuses is broken as a whole: it can be replaced, and not
//!   edited by line. So is one that the second reader cannot read, such as YAML that only version 1.2 has.
//! - A source of 512 MiB or more is refused.

pub mod address;
pub mod carry;
pub mod change;
pub mod check;
pub mod checker;
pub mod critical;
mod described;
pub mod diff;
pub mod differences;
pub mod edit;
pub mod effective;
pub mod event;
pub mod exit_status;
pub mod explain;
pub mod finding;
pub mod health;
pub mod history;
mod join;
pub mod layers;
pub mod listing;
pub mod log;
pub mod malformed;
pub mod manual;
pub mod merge;
pub mod own_way;
pub mod probe;
pub mod profile;
pub mod reading;
pub mod record;
#[cfg(feature = "reference")]
pub mod reference;
pub mod replay;
pub mod report;
pub mod rules;
pub mod secret;
pub mod service;
pub mod settings;
pub mod starter;
pub mod survey;
pub mod trial;
pub mod value;

pub use gypsum_formats::{doc, text, witness};
