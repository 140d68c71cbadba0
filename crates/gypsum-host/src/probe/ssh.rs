//! The ways in that an SSH server offers, and whether a key lets somebody in: asked with the host's own client.

use super::ProbeError;
use crate::children;
use gypsum_core::probe::Ssh;
use std::time::Duration;

const CLIENT: &str = "/usr/bin/ssh";

pub fn probe(ssh: &Ssh, limit: Duration) -> Result<String, ProbeError> {
    match &ssh.key {
        Some(key) => with_key(ssh, key, limit),
        None => ways(ssh, limit),
    }
}

/// The client on this server, knowing nothing of the person's own settings, keys and known hosts.
fn client(ssh: &Ssh, limit: Duration, more: &[&str]) -> Result<children::Ran, ProbeError> {
    let (host, port) = match ssh.at.rsplit_once(':') {
        Some((host, port)) if port.parse::<u16>().is_ok() => (host.trim_matches(['[', ']']), port),
        _ => (ssh.at.as_str(), "22"),
    };
    let timeout = format!("ConnectTimeout={}", limit.as_secs().max(1));
    let mut argv: Vec<&str> = vec![CLIENT, "-F", "none", "-p", port, "-l", &ssh.user];
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
    argv.extend(options.iter().chain(more).flat_map(|option| ["-o", option]));
    argv.extend(["--", host, "true"]);
    let argv: Vec<String> = argv.into_iter().map(str::to_owned).collect();
    let ran = children::run_interruptible(&argv, limit)
        .map_err(|source| ProbeError::NotRun { program: CLIENT.to_owned(), source })?;
    if ran.timed_out { Err(ProbeError::TimedOut(limit)) } else { Ok(ran) }
}

fn ways(ssh: &Ssh, limit: Duration) -> Result<String, ProbeError> {
    let ran = client(ssh, limit, &["PreferredAuthentications=none", "PubkeyAuthentication=no"])?;
    let offered = ran.err.lines().find_map(|line| {
        let (_, list) = line.split_once("Permission denied (")?;
        Some(list.trim_end_matches([')', '.', '\r']).to_owned())
    });
    let offered = match offered {
        Some(list) => list,
        None if ran.ok() => "none".to_owned(),
        None => return Err(ran.last_words().into()),
    };
    let has = |way: &String| offered.split(',').any(|one| one == way);
    if let Some(way) = ssh.offers.as_ref().filter(|way| !has(way)) {
        return Err(format!("offers {offered}, expected {way} among them").into());
    }
    if let Some(way) = ssh.withholds.as_ref().filter(|way| has(way)) {
        return Err(format!("offers {offered}, expected {way} not among them").into());
    }
    Ok(format!("offers {offered}"))
}

fn with_key(ssh: &Ssh, key: &str, limit: Duration) -> Result<String, ProbeError> {
    let identity = format!("IdentityFile={key}");
    let ran = client(ssh, limit, &["PreferredAuthentications=publickey", "IdentitiesOnly=yes", &identity])?;
    let denied = ran.err.contains("Permission denied");
    match (ran.ok(), ssh.refused) {
        (true, false) => Ok(format!("lets {} in", ssh.user)),
        (true, true) => Err(format!("lets {} in, expected that it does not", ssh.user).into()),
        (false, true) if denied => Ok(format!("refuses {}, as expected", ssh.user)),
        (false, _) if ran.last_words().is_empty() => {
            Err(format!("takes the key of {}, and closes the connection", ssh.user).into())
        }
        (false, _) => Err(ran.last_words().into()),
    }
}
