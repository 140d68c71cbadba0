//! What the proof expects of each statement that an edit is about.

use super::block::Thing;
use crate::doc::{BlockId, LeafId};

/// What an edit should amount to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Expected {
    /// The setting in this leaf has this value.
    Set(Vec<u8>),
    /// Part of the value of the setting in this leaf changes; becomes `Set` once all parts are known.
    Part,
    /// The comment in this leaf is now this setting.
    Uncommented { name: Vec<u8>, value: Vec<u8> },
    /// Behind this leaf are these new things.
    Inserted {
        /// The things, in the order in which they are read.
        things: Vec<Thing>,
        /// The block that they are in.
        within: Within,
    },
    /// The setting in this leaf is gone (removed, or a comment now).
    Removed,
    /// This leaf is gone, and so are those behind it up to that one.
    RemovedTill(LeafId),
}

/// The block that something new is in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Within {
    /// This one of the file before the edit; `None` for the outermost.
    Block(Option<BlockId>),
    /// The one that its own text leads to: it may begin with a header.
    AsWritten,
}

/// An edit's effect, with the leaves that it is about.
#[derive(Debug)]
pub struct Match<'a> {
    /// What becomes of it.
    pub expected: &'a Expected,
    /// The leaf before the edit.
    pub old: Option<LeafId>,
    /// The leaf after it.
    pub new: Option<LeafId>,
    /// Which of several new things it is.
    pub thing: Option<&'a Thing>,
}

/// The fates of one file's leaves.
pub type AllExpected<'a> = Vec<(Option<LeafId>, &'a Expected)>;
