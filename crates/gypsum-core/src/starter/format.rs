//! Which family a file is of, by its name and by its lines.

use super::file_format::{FileFormat, assigned, commented_out};
use crate::doc::Family;

/// Lines with fewer columns may be names with values.
const COLUMNS: usize = 4;
/// The same where most lines have a sign behind their first word.
const COLUMNS_WITH_SIGN: usize = 6;

/// The form of a file, and why.
#[derive(Clone, Debug)]
pub struct Guess {
    /// The form.
    pub form: FileFormat,
    /// Why, in words.
    pub because: &'static str,
}

/// The form that a file at `path` is most likely of. A name that says it decides; of other names it does where the file
/// can be read so; else its lines.
pub fn guess(path: &str, bytes: &[u8]) -> Guess {
    let Guess { form, because } = guess_plain(path, bytes);
    Guess { form: form.as_seen(bytes), because }
}

fn guess_plain(path: &str, bytes: &[u8]) -> Guess {
    let end = path.rsplit('/').next().and_then(|name| name.rsplit_once('.')).map_or("", |(_, end)| end);
    if let Some(family) = Family::of_ending(end) {
        if family == Family::Json
            && !reads(family, bytes)
            && let Some(commented) = commented_json(bytes)
        {
            return commented;
        }
        // An error in a file of a standard format does not make it one of another format.
        if family.is_standard() || reads(family, bytes) {
            return Guess { form: FileFormat::plain(family), because: "its name ends like that" };
        }
    }
    let of_shell = ["/etc/default/", "/etc/sysconfig/"].iter().any(|folder| path.starts_with(folder));
    if of_shell && reads(Family::Assignments, bytes) {
        let because = "files of that folder are read by a shell";
        return Guess { form: FileFormat::plain(Family::Assignments), because };
    }
    by_lines(bytes)
}

/// Whether every line can be read.
fn reads(family: Family, bytes: &[u8]) -> bool {
    FileFormat::plain(family).reads(bytes)
}

/// That what is no JSON is JSON with comments, where it is.
fn commented_json(bytes: &[u8]) -> Option<Guess> {
    let form = FileFormat::commented_json();
    form.reads(bytes).then_some(Guess { form, because: "it is JSON with comments" })
}

