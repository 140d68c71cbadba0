//! Edits as a TOML file, which others can read and keep: it says the same as the options of the command do.

use super::ask::{Amount, Edit, NotAnEdit, Request, Where};
use crate::address::Address;
use serde::{Deserialize, Serialize};

/// A prepared change.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct Prepared {
    /// Why.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub why: Option<String>,
    /// The file that is meant, where a daemon has several.
    #[serde(rename = "in", skip_serializing_if = "Option::is_none")]
    pub within: Option<String>,
    /// Whether that file is to be made where it does not exist.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub new: bool,
    /// A remark above what is new or changed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub remark: Option<String>,
    /// Sites, modules or snippets to be switched on.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub switch_on: Vec<String>,
    /// Sites, modules or snippets to be switched off.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub switch_off: Vec<String>,
    /// Files of the daemon to be removed.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub delete_file: Vec<String>,
    /// The edits, in order.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub edit: Vec<RawEdit>,
    /// Files that the configuration refers to.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub companion: Vec<Companion>,
}

/// A file that the configuration refers to.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Companion {
    /// Where its content is now.
    pub file: String,
    /// Where it goes.
    pub to: String,
    /// Its permission bits, in octal.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub mode: Option<String>,
    /// Its owner: `USER`, `USER:GROUP` or `:GROUP`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub owner: Option<String>,
}

