//! Our own check of a daemon's files: what the format, the kinds of values and the rules say.

use crate::doc::{Family, Kind, LeafId};
use crate::edit::File;
use crate::finding::{Finding, Severity};
use crate::rules::{ChangeRules, ConfigView, Leaf, StandingRules, as_if_new};
use crate::survey::Survey;
use crate::text::{Span, line_span};
use crate::witness::why_malformed;
use std::collections::HashSet;

/// All findings in a configuration as it is.
pub fn check(config_view: &ConfigView<'_>) -> Vec<Finding> {
    Checking::of(*config_view).round(config_view.survey)
}

/// A check that goes on as the host answers: what lacked no answer is not looked at again.
pub struct Checking<'a> {
    broken: Vec<Finding>,
    rules: StandingRules<'a>,
}

impl<'a> Checking<'a> {
    /// The check of `config_view`.
    pub fn of(config_view: ConfigView<'a>) -> Self {
        let broken = config_view.files.iter().flat_map(broken_ones).collect();
        Self { broken, rules: StandingRules::of(config_view) }
    }

    /// All findings, where so much of the host is known.
    pub fn round(&mut self, survey: &Survey) -> Vec<Finding> {
        let mut findings = self.broken.clone();
        findings.extend(self.rules.round(survey));
        findings
    }
}

/// A check of files by themselves that goes on as the host answers: what a change to them would find, too.
pub struct CheckingFiles<'a> {
    checking: Checking<'a>,
    config_view: ConfigView<'a>,
    as_if_new: Option<Vec<Finding>>,
}

impl<'a> CheckingFiles<'a> {
    /// The check of `config_view`.
    pub fn of(config_view: ConfigView<'a>) -> Self {
        Self { as_if_new: None, config_view, checking: Checking::of(config_view) }
    }

    /// All findings, where so much of the host is known.
    pub fn round(&mut self, survey: &Survey) -> Vec<Finding> {
        let mut findings = self.checking.round(survey);
        let as_if_new = self.as_if_new(survey);
        let more = as_if_new.into_iter().filter(|new| !findings.iter().any(|known| known.same_as(new)));
        let more: Vec<Finding> = more.collect();
        findings.extend(more);
        findings
    }

    fn as_if_new(&mut self, survey: &Survey) -> Vec<Finding> {
        if let Some(said) = &self.as_if_new {
            return said.clone();
        }
        let mut findings = Vec::new();
        let config_view = ConfigView { survey, ..self.config_view };
        if !survey.lacked_by(|| findings = as_if_new(&config_view)) {
            self.as_if_new = Some(findings.clone());
        }
        findings
    }
}

/// A check of a change that goes on as the host answers.
pub struct CheckingChange<'a> {
    before: Checking<'a>,
    after: Checking<'a>,
    changed_statements: &'a HashSet<Leaf>,
    rules: ChangeRules,
}

impl<'a> CheckingChange<'a> {
    /// The check of a change from `before` to `after`, of which `changed_statements` are the new statements.
    pub fn of(before: ConfigView<'a>, after: ConfigView<'a>, changed_statements: &'a HashSet<Leaf>) -> Self {
        Self {
            before: Checking::of(before),
            after: Checking::of(ConfigView { changed_statements: Some(changed_statements), ..after }),
            changed_statements,
            rules: ChangeRules::default(),
        }
    }

    /// What there is to say, the worst first, where so much of the host is known. What stood there before is
    /// somebody's decision, and not for this change to mend: of that, faults become warnings, and the rest is left out.
    pub fn round(&mut self, survey: &Survey) -> Vec<Finding> {
        let mut findings = only_new(&self.before.round(survey), self.after.round(survey));
        findings.extend(self.rules.round(
            &self.before.rules,
            &self.after.rules,
            self.changed_statements,
            survey,
        ));
        worst_first(&mut findings);
        findings
    }

    /// What there is to say of putting `after` back: nobody asked for anything new, so nothing of it refuses.
    pub fn round_of_return(&mut self, survey: &Survey) -> Vec<Finding> {
        let mut findings = only_new(&self.before.round(survey), self.after.round(survey));
        for finding in findings.iter_mut().filter(|finding| finding.rule != "broken") {
            finding.severity = finding.severity.min(Severity::Warning);
        }
        worst_first(&mut findings);
        findings
    }
}

/// What is new in `after`; of the rest, the faults as warnings.
pub fn only_new(before: &[Finding], after: Vec<Finding>) -> Vec<Finding> {
    let soften = |mut finding: Finding| {
        if !before.iter().any(|old| old.same_as(&finding)) {
            return Some(finding);
        }
        if finding.severity < Severity::Fault {
            return None;
        }
        finding.severity = Severity::Warning;
        finding.message = format!("{} (it was there before)", finding.message);
        Some(finding)
    };
    after.into_iter().filter_map(soften).collect()
}

/// The worst first; what is equally bad in the order of the files.
pub fn worst_first(findings: &mut [Finding]) {
    findings.sort_by_key(|finding| std::cmp::Reverse(finding.severity));
}

/// The lines of a file that cannot be read as its format.
pub fn broken_ones(file: &File) -> Vec<Finding> {
    let doc = &file.doc;
    let broken: Vec<LeafId> = doc.tree().broken().collect();
    if !broken.is_empty() {
        let message = format!("this line cannot be read{}", why_malformed(doc));
        return broken.iter().map(|leaf| broken_one(file, *leaf, &message)).collect();
    }
    // A file that is empty has no line that could be broken.
    let why = if doc.source().is_empty() { why_malformed(doc) } else { String::new() };
    if why.is_empty() {
        return Vec::new();
    }
    let message = format!("the file is empty, which is no {}{why}", doc.family().name());
    vec![Finding::fault("broken", message).in_file(&file.path)]
}

/// What a file says that no address leads to: keys of YAML that are written with `?` (YAML 1.2.2, 8.2.2).
pub fn unlisted_ones(file: &File) -> Vec<Finding> {
    let doc = &file.doc;
    let is_key = |span: Span| {
        doc.family() == Family::Yaml && span.of(doc.source()).trim_ascii_start().starts_with(b"?")
    };
    let keys = doc.tree().leaves().filter(|(_, kind, span)| *kind == Kind::Opaque && is_key(*span));
    let message = "a key that is written with `?` cannot be shown or edited by itself";
    keys.map(|(leaf, ..)| Finding::new("not-listed", Severity::Hint, message).at(&file.path, doc, leaf))
        .collect()
}

fn broken_one(file: &File, leaf: LeafId, message: &str) -> Finding {
    let doc = &file.doc;
    let line = line_span(doc.source(), doc.tree().span(leaf).start as usize).of(doc.source());
    let indent = line.iter().take_while(|byte| byte.is_ascii_whitespace());
    let help = match doc.family() {
        Family::Yaml if indent.copied().any(|byte| byte == b'\t') => {
            "the line is indented with a tab, and YAML takes blanks alone; correct it in an editor: gypsum edit"
        }
        family if family.is_standard() => {
            "correct it in an editor: gypsum edit; until then no setting of this file can be edited"
        }
        _ => "correct or remove the line; edits elsewhere do not touch it",
    };
    Finding::fault("broken", message).at(&file.path, &file.doc, leaf).help(help)
}
