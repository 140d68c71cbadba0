//! Rules that see more than one setting: a closed set of forms, filled in by a profile.

use crate::finding::Severity;
use serde::Deserialize;

/// One rule of a profile.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Rule {
    /// Its name, for `--accept`.
    pub name: String,
    /// What it asks.
    #[serde(flatten)]
    pub form: Form,
    /// What is wrong where it is broken.
    pub says: String,
    /// What to do about it.
    pub help: Option<String>,
    /// How bad that is.
    #[serde(default = "fault")]
    pub severity: Severity,
}

fn fault() -> Severity {
    Severity::Fault
}

/// What a rule asks. A condition is `NAME`, `NAME=VALUE`, `NAME!=VALUE` or `!NAME`, of the values in effect.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Form {
    /// At least one of these conditions holds.
    OneOf(Vec<String>),
    /// Not all of these hold at once.
    NotAll(Vec<String>),
    /// Where the first holds, the others do, too; in the same block.
    Needs(Vec<String>),
    /// The first of these two quantities is not above the second.
    NotAbove([String; 2]),
    /// These have the same value.
    Same(Vec<String>),
    /// Behind a statement that begins like one of `ends`, in the same block, no statement of these names is reached.
    DeadBehind(Order),
    /// A block with a statement that begins like one of `has` needs one that begins like one of `ends`.
    WantsEnd(WantsEnd),
    /// In the list that is the value of `of`, nothing is reached behind one of `ends`.
    DeadInList(InList),
    /// A statement that begins like this is there. `*` at its end stands for anything.
    Never(Vec<String>),
    /// In one block these do not go together: a statement that begins like each of them.
    NotBeside(Near),
    /// A block whose opening line reads like this is there.
    NeverBlock(Vec<String>),
    /// Two blocks of the same words do not have the same value of a setting.
    Twins(Twins),
    /// The path that is the value of a setting is covered by a block for it or for a folder above.
    Covered(Covered),
    /// The last word of these statements is one of those.
    LastWord(LastWord),
    /// A path that is the value of a setting ends like the one that its block is about: with a slash, or without.
    EndsAlike(EndsAlike),
    /// The last word of these statements, where it has dots in it, ends with one: a whole name and no part of one.
    WholeNames(Vec<String>),
    /// A quantity is not above one of another daemon of this host: what the front server admits, the application admits.
    Admitted(Admitted),
    /// A new name among these is one that a health check asks for.
    Asked(Vec<String>),
    /// What was there by these names stays there; a change that drops one by the way is told.
    Keeps(Vec<String>),
}

/// A sequence that is decided by its first fitting member.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Order {
    /// The statements that make the sequence, by name or by how they begin.
    pub of: Vec<String>,
    /// Those that are no part of it all the same.
    #[serde(default)]
    pub but: Vec<String>,
    /// How a statement begins that fits everything.
    pub ends: Vec<String>,
}

/// A sequence that wants a last member.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct WantsEnd {
    /// How a statement begins that wants it.
    pub has: Vec<String>,
    /// How the last member begins.
    pub ends: Vec<String>,
}

/// Statements that do not go together in one block.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Near {
    /// How they begin, each with what stands for the same.
    pub each: Vec<Vec<String>>,
    /// The blocks in which they do go together.
    #[serde(default)]
    pub except: Vec<String>,
}

/// Blocks that are told apart by a setting in them.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Twins {
    /// The first word of the blocks.
    pub block: String,
    /// The setting that tells those with the same words apart.
    pub setting: String,
}

/// A path that wants a block about it.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Covered {
    /// The setting that names the path.
    pub setting: String,
    /// The first word of the blocks whose second is a path.
    pub block: String,
    /// What the block says.
    pub has: Vec<String>,
    /// What does not count.
    #[serde(default)]
    pub but: Vec<String>,
}

/// A path and the path that its block is about.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct EndsAlike {
    /// The first word of the block.
    pub block: String,
    /// The setting.
    pub setting: String,
}

/// A quantity that another daemon has to keep up with.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Admitted {
    /// The setting.
    pub of: String,
    /// The other daemon.
    pub by: String,
    /// Its setting.
    pub theirs: String,
    /// A condition under which the two have to do with each other.
    pub when: String,
}

/// Statements that end with one of a few words.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct LastWord {
    /// The statements.
    pub of: Vec<String>,
    /// The words.
    pub one_of: Vec<String>,
}

/// A list in a value or a block that is decided by its first fitting member.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct InList {
    /// The settings or blocks whose members make the list.
    pub of: Vec<String>,
    /// The members that fit everything.
    pub ends: Vec<String>,
}
