//! People: who types, and who may log in.

use gypsum_core::survey::Answer;
use std::path::Path;

/// The numbers of accounts of people begin here (login.defs(5), UID_MIN).
const PEOPLE: u32 = 1_000;

/// The account that types, and behind it its groups.
pub fn typist(who: &str) -> Answer {
    let name = who.split([' ', ',']).next().unwrap_or(who);
    // On the machine itself nobody is shut out.
    if name == "root" && std::env::var_os("SSH_CONNECTION").is_none() {
        return Answer::Unknown;
    }
    let Some(user) = uzers::get_user_by_name(name) else { return Answer::Unknown };
    let mut words = vec![name.to_owned()];
    words.extend(groups(&user));
    Answer::Words(words)
}

fn groups(user: &uzers::User) -> Vec<String> {
    let groups = user.groups().unwrap_or_default();
    groups.iter().map(|group| group.name().to_string_lossy().into_owned()).collect()
}

/// The accounts of people that may log in, each with its groups behind it.
pub fn people() -> Answer {
    // Safe to ask in one thread at a time, as here: the library walks the table of accounts.
    let Ok(text) = std::fs::read_to_string("/etc/passwd") else { return Answer::Unknown };
    let mut people = Vec::new();
    for line in text.lines() {
        let fields: Vec<&str> = line.split(':').collect();
        let [name, _, uid, _, _, _, shell] = fields.as_slice() else { continue };
        let ends = ["nologin", "false", "sync"];
        let shuts = Path::new(shell).file_name().is_some_and(|end| ends.iter().any(|word| end == *word));
        if uid.parse::<u32>().is_ok_and(|uid| !(PEOPLE..65_534).contains(&uid)) || shuts {
            continue;
        }
        let Some(user) = uzers::get_user_by_name(name) else { continue };
        people.push(format!("{name} {}", groups(&user).join(" ")));
    }
    Answer::Words(people)
}
