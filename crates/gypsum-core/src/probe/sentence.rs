//! Health checks as sentences, of the same words that a profile's tables have.

use super::bad_words::BadWords;
use super::raw_check::{COMMON, KINDS, RawCheck};
use super::{Check, Probe};
use crate::text::nearest;
use serde::Deserialize;

/// How the value behind a word is written.
#[derive(Clone, Copy, PartialEq)]
enum Value {
    Text,
    Number,
    Flag,
    Words,
}

fn value_of(word: &str) -> Value {
    match word {
        "status" | "days" | "times" => Value::Number,
        "follow" | "unverified" | "refused" | "absent" | "as-before" => Value::Flag,
        "run" => Value::Words,
        _ => Value::Text,
    }
}

/// A health check as a sentence of the same words: `http http://localhost/map 200`, `tcp 127.0.0.1:25 refused`,
/// `process niceness is 5`; a URL, `HOST:PORT` or a port may stand alone.
pub fn parse_check(sentence: &str) -> Result<Check, BadWords> {
    written(sentence)?.check()
}

/// What a reading looks at, as such a sentence without an expectation.
pub fn parse_source(sentence: &str) -> Result<Probe, BadWords> {
    Ok(parse_check(sentence)?.probe)
}

fn written(sentence: &str) -> Result<RawCheck, BadWords> {
    let words = shlex::split(sentence).filter(|words| !words.is_empty());
    let Some(mut words) = words.map(|words| words.into_iter().peekable()) else {
        return Err(BadWords(format!("{sentence:?} is no sentence: is a quote missing?")));
    };
    let first = words.next().unwrap_or_default();
    let Some((kind, known)) = KINDS.iter().find(|(kind, _)| *kind == first) else {
        return alone(first, words.next().is_some());
    };
    let mut table = toml::Table::new();
    let about = words.next().ok_or_else(|| BadWords(format!("{kind} of what? {}", example(kind))))?;
    let value = match value_of(kind) {
        Value::Words => {
            let argv = shlex::split(&about).unwrap_or_default();
            toml::Value::Array(argv.into_iter().map(toml::Value::String).collect())
        }
        _ => toml::Value::String(about),
    };
    table.insert((*kind).to_owned(), value);
    while let Some(word) = words.next() {
        // Whoever writes a bare number behind a URL means the status.
        if word.parse::<i64>().is_ok() && *kind == "http" && !table.contains_key("status") {
            table.insert("status".into(), toml::Value::Integer(word.parse().unwrap_or_default()));
            continue;
        }
        if !known.contains(&word.as_str()) && !COMMON.contains(&word.as_str()) {
            return Err(unknown(&word, kind, known));
        }
        let mut next =
            || words.next().ok_or_else(|| BadWords(format!("{word} of {kind} wants a value behind it")));
        let value = match value_of(&word) {
            Value::Flag => toml::Value::Boolean(true),
            Value::Number => {
                let text = next()?;
                let number =
                    text.parse().map_err(|_| BadWords(format!("{word} wants a number, not {text:?}")))?;
                toml::Value::Integer(number)
            }
            Value::Text | Value::Words => toml::Value::String(next()?),
        };
        table.insert(word, value);
    }
    RawCheck::deserialize(table).map_err(|error| BadWords(error.message().trim().replace('\n', "; ")))
}

/// One word for the commonest checks: a URL, `HOST:PORT`, or a port of this host.
fn alone(word: String, more: bool) -> Result<RawCheck, BadWords> {
    let kinds = KINDS.map(|(kind, _)| kind);
    if !more && word.contains("://") {
        return Ok(RawCheck::of_http(word));
    }
    if !more && word.parse::<u16>().is_ok() {
        return Ok(RawCheck::of_tcp(format!("127.0.0.1:{word}")));
    }
    let endpoint =
        word.rsplit_once(':').is_some_and(|(host, port)| !host.is_empty() && port.parse::<u16>().is_ok());
    if !more && endpoint {
        return Ok(RawCheck::of_tcp(word));
    }
    let near = nearest(&word, kinds);
    let near = near.first().map_or(".".to_owned(), |near| format!("; did you mean {near}?"));
    let known = kinds.join(", ");
    Err(BadWords(format!(
        "nothing called {word:?} can be looked at{near} A check begins with one of {known}, or is a URL, HOST:PORT or a port"
    )))
}

