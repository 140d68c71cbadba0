//! The program at a real terminal, where somebody is asked.

use std::io::{Read, Write};
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};

/// The program at a terminal of its own.
pub struct Terminal {
    pub child: Child,
    keys: ChildStdin,
    output: ChildStdout,
    seen: String,
    passed: String,
}

impl Terminal {
    /// Starts it.
    pub fn of(command: &Command) -> Self {
        let words: Vec<String> = std::iter::once(command.get_program())
            .chain(command.get_args())
            .map(|word| format!("'{}'", word.to_str().unwrap()))
            .collect();
        let mut script = Command::new("script");
        script.args(["-qefc", &words.join(" "), "/dev/null"]);
        script.envs(command.get_envs().filter_map(|(name, value)| Some((name, value?))));
        let mut child = script.stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
        let (keys, output) = (child.stdin.take().unwrap(), child.stdout.take().unwrap());
        Self { child, keys, output, seen: String::new(), passed: String::new() }
    }

    /// Waits for this text, and forgets what came before it.
    pub fn until(&mut self, text: &str) {
        let mut bytes = [0; 4096];
        while !self.seen.contains(text) {
            let length = self.output.read(&mut bytes).unwrap();
            assert!(length > 0, "{text:?} did not come: {}", self.seen);
            self.seen += &String::from_utf8_lossy(&bytes[..length]);
        }
        let (passed, rest) = self.seen.split_once(text).unwrap();
        (self.passed, self.seen) = (passed.to_owned(), rest.to_owned());
    }

    /// What came before the text that was waited for last.
    pub fn passed(&self) -> &str {
        &self.passed
    }

    /// Presses these keys.
    pub fn press(&mut self, keys: &str) {
        self.keys.write_all(keys.as_bytes()).unwrap();
        self.keys.flush().unwrap();
    }
}
