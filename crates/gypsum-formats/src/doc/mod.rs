//! The document: one tree for every format.
//!
//! Bytes become a list of statement leaves that tile the source (joined, they *are* the source, for
//! any bytes at all) and a list of blocks, each a range of leaves. A statement is split into its
//! parts only when somebody asks. Reading never fails on content: what a family cannot read
//! becomes a `broken` leaf and the rest is still read.

mod assignments;
mod blocks;
mod braces;
mod commented_out;
mod dialect;
mod document;
mod equals;
pub mod escapes;
mod family;
mod format;
mod index;
mod json;
mod keyword;
mod leaves;
mod literals;
mod nested;
mod parts;
mod properties;
mod records;
pub mod scalars;
mod scan;
mod sections;
mod stanzas;
mod tags;
mod tiling;
mod toml;
mod tree;
mod xml;
mod yaml;

pub use commented_out::{CommentedOut, Nearness, all_commented_out};
pub use dialect::{Dialect, Wins};
pub use document::{Document, TooLarge};
pub use family::Family;
pub use index::excerpt;
pub use parts::{Parts, Pieces};
pub use scalars::Sort;
pub use scan::mark_length;
pub use tree::MOST_BYTES;
pub use tree::{Block, BlockId, Builder, Kind, LeafId, Tree};
pub use yaml::anchor as anchor_in;
