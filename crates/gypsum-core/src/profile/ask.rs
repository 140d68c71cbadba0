//! How an installed daemon is asked whether it knows the name of a setting. The daemon decides: its own reader is given
//! the name on a scratch file, and what it says is read here.

use super::argv::Argv;
use crate::text::glob_match;
use serde::{Deserialize, Serialize};

/// A way to ask: a command that reads a scratch file with the name in it, or that prints a list.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Ask {
    /// The command. `{folder}` is a scratch folder, which is its home folder, too; `{file}` is the scratch file in it;
    /// `{name}` and `{block}` are the name and the first word of its block.
    #[serde(default)]
    pub run: Argv,
    /// Whether the daemon takes any name without a word, so that asking says nothing. There is no command then.
    #[serde(default)]
    pub takes_any: bool,
    /// Whether a name that it does not know may be one of the administrator's own.
    #[serde(default)]
    pub takes_own: bool,
    /// The scratch file, from that folder.
    #[serde(default = "usual_file")]
    pub file: String,
    /// What the scratch file holds, with `{name}` and `{block}`. Of several texts each is tried until one shows that the
    /// daemon knows the name.
    #[serde(default)]
    pub holds: Vec<String>,
    /// What the daemon says of a name that it does not know.
    #[serde(default)]
    pub unknown: Vec<String>,
    /// What it says of a name that it does not read any more.
    #[serde(default)]
    pub removed: Vec<String>,
    /// How a line begins by which a list has the name; a name without such a line is unknown. Behind a line `[BLOCK]`
    /// the lines are about that block.
    pub listed: Option<String>,
    /// Names that the daemon takes without knowing them, as patterns.
    #[serde(default)]
    pub free: Vec<String>,
    /// Only names in these files, as patterns.
    #[serde(default)]
    pub files: Vec<String>,
    /// Only names in these blocks, by their first word.
    #[serde(default)]
    pub blocks: Vec<String>,
}

fn usual_file() -> String {
    "asked.conf".into()
}

/// What the daemon said of a name.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum NameAnswer {
    /// It knows it.
    Known,
    /// It does not know it, in its own words where it has any.
    Unknown(Option<String>),
    /// It knew it in an earlier version, in its own words.
    Removed(String),
}

/// A name that no daemon knows. A daemon that is asked for it must say that it is unknown; otherwise its words are not
/// understood, and it is believed nothing.
pub const NOBODYS_NAME: &str = "gypsumasksforthis";

impl Ask {
    /// Whether it is the way for names in this file and block.
    pub fn is_for(&self, file: &str, block: &str) -> bool {
        let has = |list: &[String], text: &str| {
            list.is_empty() || list.iter().any(|pattern| glob_match(pattern, text))
        };
        has(&self.files, file) && has(&self.blocks, block)
    }

    /// Whether the daemon takes the name whatever it is.
    pub fn takes(&self, name: &str) -> bool {
        self.takes_any || self.free.iter().any(|free| glob_match(free, name))
    }

    /// The texts that the scratch file is to hold, one after the other; one without a text if it reads none.
    pub fn texts(&self, name: &str, block: &str) -> Vec<Option<String>> {
        if self.holds.is_empty() {
            return vec![None];
        }
        self.holds.iter().map(|text| Some(put_in(text, name, block))).collect()
    }

    /// The command.
    pub fn command(&self, folder: &str, name: &str, block: &str) -> Argv {
        let file = format!("{folder}/{}", self.file);
        let filled =
            |word: &String| put_in(&word.replace("{folder}", folder).replace("{file}", &file), name, block);
        self.run.iter().map(filled).collect()
    }

    /// What is said in `output` of a name in a block.
    pub fn read(&self, output: &str, name: &str, block: &str) -> NameAnswer {
        if let Some(begin) = &self.listed {
            return listed(output, &put_in(begin, name, block), block);
        }
        let said = |patterns: &[String]| {
            patterns.iter().find_map(|pattern| line_with(output, &put_in(pattern, name, block)))
        };
        match (said(&self.unknown), said(&self.removed)) {
            (Some(line), _) => NameAnswer::Unknown(Some(line).filter(|line| says_something(line))),
            (None, Some(line)) => NameAnswer::Removed(line),
            (None, None) => NameAnswer::Known,
        }
    }
}

