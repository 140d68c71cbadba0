//! What a client and a server say to each other in lines: mail, mailboxes, caches.

use super::answer::{Answer, Grade};
use super::expect::Expect;
use super::kind::Kind;
use super::{BadWords, Probe};
use serde::{Deserialize, Serialize};

/// How a server ends an answer, and marks success or failure.
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
    /// What of it is to be refused.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub refuses: Vec<String>,
}

/// What a client and a server say to each other in lines.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// Where: `HOST:PORT`, or the path of a Unix socket.
    talk: String,
    /// What the client says, one after the other. It must change nothing. A line with `{each of NAME NAME}` is said for
    /// each word of these settings, six times at most.
    #[serde(default)]
    says: Vec<String>,
    /// What of it a client from elsewhere is to be refused.
    #[serde(default)]
    refuses: Vec<String>,
    /// How the server answers.
    #[serde(default)]
    replies: Replies,
    /// The server speaks first.
    #[serde(default)]
    greets: bool,
}

impl Kind for Written {
    const WORD: &'static str = "talk";
    const EXAMPLE: &'static str = "talk 127.0.0.1:6379 replies signs says PING";

    fn probe(self, _: Expect) -> Result<(String, Probe), BadWords> {
        let Self { talk: at, says, refuses, replies, greets } = self;
        if says.is_empty() && !greets {
            return Err(BadWords("one of the two must speak: says, or greets".into()));
        }
        let talk = Talk { at, replies, greets, says, refuses };
        Ok((format!("talk with {}", talk.at), Probe::Talk(talk)))
    }
}

impl Talk {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        std::iter::once(&mut self.at).chain(&mut self.says).collect()
    }

    /// What an answer in `lines` comes to; `None` while it is not ended. `told` is what it answers; empty for a greeting.
    pub fn answer(&self, told: &str, lines: &[String]) -> Option<Answer> {
        let answer = self.plain_answer(told, lines)?;
        Some(Answer { is_guard: self.refuses.iter().any(|line| line == told), ..answer })
    }

    fn plain_answer(&self, told: &str, lines: &[String]) -> Option<Answer> {
        let last = lines.last()?;
        let to = if told.is_empty() { "its greeting" } else { told };
        match self.replies {
            Replies::Codes => {
                let code = last.get(..3).filter(|code| code.bytes().all(|byte| byte.is_ascii_digit()))?;
                if last.as_bytes().get(3) == Some(&b'-') {
                    return None;
                }
                let grade = match code.as_bytes()[0] {
                    b'1'..=b'3' => Grade::Served,
                    // Whoever refuses to greet serves nobody.
                    _ if told.is_empty() => Grade::Failed,
                    _ => Grade::Refused,
                };
                let mut answer = Answer::new(to, grade, code);
                let offers = if told.starts_with("EHLO") { lines.get(1..).unwrap_or_default() } else { &[] };
                let offers = offers.iter().filter_map(|line| Some(line.get(4..)?.to_uppercase()));
                sort(offers.flat_map(words), &mut answer);
                Some(answer)
            }
            Replies::Tagged => {
                // A greeting has a star in place of the client's word.
                let tag = told.split(' ').next().filter(|tag| !tag.is_empty()).unwrap_or("*");
                let rest = last.strip_prefix(tag)?.trim_start();
                let word = rest.split(' ').next().unwrap_or_default().to_uppercase();
                let grade = match word.as_str() {
                    "OK" | "PREAUTH" => Grade::Served,
                    _ if told.is_empty() => Grade::Failed,
                    _ => Grade::Refused,
                };
                let mut answer = Answer::new(to, grade, word);
                let offered = lines.iter().filter_map(|line| line.strip_prefix("* CAPABILITY "));
                sort(offered.flat_map(|line| words(line.to_uppercase())), &mut answer);
                let is_list = !answer.offers.is_empty() || !answer.ways.is_empty();
                if is_list && !answer.offers.remove(NO_LOGIN) {
                    answer.ways.insert(LOGIN.to_owned());
                }
                Some(answer)
            }
            Replies::Signs => {
                let first = lines.first()?;
                let is_whole = !first.starts_with('$') || first == "$-1" || lines.len() > 1;
                // Numbers and data are nobody's business, and change by themselves.
                let word = match first.chars().next() {
                    Some(sign @ (':' | '$')) => sign.to_string(),
                    _ => first.split(' ').next().unwrap_or_default().to_owned(),
                };
                let grade = match word.as_str() {
                    // What is asked wrongly, or without a right to it. Other errors say that more would fail.
                    "-ERR" | "-NOAUTH" | "-NOPERM" | "-WRONGPASS" => Grade::Refused,
                    word if word.starts_with('-') => Grade::Failed,
                    _ => Grade::Served,
                };
                is_whole.then(|| Answer::new(to, grade, word))
            }
        }
    }
}

