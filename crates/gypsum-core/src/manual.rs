//! Manual pages: the paragraph about one setting, in a page as `man` prints it.

/// The paragraphs about `name` in a page that is set in plain text, each on one line: they are indented below a line that
/// begins with the name, or begin on that line. `None` if the page has no such line.
pub fn paragraphs(page: &str, name: &str) -> Option<Vec<String>> {
    let lines: Vec<&str> = page.lines().collect();
    (0..lines.len()).find_map(|n| {
        let own = beside(lines[n], name)?;
        let depth = |line: &str| line.len() - line.trim_start().len();
        let deeper = |line: &&&str| line.is_empty() || depth(line) > depth(lines[n]);
        let below = lines[n + 1..].iter().take_while(deeper).map(|line| line.trim());
        let text: Vec<&str> = own.into_iter().chain(below).collect();
        let paragraphs = text.split(|line| line.is_empty()).map(joined).filter(|text| !text.is_empty());
        text.first().is_some_and(|line| !line.is_empty()).then(|| paragraphs.collect())
    })
}

fn joined(lines: &[&str]) -> String {
    crate::text::one_line(&lines.join(" "))
}

/// Whether a line is the title of `name`, and the text that is beside it in the column of its paragraphs. Its
/// arguments, and other spellings of the name, may stand on the line.
fn beside<'a>(line: &'a str, name: &str) -> Option<Option<&'a str>> {
    let line = line.trim_start();
    let is_named = |one: &str| {
        let one = one.trim_start_matches('-');
        let ends = |rest: &str| rest.is_empty() || rest.starts_with([' ', ',', '=', '(', '[', '<', ':']);
        one.get(..name.len())
            .is_some_and(|begin| begin.eq_ignore_ascii_case(name) && ends(&one[name.len()..]))
    };
    if name.is_empty() || !line.split(", ").any(is_named) {
        return None;
    }
    Some(line.split_once("  ").map(|(_, text)| text.trim_start()).filter(|text| !text.is_empty()))
}

/// The page and its section of `sshd_config(5)`.
pub fn page_and_section(page: &str) -> Option<(&str, &str)> {
    let (name, section) = page.strip_suffix(')')?.split_once('(')?;
    let plain = |text: &str| {
        !text.is_empty()
            && !text.starts_with('-')
            && text.chars().all(|c| c.is_alphanumeric() || "-_.+:".contains(c))
    };
    (plain(name) && plain(section)).then_some((name, section))
}

#[cfg(test)]
mod tests {
    use super::*;

    const PAGE: &str = "\
BOARDS.CONF(5)

     Rows are explained below.

     Rows    How many rows a board has.  The default
             is 12.

             More rows make it slow.

     Quay name
             The quay that it is about.

     log level (G)
             How much is written.

     --lamp=N, --light=N
             How bright it is.

FILES
     /etc/boards.conf
";

    #[test]
    fn the_paragraphs_below_a_name_are_found() {
        let found = |name| paragraphs(PAGE, name).unwrap_or_default().join("|");
        assert_eq!(found("quay"), "The quay that it is about.");
        assert_eq!(found("light"), "How bright it is.");
        assert_eq!(found("lamp"), "How bright it is.");
        assert_eq!(found("Rows"), "How many rows a board has. The default is 12.|More rows make it slow.");
        assert_eq!(found("log level"), "How much is written.");
        assert_eq!(paragraphs(PAGE, "name"), None);
        assert_eq!(paragraphs(PAGE, "Lights"), None);
        assert_eq!(paragraphs("Rows", "Rows"), None);
    }

    #[test]
    fn a_page_has_a_name_and_a_section() {
        assert_eq!(page_and_section("sshd_config(5)"), Some(("sshd_config", "5")));
        assert_eq!(page_and_section("mysqld(8mariadb)"), Some(("mysqld", "8mariadb")));
        for bad in ["sshd_config", "(5)", "a()", "-x(5)", "../a(5)", "a(5"] {
            assert_eq!(page_and_section(bad), None, "{bad}");
        }
    }
}
