//! The words of a unit's commands, and the variables that they name.

use std::collections::BTreeMap;

/// The words with their variables: `${NAME}` anywhere is its value, a word that is `$NAME` becomes as many words as its
/// value has, and `$$` is a dollar sign (systemd.service(5), "Command lines").
pub fn expanded(words: &[String], variables: &BTreeMap<String, String>) -> Vec<String> {
    let value = |name: &str| variables.get(name).map_or("", String::as_str);
    let mut out = Vec::new();
    for word in words {
        match word.strip_prefix('$').filter(|name| is_name(name)) {
            Some(name) => out.extend(value(name).split_whitespace().map(str::to_owned)),
            None => out.push(filled(word, &value)),
        }
    }
    out
}

fn is_name(text: &str) -> bool {
    let is_part = |c: char| c.is_ascii_alphanumeric() || c == '_';
    text.starts_with(|c: char| is_part(c) && !c.is_ascii_digit()) && text.chars().all(is_part)
}

fn filled<'a>(word: &str, value: &impl Fn(&str) -> &'a str) -> String {
    let mut out = String::new();
    let mut rest = word;
    while let Some(at) = rest.find('$') {
        out.push_str(&rest[..at]);
        rest = &rest[at + 1..];
        let braced = rest.strip_prefix('{').and_then(|inner| inner.split_once('}'));
        match braced.filter(|(name, _)| is_name(name)) {
            Some((name, behind)) => {
                out.push_str(value(name));
                rest = behind;
            }
            None => {
                out.push('$');
                rest = rest.strip_prefix('$').unwrap_or(rest);
            }
        }
    }
    out + rest
}

/// The variables of an environment file: `NAME=VALUE` a line, `#` and `;` begin comments, quotes go, and a backslash at
/// the end of a line continues it (systemd.exec(5), EnvironmentFile=).
pub fn variables(text: &str) -> Vec<(String, String)> {
    let joined = text.replace("\\\n", "");
    let pair = |line: &str| {
        let line = line.trim();
        let (name, value) = line.split_once('=').filter(|_| !line.starts_with(['#', ';']))?;
        is_name(name.trim()).then(|| (name.trim().to_owned(), unquoted(value.trim())))
    };
    joined.lines().filter_map(pair).collect()
}

/// A value as the shell would read it, but for its variables.
fn unquoted(value: &str) -> String {
    let (mut out, mut quote) = (String::new(), None);
    let mut chars = value.chars();
    while let Some(c) = chars.next() {
        match (c, quote) {
            ('\\', Some('"') | None) => out.extend(chars.next()),
            ('\'' | '"', None) => quote = Some(c),
            (c, Some(open)) if c == open => quote = None,
            (c, _) => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_filled_as_the_manual_says() {
        let known = BTreeMap::from([
            ("OPTS".to_owned(), "-g  quay pier".to_owned()),
            ("NONE".to_owned(), String::new()),
        ]);
        for (word, want) in [
            ("$OPTS", &["-g", "quay", "pier"][..]),
            ("$NONE", &[]),
            ("$MISSING", &[]),
            ("${OPTS}", &["-g  quay pier"]),
            ("a${NONE}b", &["ab"]),
            ("--x=$OPTS", &["--x=$OPTS"]),
            ("$$", &["$"]),
            ("$1", &["$1"]),
            ("${", &["${"]),
            ("plain", &["plain"]),
        ] {
            assert_eq!(expanded(&[word.to_owned()], &known), want, "{word}");
        }
    }

    #[test]
    fn environment_files_are_read_as_the_manual_says() {
        let text = "# a\n; b\nA=1\n B = 'x y' \nC=\"q\\\"r\"\nD=a\\\nb\n=x\nno line\nE='it''s'\nF=\n";
        let read: Vec<String> =
            variables(text).into_iter().map(|(name, value)| format!("{name}={value}")).collect();
        assert_eq!(read, ["A=1", "B=x y", "C=q\"r", "D=ab", "E=its", "F="]);
    }
}
