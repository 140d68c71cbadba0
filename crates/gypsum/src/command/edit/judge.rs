//! What is found in a proposal, and what the person wants to do about it.

use super::{Editing, Next};
use crate::args::OnFinding;
use crate::ask::{choose, is_interactive};
use crate::out::DIM;
use crate::view::{coloured, difference, finding_lines, styled, wrapped};
use gypsum_core::event::Event;
use gypsum_core::finding::{Finding, Severity};
use gypsum_core::merge::Conflict;
use gypsum_host::drafts::Draft;
use gypsum_host::error::Error;
use gypsum_host::run::Observer;
use std::collections::BTreeSet;

impl Editing<'_> {
    /// Our own check and the daemon's, before anything is live; and the choice, where they find something.
    pub(super) fn judged(&mut self, proposal: &[u8]) -> Result<Next, Error> {
        let mut seen = Seen::default();
        let request = self.request_of(proposal.to_vec(), true)?;
        gypsum_host::run::change(self.world, &self.context.state, &mut seen, request);
        let accepted = |finding: &&Finding| !self.options.accept.contains(&finding.rule);
        let open: Vec<&Finding> = seen.findings.iter().filter(accepted).collect();
        if open.is_empty() {
            return Ok(Next::Live(self.options.accept.clone()));
        }
        let out = self.context.out;
        for finding in &seen.findings {
            finding_lines(finding, out).iter().for_each(|line| out.eprint(line));
            out.eprint("");
        }
        let first = open.iter().find(|finding| finding.file.as_deref() == self.name.to_str());
        self.line = first.and_then(|finding| finding.line).or(self.line);
        // Warnings can be gone past; a fault has to be named on the command line by who knows better.
        let passable = open.iter().all(|finding| finding.severity != Severity::Fault) && !self.options.strict;
        let mut rules: Vec<String> = open.iter().map(|finding| finding.rule.clone()).collect();
        rules.sort();
        rules.dedup();
        let with_rules = || [self.options.accept.clone(), rules.clone()].concat();
        if !is_interactive() {
            return Ok(match self.asked.on_finding {
                Some(OnFinding::Again) => Next::Again,
                Some(OnFinding::GoOn) if passable => Next::Live(with_rules()),
                _ => Next::Leave,
            });
        }
        let in_spite = format!("go on in spite of {}", rules.join(", "));
        let mut choices = vec![('e', "edit again"), ('d', "see the difference")];
        if passable {
            choices.push(('g', in_spite.as_str()));
        }
        choices.push(('l', "leave it; it is kept as a draft"));
        let name = self.name.display().to_string();
        let question = format!("{name}: {}. What to do?", counted(&open, &name));
        let question = wrapped(&question, out.width).join("\n");
        loop {
            match choose(&question, &choices)? {
                Some('e') => return Ok(Next::Again),
                Some('g') => return Ok(Next::Live(with_rules())),
                Some('d') => self.difference(&self.live()?, proposal),
                _ => return Ok(Next::Leave),
            }
        }
    }

    /// Where two people changed the same; from here on it is a proposal against the file as it is.
    pub(super) fn touched(&mut self, draft: &Draft, conflicts: &[Conflict]) -> Result<Next, Error> {
        let out = self.context.out;
        let name = self.name.display();
        out.eprint(&format!("{name} was changed by another process meanwhile, in the same places:"));
        for conflict in conflicts {
            for (whose, text) in [("theirs", &conflict.theirs), ("yours", &conflict.ours)] {
                let text = if text.is_empty() { "(nothing)\n" } else { text };
                for (n, line) in text.lines().enumerate() {
                    let lead =
                        if n == 0 { format!("line {:<6}{whose:<8}", conflict.line) } else { " ".repeat(19) };
                    out.eprint(&format!("  {}{line}", styled(DIM, &lead)));
                }
            }
        }
        self.line = conflicts.first().map(|conflict| conflict.line);
        let chosen = match is_interactive() {
            true => choose(
                &format!("What to do with {name}?"),
                &[
                    ('e', "edit again; what you then write takes the place of theirs"),
                    ('l', "leave it; it is kept as a draft"),
                ],
            )?,
            false => None,
        };
        if chosen != Some('e') {
            return Ok(Next::Leave);
        }
        draft.rebase(&self.live()?, &draft.proposal()?)?;
        Ok(Next::Again)
    }

    fn difference(&self, live: &[u8], proposal: &[u8]) {
        let name = self.real.display().to_string();
        for line in difference(Some(&self.profile), &name, live, proposal, &[]) {
            self.context.out.eprint(&coloured(&line));
        }
    }
}

/// More lines than these are not named in a question.
const LINES: usize = 5;

/// How many findings there are of each kind, and at which lines of the file: `1 fault (line 12), 2 warnings (lines 3, 9)`.
fn counted(findings: &[&Finding], file: &str) -> String {
    let of = |severity: Severity| {
        let these = || findings.iter().filter(|finding| finding.severity == severity);
        let here = these().filter(|finding| finding.file.as_deref() == Some(file));
        let lines: BTreeSet<u32> = here.filter_map(|finding| finding.line).collect();
        let mut named: Vec<String> = lines.iter().take(LINES).map(u32::to_string).collect();
        if lines.len() > LINES {
            named.push("...".to_owned());
        }
        let at = match lines.len() {
            0 => String::new(),
            1 => format!(" (line {})", named.concat()),
            _ => format!(" (lines {})", named.join(", ")),
        };
        let (count, word) = (these().count(), severity.word());
        let many = if count == 1 { "" } else { "s" };
        (count > 0).then(|| format!("{count} {word}{many}{at}"))
    };
    let kinds = [Severity::Fault, Severity::Warning, Severity::Hint];
    kinds.into_iter().filter_map(of).collect::<Vec<_>>().join(", ")
}

/// What a check had to say.
#[derive(Default)]
struct Seen {
    findings: Vec<Finding>,
}

impl Observer for Seen {
    fn on_event(&mut self, event: &Event) {
        if let Event::Found { finding } = event {
            self.findings.push(finding.clone());
        }
    }

    fn confirm(&mut self) -> bool {
        // It only tries: nothing goes live.
        true
    }
}
