//! Leaving the host's namespaces, in two steps. What relays questions to name servers lives in the first one; the trial
//! itself is a child of the second one, the first process of the new namespace of processes.

use super::backends::stand_in_for;
use super::relay::WayOut;
use super::spec::TrialSpec;
use super::{ENTRY, FENCE, INNER, NO_TRIAL};
use rustix::process::{Signal, getppid, set_parent_process_death_signal};
use rustix::thread::UnshareFlags;
use std::io::{self, Write};
use std::net::IpAddr;
use std::os::unix::process::CommandExt;
use std::process::{Command, Stdio};

/// Leaves the host's network, makes one of its own, relays questions for names, and waits for the trial; its exit status.
///
/// # Errors
///
/// If the kernel refuses it.
pub fn enter() -> io::Result<i32> {
    set_parent_process_death_signal(Some(Signal::KILL))?;
    let spec = TrialSpec::of_input()?;
    if getppid().map_or(0, |parent| parent.as_raw_pid()) != spec.parent {
        return Err(io::Error::other("who asked for it is gone"));
    }
    // One to which there is no way cannot be asked on the host either.
    let ways = spec.name_servers.iter().flat_map(|server| WayOut::to(*server)).collect::<Vec<_>>();
    leave(UnshareFlags::NEWNET)?;
    make_network(&spec.addresses, &spec.name_servers)?;
    for way in ways {
        if let Err(error) = way.serve() {
            tracing::debug!(%error, "no relay for names");
        }
    }
    for backend in spec.backends {
        if let Err(error) = stand_in_for(backend) {
            tracing::debug!(%error, "no relay for a service");
        }
    }
    status_of(FENCE)
}

/// Leaves the host's other namespaces, and waits for the trial; its exit status. Not the same process as the one above:
/// who has left its namespace of processes can have no threads any more.
///
/// # Errors
///
/// If the kernel refuses it.
pub fn fence() -> io::Result<i32> {
    set_parent_process_death_signal(Some(Signal::KILL))?;
    leave(UnshareFlags::NEWNS | UnshareFlags::NEWPID | UnshareFlags::NEWIPC | UnshareFlags::NEWUTS)?;
    status_of(INNER)
}

fn leave(namespaces: UnshareFlags) -> io::Result<()> {
    // The safe call is deprecated for what else it can do; these are harmless here, before any thread exists.
    #[allow(deprecated)]
    rustix::thread::unshare(namespaces).map_err(|error| {
        let error = crate::error::plain(&error.into());
        io::Error::other(format!("this host does not allow it namespaces of its own ({error})"))
    })
}

/// Runs the next part; its exit status.
fn status_of(part: &str) -> io::Result<i32> {
    let ended = Command::new("/proc/self/exe").arg0("gypsum").args([ENTRY, part]).status()?;
    Ok(ended.code().unwrap_or(NO_TRIAL))
}

/// The loopback device with all addresses of the host, each alone: with its whole network it would have those of others, too.
/// There is no way out.
fn make_network(addresses: &[IpAddr], name_servers: &[IpAddr]) -> io::Result<()> {
    let mut batch = "link set lo up\n".to_owned();
    let mut all: Vec<IpAddr> = addresses.iter().chain(name_servers).copied().collect();
    all.retain(|address| !address.is_loopback());
    all.sort_unstable();
    all.dedup();
    for address in all {
        batch += &match address {
            IpAddr::V4(four) => format!("addr add {four}/32 dev lo\n"),
            IpAddr::V6(six) => format!("addr add {six}/128 dev lo nodad\n"),
        };
    }
    let failed = |why: String| io::Error::other(format!("its network cannot be made: {why}"));
    let mut ip = Command::new("ip")
        .args(["-force", "-batch", "-"])
        .stdin(Stdio::piped())
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .spawn()
        .map_err(|error| failed(format!("ip (iproute2): {}", crate::error::plain(&error))))?;
    if let Some(mut input) = ip.stdin.take() {
        input.write_all(batch.as_bytes())?;
    }
    let said = ip.wait_with_output()?;
    if !said.status.success() {
        // A host without IPv6 in its kernel refuses those; the rest is there.
        tracing::debug!(said = %String::from_utf8_lossy(&said.stderr), "not all addresses are there");
    }
    Ok(())
}
