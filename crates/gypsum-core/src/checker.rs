//! The daemon's own checker, read properly: what it says of the proposal that it did not say of the
//! files as they are.

use crate::finding::{Finding, Severity};
use crate::text::LineShift;

/// One run of a checker.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CheckerRun {
    /// Its exit status; none where it was ended by a signal or by our time limit.
    pub status: Option<i32>,
    /// Whether our time limit ended it.
    pub timed_out: bool,
    /// Whether it was ended since it printed too much.
    pub flooded: bool,
    /// What it printed on standard error.
    pub lines: Vec<String>,
    /// What it printed on standard output.
    pub printed: Vec<String>,
}

impl CheckerRun {
    /// A run that accepts what it reads and has nothing to say.
    pub fn silent() -> Self {
        Self { status: Some(0), timed_out: false, flooded: false, lines: Vec::new(), printed: Vec::new() }
    }

    /// Whether it accepted what it read.
    pub fn accepts(&self) -> bool {
        self.status == Some(0)
    }
}

/// What is known of the comparison.
pub struct Comparison<'a> {
    /// The command, for messages.
    pub command: &'a str,
    /// How the edit moved the lines, by file.
    pub shifts: &'a [(String, Vec<LineShift>)],
    /// Texts that make a line a fault although the exit status is 0.
    pub faults: &'a [String],
    /// Texts that make a line of its standard output a warning.
    pub warnings: &'a [String],
    /// Texts of lines that say nothing of the configuration.
    pub chatter: &'a [String],
    /// Whether a checker that refuses both alike only warns: when something known is put back, the
    /// checker may fail because the daemon is down, and for no reason in the files.
    pub lenient: bool,
}

/// The findings of a run on the proposal, given the run on the files as they are.
pub fn compare(control: &CheckerRun, proposal: &CheckerRun, about: &Comparison<'_>) -> Vec<Finding> {
    let command = about.command;
    if proposal.flooded {
        let message = format!("{command} printed without end, and was ended");
        let help = "run it by hand to see what it says, or go on without it: --accept checker";
        return vec![Finding::fault("checker", message).help(help)];
    }
    if proposal.timed_out {
        let message = format!("{command} did not answer in its time");
        let help = "see why it hangs, or go on without it: --accept checker";
        return vec![Finding::fault("checker", message).help(help)];
    }
    let says = |line: &&String| !about.chatter.iter().any(|word| line.contains(word.as_str()));
    let known: Vec<String> =
        control.lines.iter().chain(&control.printed).map(|line| normal(line, about, true)).collect();
    let mut known_left = known.clone();
    let mut is_new = |line: &&String| {
        let line = normal(line, about, false);
        match known_left.iter().position(|old| *old == line) {
            Some(at) => {
                known_left.swap_remove(at);
                false
            }
            None => true,
        }
    };
    let fault_word = |line: &str| about.faults.iter().any(|word| line.contains(word.as_str()));
    let mut findings = Vec::new();
    let mut said: Vec<&String> = Vec::new();
    for line in proposal.lines.iter().filter(says).filter(&mut is_new) {
        // Some say the same thing twice, once for each of their logs.
        if said.contains(&line) {
            continue;
        }
        said.push(line);
        let bad = !proposal.accepts() || fault_word(line);
        let severity = if bad { Severity::Fault } else { Severity::Warning };
        findings.push(located(Finding::new("checker", severity, said_by(command, line)), line, about));
    }
    let warning_word = |line: &str| about.warnings.iter().any(|word| line.contains(word.as_str()));
    let printed = proposal.printed.iter().filter(says);
    for line in printed.filter(|line| fault_word(line) || warning_word(line)).filter(&mut is_new) {
        let severity = if fault_word(line) { Severity::Fault } else { Severity::Warning };
        findings.push(located(Finding::new("checker", severity, said_by(command, line)), line, about));
    }
    if !proposal.accepts() && !findings.iter().any(|finding| finding.severity == Severity::Fault) {
        findings.push(rejected(control, proposal, about));
    }
    findings
}

/// A line of a checker, with its name in front where it does not say that itself.
fn said_by(command: &str, line: &str) -> String {
    let own = line.strip_prefix(command).is_some_and(|rest| rest.starts_with(':'));
    if own { line.to_owned() } else { format!("{command}: {line}") }
}

