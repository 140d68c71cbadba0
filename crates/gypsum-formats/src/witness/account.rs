//! What a witness says of a file: names, values and what is inside of what, in reading order.

/// What sort of value a text is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Sort {
    /// A text.
    Text,
    /// A number.
    Number,
    /// True or false.
    Flag,
    /// No value.
    Null,
    /// A date, a time, and what else a standard has.
    Other,
}

/// One value that is no collection.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Scalar {
    /// Its sort.
    pub sort: Sort,
    /// Its sort for readers of the standard's other version, where there are two.
    pub also: Sort,
    /// Its text, without quotes and escapes.
    pub text: Vec<u8>,
}

impl Scalar {
    /// A text.
    pub fn text(text: impl Into<Vec<u8>>) -> Self {
        Self::of(Sort::Text, text)
    }

    /// A value of one sort for all readers.
    pub fn of(sort: Sort, text: impl Into<Vec<u8>>) -> Self {
        Self { sort, also: sort, text: text.into() }
    }
}

/// One thing that a file says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Entry {
    /// What it is called; elements of a list have no name.
    pub name: Option<Vec<u8>>,
    /// Its value; `None` of a block, and of a bare name.
    pub value: Option<Scalar>,
    /// Whether other entries stand in it, or could.
    pub block: bool,
    /// The line in which it begins, from 1; 0 where the reader does not tell.
    pub line: u32,
    /// One past the last entry in it.
    pub end: usize,
}

/// All that a file says, outer things before what is in them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Account {
    /// The entries, in reading order.
    pub entries: Vec<Entry>,
}

/// A file that the witness cannot read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unreadable {
    /// The byte at which it gives up.
    pub at: usize,
    /// Why, in a few words.
    pub why: String,
}

impl Unreadable {
    /// What is wrong at byte `at`.
    pub fn new(at: usize, why: impl Into<String>) -> Self {
        Self { at, why: why.into() }
    }
}

/// The way to an entry from the outside in: each step the name, and which of those that share it within the
/// same block, from 0.
pub type Named = Vec<(Option<Vec<u8>>, usize)>;
