//! What can be asked for, as it is typed.

use crate::address::{Address, NotAnAddress, split_value};

/// One edit.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Edit {
    /// Give a setting a value: where it is set, else where it is commented out, else as a new line.
    Set {
        /// Which setting.
        address: Address,
        /// Its value, as the daemon is to understand it.
        value: String,
    },
    /// Change a quantity by an amount.
    Scale {
        /// Which setting.
        address: Address,
        /// How.
        by: Amount,
    },
    /// One more of a repeatable setting, a setting without value, or a new block; settings of a new
    /// block follow as further edits.
    Add {
        /// What it is called and where it goes.
        address: Address,
        /// Its value.
        value: Option<String>,
        /// Beside what.
        spot: Where,
    },
    /// The same value, wherever it is as a whole value or a whole word of one.
    ReplaceAll {
        /// What is there; an address that only names it in findings.
        old: String,
        /// What is to stand there.
        new: String,
    },
    /// A prepared piece, its inner layout kept.
    Piece {
        /// Its text.
        text: String,
        /// The block that it goes into; none for the top of the file.
        under: Option<Address>,
        /// Where in it.
        spot: Where,
    },
    /// Uncomment a setting, as it is written.
    Enable(Address),
    /// Comment it out.
    Disable(Address),
    /// Remove it.
    Delete(Address),
}

/// An edit, and the file that it is for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Request {
    /// The edit.
    pub edit: Edit,
    /// The file that is meant; none where that is said for all edits, or left open.
    pub within: Option<String>,
}

impl From<Edit> for Request {
    fn from(edit: Edit) -> Self {
        Self { edit, within: None }
    }
}

impl Edit {
    /// What is typed to do the same at `address`, quoted for a shell.
    pub fn typed_at(&self, address: &str) -> String {
        let quoted = |text: String| format!("'{}'", text.replace('\'', "'\\''"));
        match self {
            Self::Set { value, .. } => quoted(format!("{address}={value}")),
            Self::Scale { by: Amount::Plus(by), .. } => quoted(format!("{address}+={by}")),
            Self::Scale { by: Amount::Minus(by), .. } => quoted(format!("{address}-={by}")),
            Self::Scale { by: Amount::Times(by), .. } => quoted(format!("{address}*={by}")),
            Self::Add { value: Some(value), .. } => format!("--add {}", quoted(format!("{address}={value}"))),
            Self::Add { .. } => format!("--add {}", quoted(address.to_owned())),
            Self::Enable(_) => format!("--enable {}", quoted(address.to_owned())),
            Self::Disable(_) => format!("--disable {}", quoted(address.to_owned())),
            Self::Delete(_) => format!("--delete {}", quoted(address.to_owned())),
            Self::ReplaceAll { .. } | Self::Piece { .. } => quoted(address.to_owned()),
        }
    }
}

/// How a quantity changes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Amount {
    /// `*=`: times a number; the unit stays.
    Times(String),
    /// `+=`: more by as much.
    Plus(String),
    /// `-=`: less by as much.
    Minus(String),
}

impl Amount {
    /// The sign before its `=`.
    pub fn sign(&self) -> char {
        match self {
            Self::Times(_) => '*',
            Self::Plus(_) => '+',
            Self::Minus(_) => '-',
        }
    }
}

/// Where something new goes.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Where {
    /// Beside its kin: behind the last of the same name, else last in its block.
    #[default]
    NextToSiblings,
    /// First in its block, or in the file.
    First,
    /// Last in its block, or in the file.
    Last,
    /// Right above this one.
    Above(Address),
    /// Right below this one.
    Below(Address),
}

/// Why a text is not an edit.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NotAnEdit {
    /// There is no `=` in it.
    #[error("there is no = in it; an edit is written ADDRESS=VALUE")]
    NoValue,
    /// The text before the `=` is no address.
    #[error(transparent)]
    Address(#[from] NotAnAddress),
}

impl Edit {
    /// Reads `ADDRESS=VALUE`, `ADDRESS+=VALUE`, `ADDRESS-=VALUE` or `ADDRESS*=NUMBER`.
    pub fn parse_set(text: &str) -> Result<Self, NotAnEdit> {
        let (address, value) = split_value(text).ok_or(NotAnEdit::NoValue)?;
        let value = value.to_owned();
        let by = match address.chars().last() {
            Some('+') => Some(Amount::Plus(value.clone())),
            Some('-') => Some(Amount::Minus(value.clone())),
            Some('*') => Some(Amount::Times(value.clone())),
            _ => None,
        };
        let name = if by.is_some() { &address[..address.len() - 1] } else { address };
        let address = Address::parse(name.trim()).map_err(NotAnEdit::Address)?;
        Ok(match by {
            Some(by) => Self::Scale { address, by },
            None => Self::Set { address, value },
        })
    }

    /// Reads `ADDRESS` or `ADDRESS=VALUE` as something to be added.
    pub fn parse_add(text: &str, spot: Where) -> Result<Self, NotAnEdit> {
        let (address, value) = match split_value(text) {
            Some((address, value)) => (address, Some(value.to_owned())),
            None => (text, None),
        };
        let address = Address::parse(address.trim()).map_err(NotAnEdit::Address)?;
        Ok(Self::Add { address, value, spot })
    }

    /// What it is about, for findings.
    pub fn address(&self) -> String {
        match self {
            Self::Set { address, .. }
            | Self::Scale { address, .. }
            | Self::Add { address, .. }
            | Self::Enable(address)
            | Self::Disable(address)
            | Self::Delete(address) => address.to_string(),
            Self::ReplaceAll { old, .. } => old.clone(),
            Self::Piece { under, .. } => under.as_ref().map_or_else(String::new, ToString::to_string),
        }
    }
}
