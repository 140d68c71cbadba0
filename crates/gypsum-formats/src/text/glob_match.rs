//! Patterns with `*`, which stands for any text; `[*]` is a star itself.

/// Whether `text` fits `pattern`.
pub fn glob_match(pattern: &str, text: &str) -> bool {
    // A star that is meant is kept as a character that no text has.
    if pattern.contains("[*]") {
        return glob_match(&pattern.replace("[*]", "\u{1}"), &text.replace('*', "\u{1}"));
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
    use super::glob_match;

    #[test]
    fn a_star_stands_for_anything() {
        assert!(glob_match("deny all", "deny all") && !glob_match("deny all", "deny all x"));
        assert!(glob_match("allow *", "allow 10.0.0.1") && !glob_match("allow *", "deny 10.0.0.1"));
        assert!(
            glob_match("*0.0.0.0/0*", "mynetworks = 127.0.0.1, 0.0.0.0/0") && glob_match("a*b*c", "abbc")
        );
        assert!(!glob_match("ab*ba", "aba"));
        assert!(glob_match("[*].[*] stop", "*.* stop") && !glob_match("[*].[*] stop", "mail.* stop"));
    }
}
