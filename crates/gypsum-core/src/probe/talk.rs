//! What a client and a server say to each other in lines: mail, mailboxes, caches.

use super::expect::{Expect, Mismatch};
use super::kind::Kind;
use super::{BadWords, Probe};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// How a server ends an answer and says what it comes to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Replies {
    /// Three digits, and a blank before the text of the last line (RFC 5321, 4.2).
    #[default]
    Codes,
    /// The first word of what the client said, and OK, NO or BAD behind it (RFC 9051, 7.1).
    Tagged,
    /// One line that begins with a sign: a minus where it is an error. Behind a dollar and a length there is one more line,
    /// with data, which is not kept.
    Signs,
}

/// One answer.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Answer {
    /// Whether the server took what it was told.
    pub taken: bool,
    /// The word that says so: a code, OK, or the word of an error.
    pub word: String,
    /// What the server offers in it.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub offers: BTreeSet<String>,
}

/// A conversation with a server.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Talk {
    /// Where, as `host:port` or the path of a Unix socket.
    pub at: String,
    /// How the server answers.
    pub replies: Replies,
    /// Whether the server speaks first.
    pub greets: bool,
    /// What the client says, one after the other.
    pub says: Vec<String>,
    /// The settings that may change an answer because somebody asked for it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub asked_by: Vec<String>,
    /// The answers from before, which are the measure where there are any.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub before: Vec<Answer>,
    /// Whether the change asks for other answers: then a difference is only said.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_asked_for: bool,
}

/// What a client and a server say to each other in lines.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// Where: `HOST:PORT`, or the path of a Unix socket.
    talk: String,
    /// What the client says, one after the other. It must change nothing.
    #[serde(default)]
    says: Vec<String>,
    /// How the server answers.
    #[serde(default)]
    replies: Replies,
    /// The server speaks first.
    #[serde(default)]
    greets: bool,
    /// The settings that may change an answer because somebody asked for it.
    #[serde(default)]
    asked_by: Vec<String>,
}

impl Kind for Written {
    const WORD: &'static str = "talk";
    const EXAMPLE: &'static str = "talk 127.0.0.1:6379 replies signs says PING";

    fn probe(self, _: Expect) -> Result<(String, Probe), BadWords> {
        let Self { talk: at, says, replies, greets, asked_by } = self;
        if says.is_empty() && !greets {
            return Err(BadWords("one of the two must speak: says, or greets".into()));
        }
        let talk = Talk { at, replies, greets, says, asked_by, before: Vec::new(), is_asked_for: false };
        Ok((format!("talk with {}", talk.at), Probe::Talk(talk)))
    }
}

