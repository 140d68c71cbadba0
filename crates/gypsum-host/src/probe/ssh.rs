//! The ways in that an SSH server offers, and whether a key or a password lets somebody in: asked with the host's own
//! client. A look is one connection, and leaves no failed login: without a key or a password that somebody named, the
//! client only asks.

use super::ProbeError;
use super::stream::Stream;
use crate::children;
use crate::disk::walk::{open_to_read, read_whole};
use crate::scratch::Scratch;
use crate::survey::password_lets_in;
use gypsum_core::probe::{Answer, Grade, Ssh, SshAnswer};
use std::fs;
use std::io::{BufRead, BufReader, Read};
use std::net::IpAddr;
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::time::Duration;

const CLIENT: &str = "/usr/bin/ssh";
/// More than this no file with a public key has, in bytes.
const MOST_KEY: usize = 1 << 20;
/// Greetings are not longer than this, in bytes.
const MOST_GREETING: u64 = 16 << 10;
/// The ways in for which a password is typed (ssh_config(5), PreferredAuthentications).
const BY_PASSWORD: [&str; 2] = ["password", "keyboard-interactive"];
/// What the client says when a server takes a key that it was only asked about.
const TAKEN: &str = "Server accepts key:";

pub fn probe(ssh: &Ssh, limit: Duration) -> Result<String, ProbeError> {
    if ssh.asks_password {
        return Err(ProbeError::from("no password was typed: gypsum health asks for it, at a terminal"));
    }
    let (said, ran) = match (&ssh.key, ssh.accepts.as_ref().or(ssh.rejects.as_ref()), &ssh.password_file) {
        (Some(key), ..) => with_key(ssh, key, limit)?,
        (_, Some(key), _) => with_public_key(ssh, key, limit)?,
        (.., Some(file)) => with_password(ssh, file, limit)?,
        (None, None, None) => {
            (None, client(ssh, limit, &["PreferredAuthentications=none", "PubkeyAuthentication=no"], &[])?)
        }
    };
    let ways = match offered(&ran) {
        Some(ways) => ways,
        // It let the person in: then it did not say what else it takes.
        None if said.is_some() => return said.ok_or_else(|| ran.last_words().into()),
        None if ran.ok() => vec!["none".to_owned()],
        None => return Err(ran.last_words().into()),
    };
    let list = ways.join(",");
    let has = |way: &str| ways.iter().any(|one| one == way);
    if let Some(way) = ssh.offers.as_ref().filter(|way| !has(way)) {
        return Err(format!("offers {list}, expected {way} among them").into());
    }
    let withheld = ssh.withholds.as_deref().filter(|way| !BY_PASSWORD.contains(way));
    if let Some(way) = withheld.filter(|way| has(way)) {
        return Err(format!("offers {list}, expected {way} not among them").into());
    }
    if ssh.refused || ssh.withholds.as_ref().is_some_and(|way| BY_PASSWORD.contains(&way.as_str())) {
        return no_password(ssh, &ways, said);
    }
    Ok(said.unwrap_or_else(|| format!("offers {list}")))
}

/// What the server offers to whoever knows no secret: the whole exchange of keys in one connection.
///
/// # Errors
///
/// If the client and the server cannot agree, or there is no server.
pub fn answers(ssh: &Ssh, limit: Duration) -> Result<Vec<Answer>, ProbeError> {
    if !Path::new(CLIENT).exists() {
        return greeting(ssh, limit);
    }
    let options = ["PreferredAuthentications=none", "PubkeyAuthentication=no", "LogLevel=DEBUG2"];
    let ran = client(ssh, limit, &options, &[])?;
    if ran.err.contains(PENALTY) {
        return Err(ProbeError::Penalty);
    }
    let last = ran.err.lines().rev().find(|line| !line.starts_with("debug") && !line.trim().is_empty());
    let ways = match offered(&ran) {
        Some(ways) => ways,
        None if ran.ok() => vec!["none".to_owned()],
        None => return Err(last.unwrap_or("the client says nothing").trim().into()),
    };
    let mut seen = SshAnswer { ways, ..SshAnswer::default() };
    let mut is_peer = false;
    for line in ran.err.lines() {
        let Some((_, said)) = line.split_once(": ").filter(|(level, _)| level.starts_with("debug")) else {
            continue;
        };
        if let Some(key) = said.strip_prefix("Server host key: ") {
            seen.host_key = Some(key.trim().to_owned());
        }
        is_peer = is_peer && !said.starts_with("local ") || said.starts_with("peer server KEXINIT");
        let Some((list, names)) = said.split_once(": ").filter(|_| is_peer) else { continue };
        if let Some((_, what)) = LISTS.iter().find(|(known, _)| *known == list) {
            seen.algorithms.extend(names.trim().split(',').map(|name| format!("{what} {name}")));
        }
    }
    Ok(vec![ssh.compared(seen)])
}

