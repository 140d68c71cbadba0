//! The ways in that an SSH server offers, and whether a key lets somebody in: asked with the host's own client.

use crate::children;
use gypsum_core::probe::Ssh;
use std::time::Duration;

const CLIENT: &str = "/usr/bin/ssh";

pub fn probe(ssh: &Ssh, limit: Duration) -> Result<String, String> {
    match &ssh.key {
        Some(key) => with_key(ssh, key, limit),
        None => ways(ssh, limit),
    }
}

/// The client on this server, knowing nothing of the person's own settings, keys and known hosts.
fn client(ssh: &Ssh, limit: Duration, more: &[&str]) -> Result<children::Ran, String> {
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
    let ran = children::run(&argv, limit)
        .map_err(|error| format!("{CLIENT} cannot be run: {}", crate::error::plain(&error)))?;
    if ran.timed_out { Err(format!("no answer within {} ms", limit.as_millis())) } else { Ok(ran) }
}

fn ways(ssh: &Ssh, limit: Duration) -> Result<String, String> {
    let ran = client(ssh, limit, &["PreferredAuthentications=none", "PubkeyAuthentication=no"])?;
    let offered = ran.err.lines().find_map(|line| {
        let (_, list) = line.split_once("Permission denied (")?;
        Some(list.trim_end_matches([')', '.', '\r']).to_owned())
    });
    let offered = match offered {
        Some(list) => list,
        None if ran.ok() => "none".to_owned(),
        None => return Err(ran.last_words()),
    };
    let has = |way: &String| offered.split(',').any(|one| one == way);
    if let Some(way) = ssh.offers.as_ref().filter(|way| !has(way)) {
        return Err(format!("offers {offered}, expected {way} among them"));
    }
    if let Some(way) = ssh.withholds.as_ref().filter(|way| has(way)) {
        return Err(format!("offers {offered}, expected {way} not among them"));
    }
    Ok(format!("offers {offered}"))
}

fn with_key(ssh: &Ssh, key: &str, limit: Duration) -> Result<String, String> {
    let identity = format!("IdentityFile={key}");
    let ran = client(ssh, limit, &["PreferredAuthentications=publickey", "IdentitiesOnly=yes", &identity])?;
    let denied = ran.err.contains("Permission denied");
    match (ran.ok(), ssh.refused) {
        (true, false) => Ok(format!("lets {} in", ssh.user)),
        (true, true) => Err(format!("lets {} in, expected that it does not", ssh.user)),
        (false, true) if denied => Ok(format!("refuses {}, as expected", ssh.user)),
        (false, _) if ran.last_words().is_empty() => {
            Err(format!("takes the key of {}, and closes the connection", ssh.user))
        }
        (false, _) => Err(ran.last_words()),
    }
}