fn unknown(word: &str, kind: &str, known: &[&str]) -> BadWords {
    let all = known.iter().chain(&COMMON).copied();
    let near = nearest(word, all.clone());
    let near = near.first().map_or(String::new(), |near| format!("did you mean {near}? "));
    let all: Vec<&str> = all.collect();
    BadWords(format!("{kind} knows no word {word:?}: {near}It takes {}", all.join(", ")))
}

fn example(kind: &str) -> &'static str {
    match kind {
        "http" => "For example: http http://localhost/map 200",
        "tcp" => "For example: tcp 127.0.0.1:25",
        "greeting" => "For example: greeting 127.0.0.1:25 contains 220",
        "tls" => "For example: tls localhost:443 certifies boards.example days 14",
        "dns" => "For example: dns boards.example at 127.0.0.1 says 192.0.2.7",
        "ssh" => "For example: ssh 127.0.0.1:22 user porter withholds password",
        "process" => "For example: process niceness is 5",
        "log" => "For example: log journal lacks error",
        "file" => "For example: file /run/boards.pid owner boards",
        _ => "For example: run '/usr/bin/test -S /run/boards.sock' status 0",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sentences_say_what_tables_say() {
        let table = [
            ("http http://localhost/map 200", "http = \"http://localhost/map\"\nstatus = 200"),
            ("http://localhost/", "http = \"http://localhost/\""),
            ("8080", "tcp = \"127.0.0.1:8080\""),
            ("tcp 127.0.0.1:25 refused", "tcp = \"127.0.0.1:25\"\nrefused = true"),
            ("process niceness is 5 patience 9s", "process = \"niceness\"\nis = 5\npatience = \"9s\""),
            ("run '/bin/sh -c \"exit 3\"' status 3", "run = [\"/bin/sh\", \"-c\", \"exit 3\"]\nstatus = 3"),
            (
                "dns quay.example at 127.0.0.1:5353 says refused",
                "dns = \"quay.example\"\nat = \"127.0.0.1:5353\"\nsays = \"refused\"",
            ),
            (
                "http https://boards.example/ at 127.0.0.1 contains 'Quay 3' times 2",
                "http = \"https://boards.example/\"\nat = \"127.0.0.1\"\ncontains = \"Quay 3\"\ntimes = 2",
            ),
        ];
        for (sentence, text) in table {
            let written: RawCheck = toml::from_str(text).unwrap();
            assert_eq!(parse_check(sentence).unwrap(), written.check().unwrap(), "{sentence}");
        }
    }

    #[test]
    fn bad_sentences_name_what_is_near() {
        let table = [
            ("htp http://localhost/", "did you mean http?"),
            ("http http://localhost/ contians x", "did you mean contains?"),
            ("http localhost", "only http://"),
            ("http", "For example"),
            ("tcp 127.0.0.1:25 contains x", "tcp knows no word"),
            ("process nicenes is 5", "did you mean niceness?"),
            ("http http://localhost/ status many", "wants a number"),
            ("http http://localhost/ contains", "wants a value"),
            ("dns quay.example", "wants the server"),
            ("tcp 'x", "a quote missing"),
            ("tcp x times 0", "counts from 1"),
            ("", "no sentence"),
        ];
        for (sentence, says) in table {
            let why = parse_check(sentence).unwrap_err().0;
            assert!(why.contains(says), "{sentence}: {why}");
        }
    }
}
