//! The known names nearest to a misspelt one.

/// At most three of `known` that a slip of the fingers could have turned into `typed`, nearest
/// first. A slip is a letter too many, too few or wrong, two letters swapped, or another case.
pub fn nearest<'a>(typed: &str, known: impl IntoIterator<Item = &'a str>) -> Vec<&'a str> {
    let typed = typed.to_lowercase();
    let allowed = (typed.chars().count() / 3).clamp(1, 3);
    let mut found: Vec<(usize, &str)> = known
        .into_iter()
        .filter_map(|name| {
            let lower = name.to_lowercase();
            let away = distance(&typed, &lower);
            let starts = typed.len() >= 4 && (lower.starts_with(&typed) || lower.ends_with(&typed));
            (away <= allowed || starts).then_some((away, name))
        })
        .collect();
    found.sort();
    found.dedup();
    found.truncate(3);
    found.into_iter().map(|(_, name)| name).collect()
}

/// Whether one slip of the fingers turns one name into the other: a letter too many, too few or wrong, or two swapped. A
/// figure tells names of a series apart, and is no slip.
pub fn slip_of(typed: &str, known: &str) -> bool {
    let figures = |name: &str| name.chars().filter(char::is_ascii_digit).collect::<String>();
    let (typed, known) = (typed.to_lowercase(), known.to_lowercase());
    figures(&typed) == figures(&known) && distance(&typed, &known) == 1
}

/// Edit distance that counts a swap of neighbours as one (optimal string alignment).
fn distance(a: &str, b: &str) -> usize {
    let (a, b): (Vec<char>, Vec<char>) = (a.chars().collect(), b.chars().collect());
    let width = b.len() + 1;
    let mut rows = vec![0; (a.len() + 1) * width];
    for i in 0..=a.len() {
        for j in 0..=b.len() {
            rows[i * width + j] = if i == 0 || j == 0 {
                i + j
            } else {
                let change = usize::from(a[i - 1] != b[j - 1]);
                let mut best = (rows[(i - 1) * width + j] + 1)
                    .min(rows[i * width + j - 1] + 1)
                    .min(rows[(i - 1) * width + j - 1] + change);
                if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                    best = best.min(rows[(i - 2) * width + j - 2] + 1);
                }
                best
            };
        }
    }
    rows[a.len() * width + b.len()]
}

#[cfg(test)]
mod tests {
    use super::nearest;

    #[test]
    fn slips_are_recognised_and_strangers_are_not() {
        let known = ["MaxAuthTries", "MaxSessions", "Port"];
        for slip in ["MaxAuthTrys", "maxauthtries", "MaxAtuhTries", "MaxAuthTriess"] {
            assert_eq!(nearest(slip, known), ["MaxAuthTries"], "{slip}");
        }
        assert_eq!(nearest("Prot", known), ["Port"]);
        assert!(nearest("ClientAliveInterval", known).is_empty());
    }
}
