//! How an installed daemon lists the names that it knows. A list refuses nothing, since it may lack some: it serves
//! proposals, `show --all`, defaults, kinds, and whether a change needs a restart.

use super::argv::Argv;
use serde::{Deserialize, Serialize};

/// A command that prints the names that the daemon knows, one a line.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct NameList {
    /// The command. It runs as an account without rights; `{folder}` is a scratch folder, which is its home folder, too.
    pub run: Argv,
    /// How the line begins behind which the names are.
    pub after: Option<String>,
    /// What parts the fields of a line. Blanks around a field do not count.
    #[serde(default = "blank")]
    pub between: String,
    /// What the fields are, from the first on; the last takes the rest of the line.
    #[serde(default = "name_and_default")]
    pub fields: Vec<Field>,
    /// What the indented lines below a name are, from the first on.
    #[serde(default)]
    pub indented: Vec<Field>,
    /// What is before a name and is no part of it.
    #[serde(default)]
    pub strip: Vec<String>,
    /// Values that say that there is no default.
    #[serde(default)]
    pub no_default: Vec<String>,
    /// The contexts whose settings need a restart.
    #[serde(default)]
    pub restart: Vec<String>,
}

/// What a field of a list tells.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Field {
    /// The name.
    Name,
    /// The default.
    Default,
    /// The kind of its value, in the daemon's words.
    Kind,
    /// Where it may be set, or what a change of it needs, in the daemon's words.
    Context,
    /// What it does.
    About,
    /// Nothing that is used.
    Other,
}

/// One name of a daemon's list.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct ListedName {
    /// The block that the list has it in; empty if it has none.
    pub block: String,
    /// The name.
    pub name: String,
    /// The default.
    pub default: Option<String>,
    /// The kind of its value, in the daemon's words.
    pub kind: Option<String>,
    /// Where it may be set, or what a change of it needs, in the daemon's words.
    pub context: Option<String>,
    /// What it does, in the daemon's words.
    pub about: Option<String>,
}

fn blank() -> String {
    " ".into()
}

fn name_and_default() -> Vec<Field> {
    vec![Field::Name, Field::Default]
}

impl NameList {
    /// The command, in a scratch folder.
    pub fn command(&self, folder: &str) -> Argv {
        self.run.iter().map(|word| word.replace("{folder}", folder)).collect()
    }

    /// The names in what the command printed.
    pub fn read(&self, output: &str) -> Vec<ListedName> {
        let mut found: Vec<ListedName> = Vec::new();
        let (mut block, mut below) = (String::new(), 0);
        let mut lines = output.lines();
        if let Some(after) = &self.after {
            lines.find(|line| line.starts_with(after.as_str()));
        }
        for line in lines {
            if line.trim().is_empty() {
                // What comes behind an empty line is another part, if the names begin behind a line.
                if self.after.is_some() && !found.is_empty() {
                    break;
                }
            } else if line.starts_with([' ', '\t']) {
                if let (Some(one), Some(field)) = (found.last_mut(), self.indented.get(below)) {
                    self.put(one, *field, line.trim());
                }
                below += 1;
            } else if let Some(title) = line.strip_prefix('[').and_then(|line| line.strip_suffix(']')) {
                block = title.to_owned();
            } else {
                below = 0;
                found.extend(self.line(line, &block));
            }
        }
        found
    }

    fn line(&self, line: &str, block: &str) -> Option<ListedName> {
        let mut one = ListedName { block: block.to_owned(), ..ListedName::default() };
        let texts = line.splitn(self.fields.len().max(2), self.between.as_str());
        for (field, text) in self.fields.iter().zip(texts) {
            self.put(&mut one, *field, text.trim());
        }
        let begin =
            self.strip.iter().find_map(|strip| one.name.strip_prefix(strip.as_str()).map(str::to_owned));
        one.name = begin.unwrap_or(one.name);
        let is_name = one.name.starts_with(|c: char| c.is_alphanumeric()) && !one.name.ends_with(':');
        is_name.then_some(one)
    }

    fn put(&self, one: &mut ListedName, field: Field, text: &str) {
        let some = Some(text.to_owned()).filter(|text| !text.is_empty());
        match field {
            Field::Name => one.name = text.to_owned(),
            Field::Default => {
                one.default = some.filter(|text| !self.no_default.contains(text));
            }
            Field::Kind => one.kind = some,
            Field::Context => one.context = some,
            Field::About => one.about = some,
            Field::Other => {}
        }
    }

    /// Whether a change of this setting needs a restart; `None` if the list does not tell.
    pub fn needs_restart(&self, one: &ListedName) -> Option<bool> {
        let context = one.context.as_ref().filter(|_| !self.restart.is_empty())?;
        Some(self.restart.contains(context))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn list(fields: &str) -> NameList {
        toml::from_str(&format!("run = [\"/bin/x\"]\n{fields}")).unwrap()
    }

    fn named(name: &str, default: Option<&str>) -> ListedName {
        ListedName { name: name.into(), default: default.map(str::to_owned), ..ListedName::default() }
    }

    #[test]
    fn names_are_read_from_lines_of_several_shapes() {
        let table = list("after = '---'\nno-default = ['(none)']");
        let read =
            table.read("usage of x\n\nName   Value\n----- ----\nrows   12\nboard  (none)\n\nTo see more\n");
        assert_eq!(read, [named("rows", Some("12")), named("board", None)]);

        let columns = list(
            "between = '\t'\nfields = ['name', 'context', 'other', 'kind', 'default']\nrestart = ['start']"
                .replace('\t', "\\t")
                .replace("'\\t'", "\"\\t\"")
                .as_str(),
        );
        let read = columns.read("rows\tstart\tlook\tINTEGER\t12\nboard\treload\tlook\tSTRING\t\n");
        assert_eq!(
            read[0],
            ListedName {
                kind: Some("INTEGER".into()),
                context: Some("start".into()),
                ..named("rows", Some("12"))
            }
        );
        assert_eq!(
            read.iter().map(|one| columns.needs_restart(one)).collect::<Vec<_>>(),
            [Some(true), Some(false)]
        );
        assert_eq!(table.needs_restart(&read[0]), None);

        let blocks = list("between = '='\nfields = ['name', 'kind']");
        let read = blocks.read("[Board]\nRows=UNSIGNED\n\n[Quay]\nRows=STRING\n");
        assert_eq!(read.iter().map(|one| one.block.as_str()).collect::<Vec<_>>(), ["Board", "Quay"]);

        let helped = list(
            "between = ' ('\nfields = ['name', 'other']\nindented = ['about', 'context']\nstrip = ['<']",
        );
        let read = helped.read("<Board (core.c)\n\tHolds rows\n\tAllowed anywhere\n# a remark\n");
        assert_eq!(
            read,
            [ListedName {
                about: Some("Holds rows".into()),
                context: Some("Allowed anywhere".into()),
                ..named("Board", None)
            }]
        );
    }
}
