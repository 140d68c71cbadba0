//! How one daemon spells sizes, times and switches.

use super::quantity;
use crate::profile::Setting;
use crate::value::Kind;
use serde::Deserialize;
use std::collections::BTreeMap;

/// The units and words that stand for values. What a profile does not say is as most daemons have it.
#[derive(Clone, Debug, Default, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct Spelling {
    /// Bytes, by the unit; K, M, G, T of 1024s, in any case, where none is named.
    pub sizes: BTreeMap<String, i64>,
    /// Milliseconds, by the unit; s, m, h, d, w where none is named.
    pub times: BTreeMap<String, i64>,
    /// The words for on and off, the ones for on first in each pair; `yes` and `no` where none is named.
    pub flags: Vec<[String; 2]>,
    /// Whether a lower-case unit is another than the same in upper case.
    pub exact_case: bool,
    /// Whether blanks may stand before a unit.
    pub loose: bool,
}

impl Spelling {
    /// The words for on and off.
    pub fn flag_words(&self) -> Vec<String> {
        if self.flags.is_empty() {
            return vec!["yes".into(), "no".into()];
        }
        self.flags.iter().flatten().cloned().collect()
    }

    /// Whether `word` switches on (or off).
    pub fn switch(&self, word: &str) -> Option<bool> {
        let pairs = &self.flags;
        if pairs.is_empty() {
            return match word.to_ascii_lowercase().as_str() {
                "yes" | "on" | "true" | "1" => Some(true),
                "no" | "off" | "false" | "0" => Some(false),
                _ => None,
            };
        }
        let is = |n: usize| pairs.iter().any(|pair| pair[n].eq_ignore_ascii_case(word));
        if is(0) { Some(true) } else { is(1).then_some(false) }
    }

    /// The number that `value` stands for: bytes, milliseconds, or as it is. None where it is none.
    pub fn number(&self, setting: &Setting, value: &str) -> Option<f64> {
        match setting.kind {
            Kind::Size if self.sizes.is_empty() => {
                quantity::size(value).map(|size| bare(setting, value, size))
            }
            Kind::Size => self.with_unit(value, &self.sizes, setting.bare.unwrap_or(1)),
            Kind::Duration if self.times.is_empty() => quantity::duration(value).map(|time| {
                let one = setting.bare.filter(|_| is_bare(value)).unwrap_or(1_000);
                time as f64 * one as f64
            }),
            Kind::Duration => self.with_unit(value, &self.times, setting.bare.unwrap_or(1_000)),
            Kind::Percent => value.trim_end_matches('%').trim().parse().ok(),
            Kind::Integer => value.parse::<i64>().ok().map(|number| number as f64),
            Kind::Port => value.parse::<u16>().ok().map(f64::from),
            Kind::Number => value.parse().ok().filter(|number: &f64| number.is_finite()),
            Kind::Mode => i64::from_str_radix(value, 8).ok().map(|mode| mode as f64),
            _ => None,
        }
    }

    /// Numbers with their units, one behind the other: `1h30m`, `16MB`, `4 KB`.
    fn with_unit(&self, value: &str, units: &BTreeMap<String, i64>, bare: i64) -> Option<f64> {
        let unit_of = |unit: &str| {
            let same = |known: &&String| {
                if self.exact_case { *known == unit } else { known.eq_ignore_ascii_case(unit) }
            };
            units.keys().find(same).and_then(|known| units.get(known))
        };
        let mut rest = value.trim();
        let mut total = 0.0;
        if rest.is_empty() {
            return None;
        }
        while !rest.is_empty() {
            let digits =
                rest.find(|c: char| !c.is_ascii_digit() && c != '.' && c != '-').unwrap_or(rest.len());
            let number: f64 = rest[..digits].parse().ok()?;
            let behind = &rest[digits..];
            let behind = if self.loose { behind.trim_start() } else { behind };
            let letters = behind.find(|c: char| !c.is_alphabetic()).unwrap_or(behind.len());
            let unit = &behind[..letters];
            let one = if unit.is_empty() { bare } else { *unit_of(unit)? };
            if unit.is_empty() && !behind.is_empty() {
                return None;
            }
            total += number * one as f64;
            rest = behind[letters..].trim_start();
        }
        Some(total)
    }
}

fn is_bare(value: &str) -> bool {
    value.bytes().all(|byte| byte.is_ascii_digit())
}

fn bare(setting: &Setting, value: &str, size: i64) -> f64 {
    let one = setting.bare.filter(|_| is_bare(value)).unwrap_or(1);
    size as f64 * one as f64
}
