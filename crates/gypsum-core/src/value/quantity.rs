//! Numbers with a unit, as daemons write them.

/// The number of bytes in `64M`, `1G`, `8192`; suffixes count in 1024s, as daemons do.
pub fn size(text: &str) -> Option<i64> {
    let digits = text.trim_end_matches(|c: char| c.is_ascii_alphabetic());
    let power = match text[digits.len()..].to_ascii_lowercase().as_str() {
        "" | "b" => 0,
        "k" | "kb" => 1,
        "m" | "mb" => 2,
        "g" | "gb" => 3,
        "t" | "tb" => 4,
        _ => return None,
    };
    digits.parse::<i64>().ok()?.checked_mul(1024_i64.checked_pow(power)?)
}

/// The number of seconds in `90`, `2m`, `1h30m`, `1w`, as sshd_config(5) has it under TIME FORMATS.
pub fn duration(text: &str) -> Option<i64> {
    let mut total = 0_i64;
    let mut digits = String::new();
    for c in text.chars() {
        if c.is_ascii_digit() {
            digits.push(c);
            continue;
        }
        let unit = match c.to_ascii_lowercase() {
            's' => 1,
            'm' => 60,
            'h' => 3_600,
            'd' => 86_400,
            'w' => 604_800,
            _ => return None,
        };
        total = total.checked_add(digits.parse::<i64>().ok()?.checked_mul(unit)?)?;
        digits.clear();
    }
    if digits.is_empty() {
        return (!text.is_empty()).then_some(total);
    }
    total.checked_add(digits.parse().ok()?)
}
