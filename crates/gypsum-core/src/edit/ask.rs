//! What can be asked for, as it is typed.

use crate::address::{Address, NotAnAddress, split_value};

/// One edit.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Edit {
    /// Give a setting a value: where it stands, else where it stands dormant, else as a new line.
    Set {
        /// Which setting.
        address: Address,
        /// Its value, as the daemon is to understand it.
        value: String,
    },
    /// Wake what stands dormant, as it stands.
    Enable(Address),
    /// Comment it out.
    Disable(Address),
    /// Remove it.
    Delete(Address),
}

/// Why a text is not an edit.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum NotAnEdit {
    /// There is no `=` in it.
    NoValue,
    /// `+=`, `-=`, `*=`.
    Arithmetic(char),
    /// What stands before the `=` is no address.
    Address(NotAnAddress),
}

impl std::fmt::Display for NotAnEdit {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::NoValue => out.write_str("there is no = in it; an edit is written ADDRESS=VALUE"),
            Self::Arithmetic(sign) => {
                write!(out, "{sign}= is not understood; give the whole new value: ADDRESS=VALUE")
            }
            Self::Address(why) => why.fmt(out),
        }
    }
}

impl Edit {
    /// Reads `ADDRESS=VALUE`.
    pub fn parse_set(text: &str) -> Result<Self, NotAnEdit> {
        let (address, value) = split_value(text).ok_or(NotAnEdit::NoValue)?;
        if let Some(sign) = address.chars().last().filter(|sign| matches!(sign, '+' | '-' | '*')) {
            return Err(NotAnEdit::Arithmetic(sign));
        }
        let address = Address::parse(address.trim()).map_err(NotAnEdit::Address)?;
        Ok(Self::Set { address, value: value.to_owned() })
    }

    /// The setting that it is about.
    pub fn address(&self) -> &Address {
        match self {
            Self::Set { address, .. }
            | Self::Enable(address)
            | Self::Disable(address)
            | Self::Delete(address) => address,
        }
    }
}
