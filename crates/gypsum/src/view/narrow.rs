//! Two versions of a long line, cut to what differs: of a command line with one changed option, that option.

/// So many characters are shown on either side of what differs.
const AROUND: usize = 16;
/// The first word is shown up to this length: it names the setting.
const NAME: usize = 28;

/// Both versions, cut with marks to what differs and what is around it; `None` if they fit `width` as they are, or
/// differ nearly everywhere.
pub fn narrowed(before: &str, after: &str, width: usize) -> Option<(String, String)> {
    let (old, new): (Vec<char>, Vec<char>) = (before.chars().collect(), after.chars().collect());
    let is_long = old.len().max(new.len()) > width;
    if !is_long || before.contains('\n') || after.contains('\n') {
        return None;
    }
    let shortest = old.len().min(new.len());
    let same = old.iter().zip(&new).take_while(|(a, b)| a == b).count();
    let behind =
        old.iter().rev().zip(new.iter().rev()).take_while(|(a, b)| a == b).count().min(shortest - same);
    let name = old.iter().position(|one| matches!(one, ' ' | '\t' | '=')).map_or(0, |at| at + 1).min(NAME);
    // From the beginning of a word to the end of one, where that is near.
    let from = word_before(&old, same.saturating_sub(AROUND));
    if from <= name && behind <= AROUND {
        return None;
    }
    let cut = |line: &[char]| {
        let to = (line.len() - behind + AROUND).min(line.len());
        let head: String = line[..name.min(from)].iter().collect();
        let lead = if from > name { format!("{head}... ") } else { line[..from].iter().collect() };
        let tail = if to < line.len() { " ..." } else { "" };
        format!("{lead}{}{tail}", line[from..to].iter().collect::<String>())
    };
    Some((cut(&old), cut(&new)))
}

/// The beginning of the word in which `at` is.
fn word_before(line: &[char], at: usize) -> usize {
    line[..at].iter().rposition(|one| one.is_whitespace()).map_or(0, |blank| blank + 1)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_a_long_line_what_differs_is_shown() {
        let line = |port: &str| {
            format!(
                "ExecStart=/usr/bin/boards --harbour Saltmarsh --timetable /usr/share/boards/summer --port={port} \
                 --rows 10 --quay north --log /var/log/boards/boards.log --colour plain"
            )
        };
        let (was, is) = narrowed(&line("7000"), &line("7010"), 62).unwrap();
        assert!(was.starts_with("ExecStart=... ") && was.contains("--port=7000"), "{was}");
        assert!(is.contains("--port=7010") && is.ends_with(" ..."), "{is}");
        assert!(was.chars().count() <= 78 && !was.contains("--harbour"), "{was}");
        // An option more at the end, and one less in front.
        let (was, is) = narrowed(&line("7000"), &format!("{} --fog", line("7000")), 62).unwrap();
        assert!(is.ends_with("plain --fog") && was.ends_with("plain"), "{was} {is}");
        assert_eq!(narrowed("rows 8", "rows 10", 62), None);
        let other = "a".repeat(100);
        assert_eq!(narrowed(&other, &"b".repeat(100), 62), None);
    }
}
