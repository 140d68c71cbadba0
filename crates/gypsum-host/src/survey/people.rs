//! People: who types, and who may log in.

use crate::disk::walk::{open_to_read, read_whole};
use gypsum_core::survey::Answer;
use std::io;
use std::path::{Path, PathBuf};
use uzers::os::unix::UserExt;

/// More than this no file of keys has, in bytes.
const MOST_KEYS: usize = 4 << 20;

/// The numbers of accounts of people begin here (login.defs(5), UID_MIN).
const PEOPLE: u32 = 1_000;

/// The account that types, and behind it its groups.
pub fn typist(who: &str) -> Answer {
    let name = who.split([' ', ',']).next().unwrap_or(who);
    // On the machine itself nobody is shut out.
    if name == "root" && crate::who::connection().is_none() {
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

/// Whether an account has a key in one of these files (sshd_config(5), AuthorizedKeysFile). Unknown where one of them
/// cannot be read.
pub fn key(account: &str, files: &str) -> Answer {
    let Some(user) = uzers::get_user_by_name(account) else { return Answer::Unknown };
    let mut is_known = true;
    for pattern in files.split_whitespace() {
        let home = user.home_dir().to_string_lossy();
        let path = pattern.replace("%h", &home).replace("%u", account).replace("%%", "%");
        let path: PathBuf = user.home_dir().join(path);
        match open_to_read(&path).and_then(|file| read_whole(file, MOST_KEYS)) {
            Ok(bytes) => {
                let is_key = |line: &[u8]| !matches!(line.trim_ascii().first(), None | Some(b'#'));
                if bytes.split(|byte| *byte == b'\n').any(is_key) {
                    return Answer::Is(true);
                }
            }
            Err(error) if error.kind() == io::ErrorKind::NotFound => {}
            Err(_) => is_known = false,
        }
    }
    if is_known { Answer::Is(false) } else { Answer::Unknown }
}

/// Whether an account has a password (shadow(5)): one that is locked or empty is none. Unknown where only root may know,
/// or another directory does.
pub fn password(account: &str) -> Answer {
    let Ok(text) = std::fs::read_to_string("/etc/shadow") else { return Answer::Unknown };
    let hash = text.lines().find_map(|line| line.strip_prefix(account)?.strip_prefix(':')?.split(':').next());
    match hash {
        Some(hash) => Answer::Is(!hash.is_empty() && !hash.starts_with(['!', '*'])),
        None => Answer::Unknown,
    }
}
