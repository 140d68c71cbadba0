//! A second installation of a daemon at another place: started with another main file, by a unit of its own.

use super::Profile;
use super::argv::Argv;
use serde::Deserialize;

/// How an installation at another place is known, and asked.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Elsewhere {
    /// The daemon's program, by its file's name.
    pub program: String,
    /// The option of its command line that names its main file.
    pub option: String,
    /// The command of its own checker, with `{file}`.
    pub checker: Option<Argv>,
    /// The command by which it tells what it understood, with `{file}`.
    pub effective: Option<Argv>,
}

impl Elsewhere {
    /// The main file that a command line names, whose words may be parted by blanks alone: some daemons write their
    /// title over it.
    pub fn file_in(&self, command_line: &str) -> Option<String> {
        let words: Vec<&str> = command_line.split(['\0', ' ']).filter(|word| !word.is_empty()).collect();
        let behind = words.iter().position(|word| *word == self.option).and_then(|n| words.get(n + 1));
        let joined = words.iter().find_map(|word| {
            let rest = word.strip_prefix(self.option.as_str())?;
            let rest = rest.strip_prefix('=').unwrap_or(rest);
            rest.starts_with('/').then_some(rest)
        });
        behind.copied().or(joined).filter(|file| file.starts_with('/')).map(str::to_owned)
    }
}

impl Profile {
    /// Takes the place of an installation whose main file is `file` and whose unit is `unit`: the files beside the usual
    /// main file are those beside this one.
    pub fn take_elsewhere(&mut self, file: &str, unit: &str) {
        let Some(elsewhere) = self.elsewhere.take() else { return };
        let folder =
            |path: &str| path.rsplit_once('/').map_or(String::new(), |(folder, _)| folder.to_owned());
        let (home, usual, other) = (self.files.home.clone(), folder(&self.files.home), folder(file));
        let moved = |path: &mut String| {
            if *path == home {
                file.clone_into(path);
            } else if let Some(rest) = path.strip_prefix(usual.as_str()).filter(|rest| rest.starts_with('/'))
            {
                *path = format!("{other}{rest}");
            }
        };
        self.files
            .read
            .iter_mut()
            .chain(self.other.iter_mut().flat_map(|other| &mut other.read))
            .for_each(moved);
        file.clone_into(&mut self.files.home);
        self.layout.clear();
        self.service.unit = vec![unit.to_owned()];
        let named = |argv: Argv| argv.iter().map(|word| word.replace("{file}", file)).collect::<Argv>();
        match (elsewhere.checker, &mut self.checker) {
            (Some(argv), Some(checker)) => checker.run = named(argv),
            // The usual one would read the usual files.
            _ => self.checker = None,
        }
        match (elsewhere.effective, &mut self.effective) {
            (Some(argv), Some(effective)) => effective.run = named(argv),
            _ => self.effective = None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_main_file_is_read_from_command_lines() {
        let elsewhere = |option: &str| -> Elsewhere {
            toml::from_str(&format!("program = 'tide'\noption = '{option}'")).unwrap()
        };
        let file = |option, line| elsewhere(option).file_in(line);
        assert_eq!(
            file("-c", "tide: master process /usr/sbin/tide -c /srv/tide/t.conf -q").as_deref(),
            Some("/srv/tide/t.conf")
        );
        assert_eq!(file("-f", "/usr/sbin/tide\0-D\0-f\0/etc/t\0").as_deref(), Some("/etc/t"));
        assert_eq!(file("--config", "/usr/sbin/tide\0--config=/etc/t\0").as_deref(), Some("/etc/t"));
        assert_eq!(file("-c", "/usr/sbin/tide\0-c\0t.conf\0"), None, "from a folder that is not known");
        assert_eq!(file("-c", "/usr/sbin/tide\0-g\0daemon on;\0"), None);
    }
}
