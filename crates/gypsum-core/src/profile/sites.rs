//! Where a web server's configuration says what clients can ask it for.

use serde::Deserialize;

/// Where a web server's configuration says what clients can ask it for.
#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Sites {
    /// The first words of the blocks that each serve a site.
    #[serde(default)]
    pub block: Vec<String>,
    /// URLs of sites that no block describes.
    #[serde(default)]
    pub served: Vec<String>,
    /// The setting in such a block that names where it listens, in the first word of its value; else the block's title
    /// does.
    pub listen: Option<String>,
    /// The port where none is named.
    pub usual: Option<u16>,
    /// The settings in such a block that name it.
    #[serde(default)]
    pub name: Vec<String>,
    /// The words behind which the names begin; where none are given, all words are names.
    #[serde(default)]
    pub names_behind: Vec<String>,
    /// What says that it is asked over TLS: a word behind the address, or `SETTING=VALUE` in the block.
    #[serde(default)]
    pub tls: String,
    /// Words behind an address that is not asked by plain HTTP.
    #[serde(default)]
    pub unasked: Vec<String>,
    /// `SETTING=VALUE`: only blocks with it speak HTTP.
    pub only_where: Option<String>,
    /// The first word of the blocks whose settings hold for the others.
    pub defaults: Option<String>,
    /// Where requests are logged, where nothing else is said: files, of those with a `*` the newest ones; `journal` is
    /// that of the unit.
    #[serde(default)]
    pub log: Vec<String>,
    /// The setting that names such a file, in the first word of its value.
    pub log_setting: Option<String>,
    /// The settings by which requests are handed on to a program or to another server; `*` where all of them are.
    #[serde(default)]
    pub handed_on: Vec<String>,
}