macro_rules! written {
    ($($(#[$doc:meta])* $name:ident),*) => {
        /// One edit: what is done to which address, and with what.
        #[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
        #[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
        pub struct RawEdit {
            $($(#[$doc])* #[serde(skip_serializing_if = "Option::is_none")] pub $name: Option<String>,)*
            /// The file that this edit is for, where that is not said for all of them.
            #[serde(rename = "in", skip_serializing_if = "Option::is_none")]
            pub within: Option<String>,
            /// What is added goes first.
            #[serde(skip_serializing_if = "std::ops::Not::not")]
            pub first: bool,
            /// What is added goes last.
            #[serde(skip_serializing_if = "std::ops::Not::not")]
            pub last: bool,
        }

        impl RawEdit {
            /// The words that are given, by name.
            fn given(&self) -> Vec<&'static str> {
                let all = [$((stringify!($name), self.$name.is_some())),*];
                all.into_iter().filter(|(_, given)| *given).map(|(name, _)| name).collect()
            }
        }
    };
}

written! {
    /// The setting that is given the value `to`.
    set,
    /// The quantity that is raised, or the list that is added to, by `by`.
    raise,
    /// The quantity that is lowered, or the list that is taken from, by `by`.
    lower,
    /// The quantity that is multiplied by `by`.
    multiply,
    /// One more of this, with the value `to` if it has one.
    add,
    /// Uncommented as it is.
    enable,
    /// Commented out.
    disable,
    /// Removed.
    delete,
    /// The value that is replaced by `by` wherever it is whole.
    replace_all,
    /// A piece of configuration, its text, which goes under `under`.
    piece,
    /// The value.
    to,
    /// The amount, or what comes instead.
    by,
    /// The block that a piece goes into.
    under,
    /// What is added goes right above this.
    above,
    /// What is added goes right below this.
    below
}

/// What an edit may do.
const VERBS: [&str; 10] =
    ["set", "raise", "lower", "multiply", "add", "enable", "disable", "delete", "replace_all", "piece"];

/// Why a text is no prepared change.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct NotPrepared(
    /// What is wrong, and where.
    pub String,
);

impl Prepared {
    /// Reads a prepared change.
    pub fn read(text: &str) -> Result<Self, NotPrepared> {
        toml::from_str(text).map_err(|error: toml::de::Error| {
            let line =
                error.span().map_or(1, |span| text[..span.start.min(text.len())].matches('\n').count() + 1);
            NotPrepared(format!("line {line}: {}", error.message().lines().next().unwrap_or_default()))
        })
    }

    /// The text that says the same.
    pub fn write(&self) -> Result<String, NotPrepared> {
        toml::to_string(self).map_err(|error| NotPrepared(error.to_string()))
    }

    /// Its edits.
    pub fn requests(&self) -> Result<Vec<Request>, NotPrepared> {
        let numbered = self.edit.iter().enumerate();
        numbered
            .map(|(n, one)| match one.edit() {
                Ok(edit) => Ok(Request { edit, within: one.within.clone() }),
                Err(why) => Err(NotPrepared(format!("edit {}: {why}", n + 1))),
            })
            .collect()
    }
}

impl RawEdit {
    fn edit(&self) -> Result<Edit, NotPrepared> {
        let given = self.given();
        let verbs: Vec<&str> = given.iter().copied().filter(|name| VERBS.contains(name)).collect();
        let [verb] = verbs.as_slice() else {
            let all = VERBS.join(", ").replace('_', "-");
            return Err(NotPrepared(format!("it has to do one thing, one of: {all}")));
        };
        let takes: &[&str] = match *verb {
            "set" => &["to"],
            "raise" | "lower" | "multiply" | "replace_all" => &["by"],
            "add" => &["to", "above", "below"],
            "piece" => &["under", "above", "below"],
            _ => &[],
        };
        if let Some(odd) = given.iter().find(|name| *name != verb && !takes.contains(name)) {
            return Err(NotPrepared(format!("{} has no {odd}", verb.replace('_', "-"))));
        }
        let needed = |value: &Option<String>, name: &str| {
            value.clone().ok_or(NotPrepared(format!("{verb} needs {name} = \"VALUE\"")))
        };
        let address = |text: &Option<String>| {
            let text = text.as_deref().unwrap_or_default();
            Address::parse(text).map_err(|why| NotPrepared(format!("{text:?} is not an address: {why}")))
        };
        let by = || needed(&self.by, "by");
        Ok(match *verb {
            "set" => Edit::Set { address: address(&self.set)?, value: needed(&self.to, "to")? },
            "raise" => Edit::Scale { address: address(&self.raise)?, by: Amount::Plus(by()?) },
            "lower" => Edit::Scale { address: address(&self.lower)?, by: Amount::Minus(by()?) },
            "multiply" => Edit::Scale { address: address(&self.multiply)?, by: Amount::Times(by()?) },
            "add" => Edit::Add { address: address(&self.add)?, value: self.to.clone(), spot: self.spot()? },
            "enable" => Edit::Enable(address(&self.enable)?),
            "disable" => Edit::Disable(address(&self.disable)?),
            "delete" => Edit::Delete(address(&self.delete)?),
            "replace_all" => Edit::ReplaceAll { old: needed(&self.replace_all, "replace-all")?, new: by()? },
            _ => Edit::Piece {
                text: needed(&self.piece, "piece")?,
                under: self.under.as_ref().map(|_| address(&self.under)).transpose()?,
                spot: self.spot()?,
            },
        })
    }

    fn spot(&self) -> Result<Where, NotPrepared> {
        let address = |text: &str| {
            Address::parse(text).map_err(|why| NotPrepared(format!("{text:?} is not an address: {why}")))
        };
        Ok(match (&self.above, &self.below) {
            (Some(above), _) => Where::Above(address(above)?),
            (None, Some(below)) => Where::Below(address(below)?),
            _ if self.first => Where::First,
            _ if self.last => Where::Last,
            _ => Where::NextToSiblings,
        })
    }

    fn at(mut self, spot: &Where) -> Self {
        match spot {
            Where::NextToSiblings => {}
            Where::First => self.first = true,
            Where::Last => self.last = true,
            Where::Above(address) => self.above = Some(address.to_string()),
            Where::Below(address) => self.below = Some(address.to_string()),
        }
        self
    }
}

impl From<&Edit> for RawEdit {
    fn from(edit: &Edit) -> Self {
        let text = |address: &Address| Some(address.to_string());
        let plain = Self::default();
        match edit {
            Edit::Set { address, value } => Self { set: text(address), to: Some(value.clone()), ..plain },
            Edit::Scale { address, by } => match by {
                Amount::Plus(by) => Self { raise: text(address), by: Some(by.clone()), ..plain },
                Amount::Minus(by) => Self { lower: text(address), by: Some(by.clone()), ..plain },
                Amount::Times(by) => Self { multiply: text(address), by: Some(by.clone()), ..plain },
            },
            Edit::Add { address, value, spot } => {
                Self { add: text(address), to: value.clone(), ..plain }.at(spot)
            }
            Edit::ReplaceAll { old, new } => {
                Self { replace_all: Some(old.clone()), by: Some(new.clone()), ..plain }
            }
            Edit::Enable(address) => Self { enable: text(address), ..plain },
            Edit::Disable(address) => Self { disable: text(address), ..plain },
            Edit::Delete(address) => Self { delete: text(address), ..plain },
            Edit::Piece { text: piece, under, spot } => {
                Self { piece: Some(piece.clone()), under: under.as_ref().and_then(text), ..plain }.at(spot)
            }
        }
    }
}

impl From<&Request> for RawEdit {
    fn from(request: &Request) -> Self {
        Self { within: request.within.clone(), ..Self::from(&request.edit) }
    }
}

impl From<NotAnEdit> for NotPrepared {
    fn from(why: NotAnEdit) -> Self {
        Self(why.to_string())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_edit_is_written_and_read_back() {
        let address = |text: &str| Address::parse(text).unwrap();
        let edits = [
            Edit::parse_set("Match User a..X=1 2\n\"'").unwrap(),
            Edit::parse_set("a+=1").unwrap(),
            Edit::parse_set("a-=1").unwrap(),
            Edit::parse_set("a*=2").unwrap(),
            Edit::parse_add("b=", Where::Above(address("c#2"))).unwrap(),
            Edit::parse_add("b", Where::First).unwrap(),
            Edit::Enable(address("e")),
            Edit::Disable(address("e")),
            Edit::Delete(address("\"a..b\"")),
            Edit::ReplaceAll { old: "x".into(), new: "y".into() },
            Edit::Piece { text: "a {\n}\n".into(), under: Some(address("b")), spot: Where::NextToSiblings },
        ];
        let mut requests: Vec<Request> = edits.into_iter().map(Request::from).collect();
        requests[1].within = Some("/etc/saltmarsh/boards.conf".into());
        let prepared = Prepared { edit: requests.iter().map(RawEdit::from).collect(), ..Prepared::default() };
        let read = Prepared::read(&prepared.write().unwrap()).unwrap();
        assert_eq!(read.requests().unwrap(), requests);
        let wrong = |text| Prepared::read(text).and_then(|read| read.requests()).unwrap_err().0;
        assert!(wrong("[[edit]]\nset = \"a\"").contains("edit 1: set needs to"));
        assert!(wrong("[[edit]]\nset = \"a\"\ndelete = \"b\"").contains("one thing"));
        assert!(wrong("[[edit]]\ndelete = \"a\"\nby = \"b\"").contains("delete has no by"));
        assert!(wrong("\n[[edit]]\nsett = \"a\"").contains("line 3: unknown field"));
    }
}