fn rejected(control: &CheckerRun, proposal: &CheckerRun, about: &Comparison<'_>) -> Finding {
    let command = about.command;
    let status =
        proposal.status.map_or("was ended by a signal".to_owned(), |status| format!("exit status {status}"));
    let said = proposal.lines.iter().chain(&proposal.printed).next_back();
    let said = said.map_or(String::new(), |line| format!(": {line}"));
    if control.accepts() {
        return Finding::fault("checker", format!("{command} refuses the proposal ({status}){said}"));
    }
    let message = format!("{command} refuses the files as they are, and the proposal too ({status}){said}");
    let severity = if about.lenient { Severity::Warning } else { Severity::Fault };
    Finding::new("checker", severity, message)
        .help("correct that first, or in the same change; or --accept checker")
}

/// A line without what differs from run to run: times and process ids; old line numbers are moved
/// to where the lines are now.
fn normal(line: &str, about: &Comparison<'_>, old: bool) -> String {
    let mut out = String::with_capacity(line.len());
    let mut rest = line;
    while let Some(start) = rest.find(|c: char| c.is_ascii_digit()) {
        let (before, from) = rest.split_at(start);
        let length = from.find(|c: char| !c.is_ascii_digit()).unwrap_or(from.len());
        let (digits, after) = from.split_at(length);
        out.push_str(before);
        let in_bracket = before.ends_with('[') && after.starts_with(']');
        let in_time = after.starts_with(':') || before.ends_with(':') && out.ends_with("*:");
        let shifted = digits
            .parse::<u32>()
            .ok()
            .filter(|_| names_line(before))
            .map(|line| if old { moved(line, about) } else { line });
        match shifted {
            Some(line) => out.push_str(&line.to_string()),
            None if in_bracket || in_time || digits.len() > 4 => out.push('*'),
            None => out.push_str(digits),
        }
        rest = after;
    }
    out.push_str(rest);
    out
}

fn names_line(before: &str) -> bool {
    let word = before.trim_end_matches([' ', ':', '(']);
    word.to_lowercase().ends_with("line") || (before.ends_with(':') && word.contains('/'))
}

fn moved(line: u32, about: &Comparison<'_>) -> u32 {
    let mut shifts = about.shifts.iter().flat_map(|(_, shifts)| shifts);
    let by = shifts.rfind(|shift| shift.from <= line).map_or(0, |shift| shift.by);
    u32::try_from(i64::from(line) + by).unwrap_or(line)
}

/// With file and line, where the text names one of our files and a line in it.
fn located(mut finding: Finding, line: &str, about: &Comparison<'_>) -> Finding {
    let file = about.shifts.iter().map(|(file, _)| file).find(|file| line.contains(file.as_str()));
    if let Some(file) = file {
        finding.file = Some(file.clone());
        let number = |text: &str| {
            let text = text.trim_start_matches([':', ' ', '(', '"', '\'']);
            let text = text.strip_prefix("line").map_or(text, str::trim_start);
            text.chars().take_while(char::is_ascii_digit).collect::<String>().parse().ok()
        };
        let behind = line.split_once(file.as_str()).and_then(|(_, after)| number(after));
        finding.line = behind.or_else(|| line.split_once("line ").and_then(|(_, after)| number(after)));
    }
    finding
}

#[cfg(test)]
mod tests {
    use super::*;

    fn run(status: i32, lines: &[&str]) -> CheckerRun {
        let lines = lines.iter().map(|line| (*line).to_owned()).collect();
        CheckerRun { status: Some(status), timed_out: false, flooded: false, lines, printed: Vec::new() }
    }

    #[test]
    fn only_what_is_new_counts() {
        let shifts = [("/etc/x.conf".to_owned(), vec![LineShift { from: 3, by: 1 }])];
        let about = Comparison {
            command: "xd -t",
            shifts: &shifts,
            faults: &["[ERROR]".to_owned()],
            warnings: &[],
            chatter: &[],
            lenient: false,
        };
        let warned = run(0, &["2026-11-23 06:00:01 xd[12345]: /etc/x.conf line 7: old option"]);
        let moved = run(0, &["2026-11-23 06:00:02 xd[12377]: /etc/x.conf line 8: old option"]);
        assert_eq!(compare(&warned, &moved, &about), []);

        let other = run(0, &["2026-11-23 06:00:02 xd[12377]: /etc/x.conf line 9: old option"]);
        let found = compare(&warned, &other, &about);
        assert_eq!((found.len(), found[0].severity, found[0].line), (1, Severity::Warning, Some(9)));

        let text = compare(&run(0, &[]), &run(0, &["[ERROR] bad"]), &about);
        assert_eq!(text[0].severity, Severity::Fault);
        let refused = compare(&run(0, &[]), &run(255, &[]), &about);
        assert_eq!(refused[0].severity, Severity::Fault);
        let both = compare(&run(255, &["same"]), &run(255, &["same"]), &about);
        assert!(both[0].message.contains("as they are"), "{}", both[0].message);
    }
}
