//! The boards' own configuration file, read in the boards' own way.

use std::fs;
use std::path::{Path, PathBuf};

/// What the boards are told.
#[derive(Clone, Debug)]
pub struct Config {
    pub port: u16,
    pub harbour: String,
    pub quay: String,
    pub rows: usize,
    pub half_day_clock: bool,
    pub refresh: u32,
    pub timetable: PathBuf,
    pub notice: String,
}

/// Reads the file; an error names file and line.
pub fn read(path: &Path) -> Result<Config, String> {
    let text = fs::read_to_string(path).map_err(|error| format!("{}: {error}", path.display()))?;
    let mut config = Config {
        port: 8571,
        harbour: "Saltmarsh".into(),
        quay: "all".into(),
        rows: 8,
        half_day_clock: false,
        refresh: 30,
        timetable: beside(path, "share/timetable"),
        notice: String::new(),
    };
    for (n, line) in text.lines().enumerate() {
        let bad = |what: String| format!("{}:{}: {what}", path.display(), n + 1);
        let line = line.trim();
        if line.is_empty() || line.starts_with('#') {
            continue;
        }
        let (name, value) =
            line.split_once(char::is_whitespace).ok_or_else(|| bad(format!("{line} has no value")))?;
        let value = without_remark(value.trim());
        set(&mut config, name, value).map_err(bad)?;
    }
    Ok(config)
}

fn without_remark(value: &str) -> &str {
    match value.strip_prefix('"').and_then(|inner| inner.split_once('"')) {
        Some((inner, _)) => inner,
        None => value.split(" #").next().unwrap_or(value).trim_end(),
    }
}

fn set(config: &mut Config, name: &str, value: &str) -> Result<(), String> {
    let number = |what: &str| format!("{value} is no {what}");
    match name {
        "port" => config.port = value.parse().map_err(|_| number("port"))?,
        "harbour" => config.harbour = value.into(),
        "quay" => config.quay = value.into(),
        "rows" => config.rows = value.parse().map_err(|_| number("number of rows"))?,
        "clock" => {
            config.half_day_clock = match value {
                "12h" => true,
                "24h" => false,
                _ => return Err(format!("{value} is no clock; there are 12h and 24h")),
            }
        }
        "refresh" => {
            config.refresh = value.trim_end_matches('s').parse().map_err(|_| number("number of seconds"))?
        }
        "timetable" => config.timetable = value.into(),
        "notice" => config.notice = value.into(),
        _ => return Err(format!("{name} is unknown here")),
    }
    Ok(())
}

/// A path in the host folder that the configuration file belongs to.
pub fn beside(config: &Path, inner: &str) -> PathBuf {
    config.parent().and_then(Path::parent).unwrap_or_else(|| Path::new("/")).join(inner)
}