/// By what its lines look like.
fn by_lines(bytes: &[u8]) -> Guess {
    let text = String::from_utf8_lossy(bytes);
    let is_comment = |line: &&str| commented_out(line).is_some();
    let lines: Vec<&str> = text.lines().filter(|line| !line.trim().is_empty() && !is_comment(line)).collect();
    if lines.is_empty() {
        return by_comments(&text);
    }
    let count = |fits: &dyn Fn(&str) -> bool| lines.iter().filter(|line| fits(line.trim())).count();
    let most = |fits: &dyn Fn(&str) -> bool| count(fits) * 2 > lines.len();
    let any = |fits: &dyn Fn(&str) -> bool| count(fits) > 0;
    let says = |family, because| Guess { form: FileFormat::plain(family), because };
    let first = text.trim_start();
    if first.starts_with("<?xml") && reads(Family::Xml, bytes) {
        return says(Family::Xml, "it begins with <?xml");
    }
    if lines.first().is_some_and(|line| line.trim_start().starts_with(['{', '[', '/'])) {
        if reads(Family::Json, bytes) {
            return says(Family::Json, "it is JSON");
        }
        if let Some(commented) = commented_json(bytes) {
            return commented;
        }
    }
    if any(&|line| line.starts_with("</")) {
        return says(Family::Tags, "blocks end with </…>");
    }
    let opens = |line: &str| line.ends_with('{') && !line.starts_with('[');
    if any(&opens) && any(&|line| line.ends_with(';')) {
        return says(Family::Braces, "blocks are in braces, and lines end in semicolons");
    }
    if most(&|line| line.ends_with(';')) {
        return says(Family::Braces, "lines end in semicolons");
    }
    if any(&opens) {
        return says(Family::Nested, "blocks are in braces");
    }
    let is_header = |line: &str| line.starts_with('[') && line.ends_with(']');
    let assigns = |line: &str| {
        line.split_once('=').is_some_and(|(name, _)| !name.trim().is_empty() && !name.trim().contains(' '))
    };
    if any(&is_header) {
        let quotes =
            |line: &str| line.split_once('=').is_some_and(|(_, value)| value.trim().starts_with('"'));
        let is_toml = any(&quotes) && reads(Family::Toml, bytes);
        return if is_toml {
            says(Family::Toml, "it is TOML, with quoted texts")
        } else {
            says(Family::Sections, "it has [section] headers")
        };
    }
    let is_key = |line: &str| {
        let line = line.strip_prefix("- ").unwrap_or(line);
        line.ends_with(':') || line.split_once(": ").is_some_and(|(name, _)| !name.contains([' ', '=']))
    };
    if first.starts_with("---") || most(&is_key) && reads(Family::Yaml, bytes) {
        return says(Family::Yaml, "most lines are `name: value`");
    }
    // A name with a sign and several words has few columns; `UUID=quay /srv ext4 ro 0 2` has more.
    let fewest = if most(&assigns) { COLUMNS_WITH_SIGN } else { COLUMNS };
    if has_columns(&lines, fewest) {
        return says(Family::Records, "all lines have the same columns");
    }
    if most(&assigns) {
        return says(Family::Equals, "most lines are `name = value`");
    }
    let is_indented = |line: &&str| line.starts_with([' ', '\t']);
    if lines.iter().any(is_indented) && any(&|line| line.ends_with(':')) {
        return says(Family::Stanzas, "indented lines are below headers that end in a colon");
    }
    if !headers(&text).is_empty() {
        return says(Family::Stanzas, "all indented lines are below headers");
    }
    says(Family::Keyword, "most lines are `name value`")
}

/// Of a file in which everything is commented out: as what is commented out.
fn by_comments(text: &str) -> Guess {
    let commented = || text.lines().filter_map(commented_out);
    let assigning = commented().filter(|line| assigned(line).is_some()).count();
    // Prose has more words before what may be a sign in it.
    let named = text.lines().filter(|line| {
        let behind = line.trim_start().trim_start_matches(['#', ';', '!']);
        let words = behind.split_whitespace().count();
        !behind.starts_with([' ', '\t']) && (1..=3).contains(&words) && assigned(behind).is_none()
    });
    match assigning > named.count() {
        true => Guess {
            form: FileFormat::plain(Family::Equals),
            because: "what is commented out is `name = value`",
        },
        false => Guess { form: FileFormat::plain(Family::Keyword), because: "no line says otherwise" },
    }
}

/// Whether several lines have the same columns, and at least so many.
fn has_columns(lines: &[&str], fewest: usize) -> bool {
    let count = |line: &&str| line.split_whitespace().count();
    let first = lines.first().map_or(0, count);
    lines.len() > 1 && first >= fewest && lines.iter().all(|line| count(line) == first)
}

