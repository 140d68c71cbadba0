//! Patterns with `*`, which stands for any text; `[*]` is a star itself.

/// Whether `text` fits `pattern`.
pub fn fits(pattern: &str, text: &str) -> bool {
    // A star that is meant stands in for itself as a character that no text has.
    if pattern.contains("[*]") {
        return fits(&pattern.replace("[*]", "\u{1}"), &text.replace('*', "\u{1}"));
    }
    let Some((start, mut rest)) = pattern.split_once('*') else {
        return pattern == text;
    };
    let Some(mut text) = text.strip_prefix(start) else {
        return false;
    };
    while let Some((part, after)) = rest.split_once('*') {
        let Some(at) = text.find(part) else {
            return false;
        };
        text = &text[at + part.len()..];
        rest = after;
    }
    text.ends_with(rest)
}

#[cfg(test)]
mod tests {
    use super::fits;

    #[test]
    fn a_star_stands_for_anything() {
        assert!(fits("deny all", "deny all") && !fits("deny all", "deny all x"));
        assert!(fits("allow *", "allow 10.0.0.1") && !fits("allow *", "deny 10.0.0.1"));
        assert!(fits("*0.0.0.0/0*", "mynetworks = 127.0.0.1, 0.0.0.0/0") && fits("a*b*c", "abbc"));
        assert!(!fits("ab*ba", "aba"));
        assert!(fits("[*].[*] stop", "*.* stop") && !fits("[*].[*] stop", "mail.* stop"));
    }
}