/// Sorts what a server offers by whether clients need it.
fn sort(offers: impl Iterator<Item = String>, answer: &mut Answer) {
    for offer in offers {
        let side = if is_a_way_in(&offer) { &mut answer.ways } else { &mut answer.offers };
        side.insert(offer);
    }
}

/// How it is called that a server takes passwords on this connection.
const LOGIN: &str = "a login by password";
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

    #[test]
    fn answers_end_and_mean_what_their_standards_say() {
        let of = |replies: Replies, told: &str, text: &str| {
            let talk = Talk { replies, ..Talk::default() };
            let lines: Vec<String> = text.lines().map(str::to_owned).collect();
            let answer = talk.answer(told, &lines)?;
            let all = |set: std::collections::BTreeSet<String>| set.into_iter().collect::<Vec<_>>().join(",");
            let (ways, offers) = (all(answer.ways), all(answer.offers));
            Some(format!("{:?} {} {ways} {offers}", answer.grade, answer.word).trim_end().to_owned())
        };
        for (replies, told, text, wanted) in [
            (Replies::Codes, "", "220 quay.example ESMTP", Some("Served 220")),
            (Replies::Codes, "", "220-quay.example", None),
            (Replies::Codes, "", "", None),
            (Replies::Codes, "", "hello", None),
            (Replies::Codes, "", "554 no", Some("Failed 554")),
            (Replies::Codes, "RCPT TO:<x>", "451 4.3.0 later", Some("Refused 451")),
            (Replies::Codes, "RCPT TO:<x>", "550", Some("Refused 550")),
            (
                Replies::Codes,
                "EHLO x",
                "250-quay.example\n250-SIZE 1\n250-AUTH PLAIN LOGIN\n250 starttls",
                Some("Served 250 AUTH=LOGIN,AUTH=PLAIN,STARTTLS 1,SIZE"),
            ),
            (Replies::Tagged, "", "* OK [CAPABILITY IMAP4rev1] ready", Some("Served OK")),
            (Replies::Tagged, "", "* BYE full", Some("Failed BYE")),
            (Replies::Tagged, "a CAPABILITY", "* CAPABILITY IMAP4rev1 AUTH=PLAIN", None),
            (
                Replies::Tagged,
                "a CAPABILITY",
                "* CAPABILITY IMAP4rev1 AUTH=PLAIN\na OK done",
                Some("Served OK AUTH=PLAIN,a login by password IMAP4REV1"),
            ),
            (
                Replies::Tagged,
                "a CAPABILITY",
                "* CAPABILITY IMAP4rev1 LOGINDISABLED\na OK done",
                Some("Served OK  IMAP4REV1"),
            ),
            (Replies::Tagged, "a LOGIN", "a NO no", Some("Refused NO")),
            (Replies::Signs, "PING", "+PONG", Some("Served +PONG")),
            (Replies::Signs, "GET a", "$-1", Some("Served $")),
            (Replies::Signs, "GET a", "$4", None),
            (Replies::Signs, "GET a", "$4\nkelp", Some("Served $")),
            (Replies::Signs, "EXISTS a", ":1", Some("Served :")),
            (Replies::Signs, "SETEX a 0 x", "-ERR invalid", Some("Refused -ERR")),
            (Replies::Signs, "PING", "-NOAUTH Authentication required.", Some("Refused -NOAUTH")),
            (Replies::Signs, "SETEX a 0 x", "-OOM command not allowed", Some("Failed -OOM")),
        ] {
            assert_eq!(of(replies, told, text).as_deref(), wanted, "{replies:?} {told:?} {text:?}");
        }
    }
}