/// The first words of lines that are headers of indented ones, where every line that is not indented is such a one.
pub(super) fn headers(text: &str) -> Vec<String> {
    let lines = text.lines().filter(|line| !line.trim().is_empty() && !line.trim_start().starts_with('#'));
    let lines: Vec<&str> = lines.collect();
    let is_indented = |line: &str| line.starts_with([' ', '\t']);
    let mut words: Vec<String> = Vec::new();
    for (n, line) in lines.iter().enumerate().filter(|(_, line)| !is_indented(line)) {
        let is_header = lines.get(n + 1).is_some_and(|next| is_indented(next));
        let word = line.split_whitespace().next().unwrap_or_default();
        if !is_header || line.ends_with(':') {
            return Vec::new();
        }
        words.push(word.to_owned());
    }
    words.sort();
    words.dedup();
    words
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shapes_are_told_apart() {
        let cases = [
            ("/etc/x.conf", "[mysqld]\nport = 1\n", Family::Sections),
            ("/etc/x.conf", "[tide]\nname = \"low\"\n", Family::Toml),
            ("/etc/x.conf", "<VirtualHost *>\nServerName x\n</VirtualHost>\n", Family::Tags),
            ("/etc/x.conf", "server {\n listen 80;\n}\n", Family::Braces),
            ("/etc/x.conf", "include \"/etc/tide\";\n", Family::Braces),
            ("/etc/x.conf", "service tide {\n  port = 80\n}\n", Family::Nested),
            ("/etc/x.conf", "# x\nport = 1\nname = y\n", Family::Equals),
            ("/etc/x.conf", "Port 22\nUsePAM yes\n", Family::Keyword),
            ("/etc/x.conf", "server:\n  port: 80\n  name: tide\n", Family::Yaml),
            ("/etc/x.conf", "# tide\nserver:\n\tport 80\n\thosts a b\n", Family::Stanzas),
            ("/etc/x.conf", "global\n    rows 3\nboard north\n    port 80\n", Family::Stanzas),
            ("/etc/x.conf", "{\n  \"port\": 80\n}\n", Family::Json),
            ("/etc/default/tide", "PORT=80\n", Family::Assignments),
            (
                "/etc/x.conf",
                "# Tides.\n#net.quay.tide=1\n\n# Forward packets = risk\n#rows=3\n",
                Family::Equals,
            ),
            ("/etc/x.conf", "# Tides, a list of them\n# dir = /var/lib/tide\n# rows = 3\n", Family::Equals),
            ("/etc/x.conf", "# Ports.\n#Port 22\n#UsePAM yes\n", Family::Keyword),
            ("/etc/x.conf", "# nothing\n", Family::Keyword),
            ("/etc/x.conf", "rows = 8 9\nquay = north hall\n", Family::Equals),
            ("/etc/x.conf", "quay.mem=1 2 3 4\nhall.mem=1 2 3 4\n", Family::Equals),
            ("/etc/tidetab", "//quay/a /a cifs ro\n//quay/b /b cifs ro\n", Family::Records),
            ("/etc/tidetab", "UUID=a / ext4 ro 0 1\nUUID=b /srv ext4 rw,a=b 0 2\n", Family::Records),
            ("/etc/tide.ini", "; x\nport=80\n", Family::Sections),
        ];
        for (path, text, family) in cases {
            assert_eq!(guess(path, text.as_bytes()).form.family, family, "{path}: {text}");
            assert!(reads(family, text.as_bytes()), "{family:?} does not read {text}");
        }
    }

    #[test]
    fn a_mark_that_begins_a_word_begins_no_comment() {
        let marks = |text: &str| guess("/etc/x.conf", text.as_bytes()).form.dialect.comments;
        assert!(!marks("//quay/a /a cifs ro\n//quay/b /b cifs ro\n").contains(&"//".to_owned()));
        assert!(!marks("!include conf.d/*.conf\nquay {\n  rows = 3\n}\n").contains(&"!".to_owned()));
        assert!(marks("! Tides\nquay {\n  rows = 3\n}\n").contains(&"!".to_owned()));
        assert!(marks(";rows 3\nquay east\n").contains(&";".to_owned()));
    }

    #[test]
    fn an_error_in_a_file_does_not_make_it_one_of_another_format() {
        for (path, text, name) in [
            ("/etc/tide.yaml", "hall: [1\nrows: 2\n", "yaml"),
            ("/etc/tide.json", "{\"rows\": }\n", "json"),
            ("/etc/tide.json", "// quays\n{\n  \"rows\": 8 // wide\n}\n", "jsonc"),
            ("/etc/tide.conf", "/* quays */\n{\n  \"rows\": 8\n}\n", "jsonc"),
            ("/etc/tide.json", "{\"rows\": 8, \"url\": \"http://tide.example\"}\n", "json"),
        ] {
            assert_eq!(guess(path, text.as_bytes()).form.name(), name, "{path}: {text}");
        }
    }
}