/// The lists of algorithms as the client shows them, and what they are for.
const LISTS: [(&str, &str); 4] = [
    ("KEX algorithms", "key exchange"),
    ("host key algorithms", "host key type"),
    ("ciphers stoc", "cipher"),
    ("MACs stoc", "MAC"),
];
/// What a server says to an address that came too often (sshd_config(5), PerSourcePenalties).
const PENALTY: &str = "Not allowed at this time";

/// Without a client on this host, the version of the protocol that the server greets with (RFC 4253, 4.2).
fn greeting(ssh: &Ssh, limit: Duration) -> Result<Vec<Answer>, ProbeError> {
    let stream = Stream::to(&ssh.at, limit)?;
    stream.wait_at_most(limit).map_err(ProbeError::io)?;
    let mut said = Vec::new();
    let mut reader = BufReader::new(stream.take(MOST_GREETING));
    while reader.read_until(b'\n', &mut said).map_err(ProbeError::io)? > 0 {
        let text = String::from_utf8_lossy(&said).into_owned();
        if text.starts_with(PENALTY) {
            return Err(ProbeError::Penalty);
        }
        if let Some(version) = text.strip_prefix("SSH-") {
            let version = version.split('-').next().unwrap_or_default();
            return Ok(vec![Answer::new("a new connection", Grade::Served, format!("SSH-{version}"))]);
        }
        said.clear();
    }
    Err("closes the connection without a greeting".into())
}

/// Whether no password lets the user in. A server offers a password to root though it will take none, so what it offers
/// alone does not tell.
fn no_password(ssh: &Ssh, ways: &[String], said: Option<String>) -> Result<String, ProbeError> {
    let user = &ssh.user;
    let Some(way) = ways.iter().find(|way| BY_PASSWORD.contains(&way.as_str())) else {
        return Ok(said.unwrap_or_else(|| format!("offers {}", ways.join(","))));
    };
    let before = said.map_or(String::new(), |said| format!("{said}, and "));
    match address(ssh).and_then(|address| password_lets_in(user, address)) {
        Some(false) => Ok(format!("{before}offers {way}, by which {user} cannot log in")),
        Some(true) => Err(format!("{before}offers {way}, by which {user} can log in").into()),
        None => Err(format!("{before}offers {way}; whether {user} can log in by it is not known").into()),
    }
}

/// The address that is connected to, where it is one of this host: of other hosts the configuration is not known here.
fn address(ssh: &Ssh) -> Option<IpAddr> {
    let (host, _) = host_and_port(ssh);
    let address: IpAddr = if host == "localhost" { [127, 0, 0, 1].into() } else { host.parse().ok()? };
    std::net::UdpSocket::bind((address, 0)).is_ok().then_some(address)
}

fn host_and_port(ssh: &Ssh) -> (&str, &str) {
    match ssh.at.rsplit_once(':') {
        Some((host, port)) if port.parse::<u16>().is_ok() => (host.trim_matches(['[', ']']), port),
        _ => (ssh.at.as_str(), "22"),
    }
}

/// The client on this server, knowing nothing of the person's own settings, keys and known hosts; `env` are variables
/// that it gets.
fn client(ssh: &Ssh, limit: Duration, more: &[&str], env: &[String]) -> Result<children::Ran, ProbeError> {
    let (host, port) = host_and_port(ssh);
    let timeout = format!("ConnectTimeout={}", limit.as_secs().max(1));
    // Of several values of an option the client takes the first one.
    let options = [
        "BatchMode=yes",
        "LogLevel=ERROR",
        "StrictHostKeyChecking=no",
        "UserKnownHostsFile=/dev/null",
        "GlobalKnownHostsFile=/dev/null",
        "IdentityAgent=none",
        "ControlPath=none",
        &timeout,
    ];
    let env = env.iter().map(String::as_str);
    let mut argv: Vec<&str> = std::iter::once("/usr/bin/env").chain(env).collect();
    argv.extend([CLIENT, "-F", "none", "-p", port, "-l", &ssh.user]);
    argv.extend(more.iter().chain(&options).flat_map(|option| ["-o", option]));
    argv.extend(["--", host, "true"]);
    let argv: Vec<String> = argv.into_iter().map(str::to_owned).collect();
    let ran = children::run_interruptible(&argv, limit)
        .map_err(|source| ProbeError::NotRun { program: CLIENT.to_owned(), source })?;
    if ran.timed_out { Err(ProbeError::TimedOut(limit)) } else { Ok(ran) }
}

/// The ways in that a server names when it lets nobody in by what it was shown.
fn offered(ran: &children::Ran) -> Option<Vec<String>> {
    let list =
        ran.err.lines().find_map(|line| line.split_once("Permission denied (").map(|(_, list)| list))?;
    Some(list.trim_end_matches([')', '.', '\r']).split(',').map(str::to_owned).collect())
}