fn put_in(text: &str, name: &str, block: &str) -> String {
    text.replace("{name}", name).replace("{block}", block)
}

fn listed(output: &str, begin: &str, block: &str) -> NameAnswer {
    let mut within = None;
    for line in output.lines() {
        if let Some(title) = line.strip_prefix('[').and_then(|line| line.strip_suffix(']')) {
            within = Some(title);
        } else if within.is_none_or(|title| title == block) && line.starts_with(begin) {
            return NameAnswer::Known;
        }
    }
    NameAnswer::Unknown(None)
}

/// Whether a line has a word besides what it quotes.
fn says_something(line: &str) -> bool {
    line.split('\'').step_by(2).any(|part| part.contains(|c: char| c.is_alphabetic()))
}

/// The rest of the line from where it has this text, in letters of either case; of a text of several lines its last
/// line is given back.
fn line_with(output: &str, text: &str) -> Option<String> {
    let start = output.to_ascii_lowercase().find(&text.to_ascii_lowercase())?;
    let own = output.get(start..start + text.len())?;
    let last = start + own.rfind('\n').map_or(0, |line| line + 1);
    // A longer name that begins with this one is another one.
    let rest = output.get(start + text.len()..)?;
    let goes_on = rest.starts_with(|c: char| c.is_ascii_alphanumeric() || matches!(c, '_' | '-' | '.'));
    let ends_in_name = text.ends_with(|c: char| c.is_ascii_alphanumeric());
    if goes_on && ends_in_name {
        return line_with(rest, text);
    }
    Some(output.get(last..)?.lines().next()?.trim().to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ask(fields: &str) -> Ask {
        toml::from_str(&format!("run = [\"/bin/x\", \"{{file}}\", \"--{{name}}=1\"]\n{fields}")).unwrap()
    }

    #[test]
    fn the_daemons_sentence_is_found_and_a_longer_name_is_another_one() {
        let ask = ask(
            "unknown = ['bad option: {name}', \">>> '{name} x'\\nBad directive\", \"# >>> '{name} y'\"]\nremoved = ['option {name} is gone']",
        );
        let unknown = |line: &str| NameAnswer::Unknown(Some(line.into()));
        let cases = [
            ("f line 1: Bad option: Rows\nend", "Rows", unknown("Bad option: Rows")),
            ("f line 1: Bad option: RowsMax", "Rows", NameAnswer::Known),
            (
                "f line 1: Bad option: RowsMax\nf line 2: Bad option: rows",
                "Rows",
                unknown("Bad option: rows"),
            ),
            (">>> 'rows x'\nBad directive or so\n", "rows", unknown("Bad directive or so")),
            (
                "warning: option Rows is gone, see there",
                "Rows",
                NameAnswer::Removed("option Rows is gone, see there".into()),
            ),
            ("", "Rows", NameAnswer::Known),
            ("# >>> 'Rows y'\n", "Rows", NameAnswer::Unknown(None)),
        ];
        for (output, name, answer) in cases {
            assert_eq!(ask.read(output, name, ""), answer, "{output:?}");
        }
        assert_eq!(ask.command("/tmp/a", "Rows", ""), ["/bin/x", "/tmp/a/asked.conf", "--Rows=1"]);
        assert_eq!(ask.texts("Rows", ""), [None]);
    }

    #[test]
    fn a_list_is_read_block_by_block() {
        let ask =
            ask("listed = '{name}='\nfree = ['X-*']\nblocks = ['Service', 'Unit']\nfiles = ['/etc/u/*']");
        let list = "[Unit]\nAfter=UNIT\n\n[Service]\nRestartSteps=UNSIGNED\n";
        assert_eq!(ask.read(list, "RestartSteps", "Service"), NameAnswer::Known);
        assert_eq!(ask.read(list, "RestartSteps", "Unit"), NameAnswer::Unknown(None));
        assert_eq!(ask.read(list, "Restart", "Service"), NameAnswer::Unknown(None));
        assert!(ask.is_for("/etc/u/a", "Service"));
        assert!(!ask.is_for("/etc/b", "Unit") && !ask.is_for("/etc/u/a", "Timer"));
        assert!(ask.takes("X-Own") && !ask.takes("After"));
    }
}