impl Talk {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        std::iter::once(&mut self.at).chain(&mut self.says).collect()
    }

    /// What each answer is to, in order.
    fn steps(&self) -> impl Iterator<Item = &str> {
        self.greets.then_some("its greeting").into_iter().chain(self.says.iter().map(String::as_str))
    }

    /// What an answer in `lines` comes to; `None` while it is not ended. `told` is what it answers; empty for a greeting.
    pub fn answer(&self, told: &str, lines: &[String]) -> Option<Answer> {
        let last = lines.last()?;
        match self.replies {
            Replies::Codes => {
                let code = last.get(..3).filter(|code| code.bytes().all(|byte| byte.is_ascii_digit()))?;
                if last.as_bytes().get(3) == Some(&b'-') {
                    return None;
                }
                let offers = if told.starts_with("EHLO") { lines.get(1..).unwrap_or_default() } else { &[] };
                Some(Answer {
                    taken: code.starts_with(['1', '2', '3']),
                    word: code.to_owned(),
                    offers: offers
                        .iter()
                        .filter_map(|line| Some(line.get(4..)?.to_uppercase()))
                        .flat_map(words)
                        .collect(),
                })
            }
            Replies::Tagged => {
                // A greeting has a star in place of the client's word.
                let tag = told.split(' ').next().filter(|tag| !tag.is_empty()).unwrap_or("*");
                let rest = last.strip_prefix(tag)?.trim_start();
                let word = rest.split(' ').next().unwrap_or_default().to_uppercase();
                let offered = lines.iter().filter_map(|line| line.strip_prefix("* CAPABILITY "));
                Some(Answer {
                    taken: matches!(word.as_str(), "OK" | "PREAUTH"),
                    word,
                    offers: offered.flat_map(|line| words(line.to_uppercase())).collect(),
                })
            }
            Replies::Signs => {
                let first = lines.first()?;
                let is_whole = !first.starts_with('$') || first == "$-1" || lines.len() > 1;
                // Numbers and data are nobody's business, and change by themselves.
                let word = match first.chars().next() {
                    Some(sign @ (':' | '$')) => sign.to_string(),
                    _ => first.split(' ').next().unwrap_or_default().to_owned(),
                };
                is_whole.then(|| Answer { taken: !first.starts_with('-'), word, offers: BTreeSet::new() })
            }
        }
    }

    /// Judges the answers by those from before, or by themselves where there are none.
    ///
    /// # Errors
    ///
    /// If the server took something before and does not now, says another error than before, or no longer offers a way to
    /// log in or to encrypt; not where the change asks for that. Without answers from before only a greeting must be taken:
    /// what a server refuses may be meant.
    pub fn judge(&self, answers: &[Answer]) -> Result<String, Mismatch> {
        if let Some(first) =
            answers.first().filter(|first| self.greets && self.before.is_empty() && !first.taken)
        {
            return Err(Mismatch(format!("greets with {}", first.word)));
        }
        let mut differs = Vec::new();
        for ((step, now), old) in self.steps().zip(answers).zip(&self.before) {
            match self.difference(step, old, now) {
                Some((said, true)) if !self.is_asked_for => return Err(Mismatch(said)),
                Some((said, _)) => differs.push(said),
                None => {}
            }
        }
        let all = answers.iter().map(|answer| answer.word.as_str()).collect::<Vec<_>>().join(", ");
        Ok(match (self.before.is_empty(), differs.as_slice()) {
            (true, _) => format!("answers {all}"),
            (false, []) => format!("{} answers, all as expected", answers.len()),
            (false, differs) => differs.join("; "),
        })
    }

    /// In what an answer to `step` differs from that before, and whether that is worse.
    fn difference(&self, step: &str, old: &Answer, now: &Answer) -> Option<(String, bool)> {
        let both = || format!("answers {} to {step}, and answered {} before", now.word, old.word);
        if old.taken && !now.taken {
            return Some((both(), true));
        }
        if let Some(lost) = old.offers.difference(&now.offers).find(|word| is_a_way_in(word)) {
            return Some((format!("no longer offers {lost}, which it offered before"), true));
        }
        if now.offers.contains(NO_LOGIN) && !old.offers.contains(NO_LOGIN) {
            return Some(("no longer takes a password here, and took one before".to_owned(), true));
        }
        // Which error a text of signs is says what else would fail; one code stands for many reasons.
        (old.word != now.word).then(|| (both(), self.replies == Replies::Signs && !now.taken))
    }
}

/// What an IMAP server offers that takes no password on this connection (RFC 9051, 6.2.3).
const NO_LOGIN: &str = "LOGINDISABLED";

/// Whether an offer is one that clients need to log in, or to do so unseen.
fn is_a_way_in(word: &str) -> bool {
    word == "STARTTLS" || word.starts_with("AUTH=")
}

