//! Values that a kind takes, and that hardly anybody means: a digit too few or too many, a unit left out.

use super::{Kind, Misfit, Spelling};
use crate::profile::Setting;

/// What makes `value` an unlikely one, by the range that the profile names and the memory of this host, in bytes.
pub fn unlikely(setting: &Setting, spelling: &Spelling, memory: Option<u64>, value: &str) -> Option<Misfit> {
    let number = spelling.number(setting, value)?;
    if setting.choices.iter().any(|choice| choice.eq_ignore_ascii_case(value)) {
        return None;
    }
    let bound = |text: &Option<String>| {
        let text = text.as_deref()?;
        let share = text.strip_prefix("memory").map(str::trim);
        match share {
            Some(share) => {
                let parts: f64 = share.trim_start_matches('/').trim().parse().unwrap_or(1.0);
                memory.map(|memory| memory as f64 / parts)
            }
            None => spelling.number(setting, text),
        }
    };
    let low = bound(&setting.least).is_some_and(|least| number < least);
    let high = bound(&setting.most).is_some_and(|most| number > most);
    if !low && !high {
        return None;
    }
    let of_memory = high && setting.most.as_deref().is_some_and(|most| most.starts_with("memory"));
    let unit =
        !value.contains(|c: char| c.is_alphabetic()) && matches!(setting.kind, Kind::Size | Kind::Duration);
    let message = match (of_memory, memory) {
        (true, Some(memory)) => {
            format!("{value} is more than the {} of memory that this host has for it", amount(memory))
        }
        _ if unit => {
            let one = setting.bare.unwrap_or(if setting.kind == Kind::Size { 1 } else { 1_000 });
            let what = match (setting.kind, one) {
                (Kind::Size, 1) => "bytes".to_owned(),
                (Kind::Size, one) => format!("times {}", amount(u64::try_from(one).unwrap_or(1))),
                (_, 1) => "milliseconds".to_owned(),
                (_, 1_000) => "seconds".to_owned(),
                (_, one) => format!("times {} s", one / 1_000),
            };
            format!(
                "{value} without a unit is {value} {what}, which is very {}",
                if low { "little" } else { "much" }
            )
        }
        _ => format!("{value} is unusually {}", if low { "low" } else { "high" }),
    };
    let usual = match (&setting.least, &setting.most) {
        (Some(least), Some(most)) if !most.starts_with("memory") => {
            format!("from {least} to {most} is usual")
        }
        (Some(least), _) => format!("{least} or more is usual"),
        (None, Some(most)) if !most.starts_with("memory") => format!("up to {most} is usual"),
        _ => "use less: other programs need memory, too".to_owned(),
    };
    let known = setting.usual.as_ref().or(setting.default.as_ref());
    let help = known.map_or(usual.clone(), |known| format!("{usual}; {known} is a common value"));
    Some(Misfit { message, help })
}

/// A number of bytes in words.
fn amount(bytes: u64) -> String {
    const UNITS: [(&str, u64); 4] = [("GB", 1 << 30), ("MB", 1 << 20), ("kB", 1 << 10), ("bytes", 1)];
    let (unit, one) = UNITS.into_iter().find(|(_, one)| bytes >= *one).unwrap_or(("bytes", 1));
    format!("{} {unit}", bytes / one)
}