/// What is said of a try, and the try; nothing is said yet where what the server offers decides.
type Tried = (Option<String>, children::Ran);

fn with_key(ssh: &Ssh, key: &str, limit: Duration) -> Result<Tried, ProbeError> {
    let identity = format!("IdentityFile={key}");
    let options = ["PreferredAuthentications=publickey", "IdentitiesOnly=yes", &identity];
    let ran = client(ssh, limit, &options, &[])?;
    let user = &ssh.user;
    match (ran.ok(), ssh.refused) {
        (true, false) => Ok((Some(format!("lets {user} in")), ran)),
        (true, true) => Err(format!("lets {user} in, expected that it does not").into()),
        (false, true) if offered(&ran).is_some() => {
            Ok((Some(format!("refuses this key of {user}, as expected")), ran))
        }
        (false, _) if ran.last_words().is_empty() => {
            Err(format!("takes the key of {user}, and closes the connection").into())
        }
        (false, _) => Err(ran.last_words().into()),
    }
}

/// Asks whether the server would take a key: the client shows the public half, and has no other.
fn with_public_key(ssh: &Ssh, key: &str, limit: Duration) -> Result<Tried, ProbeError> {
    let bytes = open_to_read(Path::new(key))
        .and_then(|file| read_whole(file, MOST_KEY))
        .map_err(|error| ProbeError::tried(format!("{key} cannot be read"), error))?;
    let text = String::from_utf8_lossy(&bytes).into_owned();
    if text.contains("PRIVATE KEY") {
        return Err(format!("{key} is a private key; name the file with its public half").into());
    }
    let folder = scratch()?;
    let copy = folder.path().join("key.pub");
    fs::write(&copy, text)
        .map_err(|error| ProbeError::tried(format!("{} cannot be written", copy.display()), error))?;
    let identity = format!("IdentityFile={}", copy.display());
    let options = ["PreferredAuthentications=publickey", "IdentitiesOnly=yes", "LogLevel=DEBUG1", &identity];
    let ran = client(ssh, limit, &options, &[])?;
    if !ran.err.contains("Offering public key:") {
        return Err(match offered(&ran) {
            Some(ways) => format!("offers {}, so no key is taken", ways.join(",")).into(),
            None => ran.last_words().into(),
        });
    }
    let user = &ssh.user;
    match (ran.err.contains(TAKEN), ssh.accepts.is_some()) {
        (true, true) => Ok((Some(format!("takes this key of {user}")), ran)),
        (false, false) => Ok((Some(format!("does not take this key of {user}, as expected")), ran)),
        (true, false) => Err(format!("takes this key of {user}, expected that it does not").into()),
        (false, true) => Err(format!("does not take this key of {user}").into()),
    }
}

/// Logs in by password, which only its owner may read.
fn with_password(ssh: &Ssh, file: &str, limit: Duration) -> Result<Tried, ProbeError> {
    let meta =
        fs::metadata(file).map_err(|error| ProbeError::tried(format!("{file} cannot be read"), error))?;
    if meta.permissions().mode() & 0o077 != 0 {
        return Err(format!("{file} holds a password, and others may read it: chmod 600 {file}").into());
    }
    let folder = scratch()?;
    let asked = folder.path().join("asked");
    let quoted = shlex::try_quote(file).map_err(|_| format!("{file:?} is no name of a file"))?;
    let failed = |error| ProbeError::tried(format!("{} cannot be written", asked.display()), error);
    fs::write(&asked, format!("#!/bin/sh\nexec cat {quoted}\n")).map_err(failed)?;
    fs::set_permissions(&asked, fs::Permissions::from_mode(0o700)).map_err(failed)?;
    let env = [format!("SSH_ASKPASS={}", asked.display()), "SSH_ASKPASS_REQUIRE=force".to_owned()];
    let ways = format!("PreferredAuthentications={}", BY_PASSWORD.join(","));
    let options = [&ways, "BatchMode=no", "PubkeyAuthentication=no", "NumberOfPasswordPrompts=1"];
    let ran = client(ssh, limit, &options, &env)?;
    match (ran.ok(), ssh.refused) {
        (true, false) => Ok((Some(format!("lets {} in by password", ssh.user)), ran)),
        (true, true) => Err(format!("lets {} in by password, expected that it does not", ssh.user).into()),
        (false, true) if offered(&ran).is_some() => {
            Ok((Some(format!("refuses this password of {}, as expected", ssh.user)), ran))
        }
        (false, _) => Err(ran.last_words().into()),
    }
}

fn scratch() -> Result<Scratch, ProbeError> {
    let parent = std::env::temp_dir();
    Scratch::new(Path::new(&parent), "gypsum-ssh-", 0o700)
        .map_err(|error| ProbeError::tried(format!("no folder can be made in {}", parent.display()), error))
}
