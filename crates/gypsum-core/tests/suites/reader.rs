//! The independent readers: one process that is asked about file after file.

use serde_json::Value;
use std::io::{BufRead, BufReader, Write};
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};

/// What a file says: path, sort and text of each thing, in order.
pub type Answers = Vec<(Vec<String>, String, String)>;

pub struct Reader {
    child: Child,
    asks: ChildStdin,
    answers: BufReader<ChildStdout>,
}

impl Reader {
    pub fn new() -> Self {
        let script = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/suites/readers.py");
        let mut child = Command::new("/usr/bin/python3")
            .arg(script)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .expect("python3 is installed");
        let (asks, answers) = (child.stdin.take().unwrap(), BufReader::new(child.stdout.take().unwrap()));
        Self { child, asks, answers }
    }

    /// What the reader of `family` says of `source`; `None` where it cannot read it.
    pub fn read(&mut self, family: &str, source: &[u8]) -> Option<Answers> {
        writeln!(self.asks, "{family} {}", source.len()).unwrap();
        self.asks.write_all(source).unwrap();
        self.asks.flush().unwrap();
        let mut line = String::new();
        self.answers.read_line(&mut line).unwrap();
        let said: Value = serde_json::from_str(&line).unwrap();
        let text = |value: &Value| value.as_str().unwrap().to_owned();
        let row = |row: &Value| {
            let path = row[0].as_array().unwrap().iter().map(text).collect();
            (path, text(&row[1]), text(&row[2]))
        };
        said.as_array().map(|rows| rows.iter().map(row).collect())
    }
}

impl Drop for Reader {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
