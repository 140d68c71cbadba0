//! The formats of configuration files.
//!
//! [`doc`] reads a file of any family into leaves that hold every byte of it. [`witness`] reads the same file by other
//! code, as evidence of what an edit did. [`text`] is what both are made of: spans, lines, splices.
//!
//! ```
//! use gypsum_formats::doc::{Document, Family};
//!
//! let source = b"# guesses per connection\nMaxAuthTries 6\n".to_vec();
//! let doc = Document::read(source.clone(), Family::Keyword, Family::Keyword.plain_dialect())?;
//! let (leaf, _, parts) = doc.statements().next().ok_or("there is one")?;
//! assert_eq!((doc.name(&parts).as_str(), doc.value(&parts).as_str()), ("MaxAuthTries", "6"));
//! assert_eq!(doc.place(leaf).line, 2);
//! assert_eq!(doc.source(), source);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! It is a crate of its own so that it can be built beside the rest of the core, and as one unit, since all of a large file
//! goes through it.

pub mod doc;
pub mod text;
pub mod witness;