/// The words of a line. Behind `AUTH` are ways to log in, behind other words of EHLO their parameters (RFC 4954, 3;
/// RFC 5321, 4.1.1.1), which are words of their own here.
fn words(line: String) -> Vec<String> {
    let mut all = line.split_whitespace();
    match all.next() {
        Some("AUTH") => all.map(|way| format!("AUTH={way}")).collect(),
        first => first.into_iter().chain(all).map(str::to_owned).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn talk(replies: Replies, before: Vec<Answer>) -> Talk {
        let says = vec!["EHLO x".to_owned(), "RCPT TO:<root>".to_owned()];
        Talk { replies, greets: true, says, before, ..Talk::default() }
    }

    fn lines(text: &str) -> Vec<String> {
        text.lines().map(str::to_owned).collect()
    }

    #[test]
    fn answers_end_and_mean_what_their_standards_say() {
        let of = |replies: Replies, told: &str, text: &str| {
            let answer = talk(replies, Vec::new()).answer(told, &lines(text))?;
            let offers: Vec<String> = answer.offers.into_iter().collect();
            Some(format!("{} {} {}", answer.taken, answer.word, offers.join(",")).trim_end().to_owned())
        };
        for (replies, told, text, wanted) in [
            (Replies::Codes, "", "220 quay.example ESMTP", Some("true 220")),
            (Replies::Codes, "", "220-quay.example", None),
            (Replies::Codes, "", "", None),
            (Replies::Codes, "", "hello", None),
            (Replies::Codes, "RCPT TO:<x>", "451 4.3.0 later", Some("false 451")),
            (Replies::Codes, "RCPT TO:<x>", "550", Some("false 550")),
            (
                Replies::Codes,
                "EHLO x",
                "250-quay.example\n250-SIZE 1\n250-AUTH PLAIN LOGIN\n250 starttls",
                Some("true 250 1,AUTH=LOGIN,AUTH=PLAIN,SIZE,STARTTLS"),
            ),
            (Replies::Tagged, "", "* OK [CAPABILITY IMAP4rev1] ready", Some("true OK")),
            (Replies::Tagged, "", "* BYE full", Some("false BYE")),
            (Replies::Tagged, "a CAPABILITY", "* CAPABILITY IMAP4rev1 AUTH=PLAIN", None),
            (
                Replies::Tagged,
                "a CAPABILITY",
                "* CAPABILITY IMAP4rev1 AUTH=PLAIN\na OK done",
                Some("true OK AUTH=PLAIN,IMAP4REV1"),
            ),
            (Replies::Tagged, "a LOGIN", "a NO no", Some("false NO")),
            (Replies::Signs, "PING", "+PONG", Some("true +PONG")),
            (Replies::Signs, "GET a", "$-1", Some("true $")),
            (Replies::Signs, "GET a", "$4", None),
            (Replies::Signs, "GET a", "$4\nkelp", Some("true $")),
            (Replies::Signs, "EXISTS a", ":1", Some("true :")),
            (Replies::Signs, "PING", "-NOAUTH Authentication required.", Some("false -NOAUTH")),
        ] {
            assert_eq!(of(replies, told, text).as_deref(), wanted, "{replies:?} {told:?} {text:?}");
        }
    }

    #[test]
    fn what_was_taken_is_to_be_taken_and_what_else_differs_is_said() {
        let code = |word: &str| Answer {
            taken: !word.starts_with(['4', '5', '-']),
            word: word.into(),
            ..Answer::default()
        };
        let all = |words: [&str; 3]| words.map(code).to_vec();
        let judged = |replies: Replies, before: &[Answer], now: &[Answer]| {
            talk(replies, before.to_vec()).judge(now).map_err(|why| why.0)
        };
        let good = all(["220", "250", "554"]);
        let codes = |now: [&str; 3]| judged(Replies::Codes, &good, &all(now));
        assert_eq!(codes(["220", "250", "554"]), Ok("3 answers, all as expected".into()));
        assert_eq!(
            codes(["220", "451", "554"]),
            Err("answers 451 to EHLO x, and answered 250 before".into())
        );
        assert_eq!(
            codes(["421", "250", "554"]),
            Err("answers 421 to its greeting, and answered 220 before".into())
        );
        let differs = "answers 450 to RCPT TO:<root>, and answered 554 before";
        assert_eq!(codes(["220", "250", "450"]), Ok(differs.into()));
        let open = "answers 250 to RCPT TO:<root>, and answered 554 before";
        assert_eq!(codes(["220", "250", "250"]), Ok(open.into()));
        // Another error of signs says that more would fail.
        let signs = judged(Replies::Signs, &all(["+OK", "+PONG", "-ERR"]), &all(["+OK", "+PONG", "-OOM"]));
        assert_eq!(signs, Err("answers -OOM to RCPT TO:<root>, and answered -ERR before".into()));
        // What was asked for is only said.
        let asked = Talk { is_asked_for: true, ..talk(Replies::Codes, good.clone()) };
        let said = asked.judge(&all(["220", "530", "554"])).map_err(|why| why.0);
        assert_eq!(said, Ok("answers 530 to EHLO x, and answered 250 before".into()));
        // Without a measure a refusal may be meant; a greeting is not.
        assert_eq!(
            judged(Replies::Codes, &[], &all(["220", "554", "554"])),
            Ok("answers 220, 554, 554".into())
        );
        assert_eq!(judged(Replies::Codes, &[], &all(["554", "250", "250"])), Err("greets with 554".into()));
    }

    #[test]
    fn ways_to_log_in_stay_offered() {
        let offers = |words: &str| Answer {
            taken: true,
            word: "250".into(),
            offers: words.split(' ').filter(|word| !word.is_empty()).map(str::to_owned).collect(),
        };
        let judged =
            |was: &str, is: &str| talk(Replies::Codes, vec![offers(was)]).judge(&[offers(is)]).is_ok();
        assert!(judged("STARTTLS AUTH=PLAIN SIZE", "STARTTLS AUTH=PLAIN"));
        assert!(judged("AUTH=PLAIN", "AUTH=PLAIN AUTH=LOGIN"));
        assert!(!judged("STARTTLS SIZE", "SIZE"));
        assert!(!judged("AUTH=PLAIN", ""));
        assert!(!judged("AUTH=PLAIN", "AUTH=PLAIN LOGINDISABLED"));
        assert!(judged("LOGINDISABLED", "LOGINDISABLED"));
    }
}
