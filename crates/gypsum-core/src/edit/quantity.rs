//! Arithmetic on quantities: a number with its unit, as it is in the file.

use super::ask::Amount;

/// Why a value cannot be raised or lowered like that.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct NotScalable(String);

impl From<String> for NotScalable {
    fn from(why: String) -> Self {
        Self(why)
    }
}

/// `value` changed by `by`, with the unit that it has; or why that cannot be.
pub fn changed(value: &str, by: &Amount) -> Result<String, NotScalable> {
    let (number, unit) =
        split(value).ok_or_else(|| format!("{value:?} is no number with or without a unit"))?;
    let result = match by {
        Amount::Times(factor) => {
            let factor: f64 =
                factor.parse().map_err(|_| format!("{factor:?} is no number to multiply by"))?;
            number * factor
        }
        Amount::Plus(amount) => number + same_unit(amount, unit)?,
        Amount::Minus(amount) => number - same_unit(amount, unit)?,
    };
    if !(0.0..9e15).contains(&result) {
        return Err(NotScalable(format!("{value} changed like that is {result}, which cannot be written")));
    }
    let whole = (result - result.round()).abs() < 1e-9;
    // Most daemons read whole numbers only; where one stood, one is to stand.
    if !whole && number.fract() == 0.0 {
        return Err(NotScalable(format!(
            "{value} changed like that is {result}{unit}, which is no whole number"
        )));
    }
    Ok(if whole { format!("{}{unit}", result.round()) } else { format!("{result}{unit}") })
}

fn split(value: &str) -> Option<(f64, &str)> {
    let length = value.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(value.len());
    let (number, unit) = value.split_at(length);
    let plain = unit.trim_start().chars().all(|c| c.is_ascii_alphabetic() || c == '%');
    Some((number.parse().ok().filter(|_| plain)?, unit))
}

/// Units are never guessed: what is added has the unit of what is there.
fn same_unit(amount: &str, unit: &str) -> Result<f64, NotScalable> {
    match split(amount) {
        Some((number, its)) if its == unit => Ok(number),
        Some(_) if unit.is_empty() => Err(NotScalable(format!("{amount} has a unit and the value has none"))),
        Some(_) => Err(NotScalable(format!("{amount} does not have the unit {} of the value", unit.trim()))),
        None => Err(NotScalable(format!("{amount:?} is no number with or without a unit"))),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_unit_is_never_guessed() {
        let why =
            |value: &str, amount: &str| changed(value, &Amount::Plus(amount.into())).unwrap_err().to_string();
        assert_eq!(why("5", "5MB"), "5MB has a unit and the value has none");
        assert_eq!(why("5kB", "5MB"), "5MB does not have the unit kB of the value");
        assert_eq!(why("5kB", "much"), "\"much\" is no number with or without a unit");
    }

    #[test]
    fn units_stay_and_are_never_guessed() {
        let times = |value, by: &str| changed(value, &Amount::Times(by.into()));
        assert_eq!(times("128M", "2"), Ok("256M".into()));
        assert_eq!(times("64 MB", "1.5"), Ok("96 MB".into()));
        assert_eq!(times("0.5", "3"), Ok("1.5".into()));
        assert!(times("5", "0.3").is_err() && times("many", "2").is_err() && times("5", "two").is_err());
        assert_eq!(changed("30s", &Amount::Plus("15s".into())), Ok("45s".into()));
        assert_eq!(changed("100", &Amount::Minus("1".into())), Ok("99".into()));
        assert!(changed("30s", &Amount::Plus("15".into())).is_err());
        assert!(changed("1", &Amount::Minus("2".into())).is_err());
    }
}
