//! A value before and after a change, in one line.

/// A longer value is shown by the words that differ, in characters.
const LONG: usize = 60;

/// Both values; of long ones the words that are only in one of them.
pub(super) fn values(before: &str, after: &str) -> String {
    if before == after {
        return if after.len() > LONG { "as before".to_owned() } else { format!("{after}, as before") };
    }
    let only_in = |one: &str, other: &str| {
        let mut others: Vec<&str> = other.split_whitespace().collect();
        let mut words = Vec::new();
        for word in one.split_whitespace() {
            match others.iter().position(|known| *known == word) {
                Some(at) => {
                    others.remove(at);
                }
                None => words.push(word),
            }
        }
        words.join(" ")
    };
    let (gone, new) = (only_in(before, after), only_in(after, before));
    let is_long = before.len().max(after.len()) > LONG;
    let is_shorter = gone.len() < before.len() && new.len() < after.len();
    match (gone.is_empty(), new.is_empty()) {
        // The same words in another order.
        (true, true) => format!("{before} before, {after} now"),
        _ if !is_long || !is_shorter => format!("{before} before, {after} now"),
        (true, false) => format!("{new} is new, all else as before"),
        (false, true) => format!("{gone} is gone, all else as before"),
        (false, false) => format!("{gone} before, {new} now, all else as before"),
    }
}

#[cfg(test)]
mod tests {
    use super::values;

    #[test]
    fn of_a_long_value_the_difference_is_shown() {
        let long = "/usr/bin/java -Dquay=east -Dhall=north -Dtide=low org.saltmarsh.Boards start";
        let more = long.replace("org.", "-Xmx300m org.");
        assert_eq!(values(long, &more), "-Xmx300m is new, all else as before");
        assert_eq!(values(&more, long), "-Xmx300m is gone, all else as before");
        assert_eq!(
            values(&more, &more.replace("300m", "400m")),
            "-Xmx300m before, -Xmx400m now, all else as before"
        );
        assert_eq!(values(long, long), "as before");
        assert_eq!(values("8", "9"), "8 before, 9 now");
        assert_eq!(values("8", "8"), "8, as before");
        let turned: Vec<&str> = long.split(' ').rev().collect();
        let turned = turned.join(" ");
        assert_eq!(values(long, &turned), format!("{long} before, {turned} now"));
    }
}
