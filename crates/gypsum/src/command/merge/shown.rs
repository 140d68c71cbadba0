//! What a merge shows and asks.

use super::Context;
use crate::ask::{choose, is_interactive};
use crate::out::{BOLD, DIM, WARNING};
use crate::view::{columns, plain_finding_lines, styled, value_text, wrapped};
use gypsum_core::carry::{Answers, Carried, Fate, Question, Versions, Whose, carry};
use gypsum_core::finding::Severity;
use gypsum_core::text::one_line;
use gypsum_host::error::Error;

/// Carries, and asks at a terminal what is open; the answers that were taken, and the result.
pub fn with_answers(
    context: &Context,
    versions: &Versions<'_>,
    mut answers: Answers,
) -> Result<(Answers, Carried), Error> {
    let mut carried = carry(versions, &answers);
    if context.yes || context.out.json || !is_interactive() {
        return Ok((answers, carried));
    }
    while let Some(question) = carried.questions.iter().find(|question| question.answered.is_none()) {
        let address = question.address.clone();
        answers.by_address.insert(address, asked(context, question)?);
        carried = carry(versions, &answers);
    }
    Ok((answers, carried))
}

/// One question, at the terminal. The default comes first.
fn asked(context: &Context, question: &Question) -> Result<Whose, Error> {
    question_lines(context, question).iter().for_each(|line| context.out.eprint(line));
    let text = |whose: Whose| match whose {
        Whose::Mine => ('m', "mine"),
        Whose::Theirs => ('t', "theirs"),
        Whose::Both => ('b', "both: a list with the words of both"),
    };
    let mut order = vec![question.default];
    order.extend(question.answers.iter().copied().filter(|one| *one != question.default));
    let choices: Vec<(char, &str)> = order.iter().map(|whose| text(*whose)).collect();
    let letter = choose(&format!("Which {}?", question.address), &choices)?;
    let chosen = letter.and_then(|letter| order.iter().find(|whose| text(**whose).0 == letter));
    chosen.copied().ok_or_else(|| Error::cannot("it was interrupted; nothing was changed"))
}

/// What came of a merge, as lines.
pub fn lines(context: &Context, file: &str, carried: &Carried) -> Vec<String> {
    let width = context.out.width;
    let count = |fate: Fate| carried.settled.iter().filter(|one| one.fate == fate).count();
    let kept = count(Fate::Carried) + count(Fate::Moved) + count(Fate::Renamed) + count(Fate::TakenOut);
    let mut out = vec![styled(BOLD, file)];
    let say = match (kept, count(Fate::Same)) {
        (0, 0) => "  nothing of yours had to be carried over".to_owned(),
        (kept, 0) => format!("  {kept} of your changes are on the new version"),
        (kept, same) => format!("  {kept} of your changes are on the new version; {same} more it has itself"),
    };
    out.push(say);
    let rows: Vec<Vec<String>> = carried
        .settled
        .iter()
        .map(|one| {
            let value = one.value.as_deref().map(one_line);
            vec![format!("  {}", word(one.fate)), one.address.clone(), value.unwrap_or_default()]
        })
        .collect();
    out.extend(columns(&rows, &[14, 40, 200]));
    for question in &carried.questions {
        out.push(String::new());
        out.extend(question_lines(context, question));
        let taken = question.taken().word();
        let can: Vec<&str> = question.answers.iter().map(|one| one.word()).collect();
        match question.answered {
            Some(_) => out.push(format!("  taken    {taken}")),
            None => {
                out.push(format!("  taken    {taken}, until it is answered"));
                out.push(styled(DIM, &format!("  --answer '{}={}'", question.address, can.join("|"))));
            }
        }
    }
    if !carried.findings.is_empty() {
        out.push(String::new());
    }
    for finding in &carried.findings {
        out.extend(plain_finding_lines(finding, context.out));
    }
    let open = carried.questions.iter().filter(|question| question.answered.is_none()).count();
    let known = carried.findings.iter().filter(|finding| finding.severity > Severity::Hint).count();
    out.push(String::new());
    let end = match (open, known) {
        (0, 0) => "nothing is open".to_owned(),
        (1, _) => "1 question is open".to_owned(),
        (0, _) => "a person has to look at what is said above".to_owned(),
        (open, _) => format!("{open} questions are open"),
    };
    out.extend(wrapped(&end, width));
    out
}

/// A question: what it is about, and the three values.
fn question_lines(context: &Context, question: &Question) -> Vec<String> {
    let width = context.out.width;
    let line = question.line.map_or_else(String::new, |line| format!(" (line {line})"));
    let head = format!("{}{line}: {}", question.address, question.why);
    let mut lines = wrapped(&head, width);
    if let Some(first) = lines.first_mut() {
        *first = first.replacen(&question.address, &styled(WARNING, &question.address), 1);
    }
    for (name, one) in [("shipped", &question.base), ("mine", &question.mine), ("theirs", &question.theirs)] {
        let text = wrapped(&value_text(one.as_ref()), width.saturating_sub(11));
        for (n, text) in text.into_iter().enumerate() {
            lines.push(format!("  {:<8} {text}", if n == 0 { name } else { "" }));
        }
    }
    lines
}

fn word(fate: Fate) -> &'static str {
    match fate {
        Fate::Carried => "carried",
        Fate::Same => "the same",
        Fate::Renamed => "renamed",
        Fate::Moved => "moved",
        Fate::TakenOut => "taken out",
        Fate::LeftOut => "left out",
    }
}
