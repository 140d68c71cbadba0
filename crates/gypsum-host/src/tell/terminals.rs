//! The terminals of those who are logged in. Which these are the kernel says: a terminal that controls a process.

use std::collections::BTreeSet;
use std::fs;
use std::io::Write;
use std::os::unix::fs::{OpenOptionsExt, PermissionsExt};
use std::path::PathBuf;

/// The major numbers of devices (Linux: admin-guide/devices.txt): virtual consoles and serial lines, and the eight of
/// pseudo terminals.
const CONSOLES: i32 = 4;
const PSEUDO: std::ops::RangeInclusive<i32> = 136..=143;
/// So many pseudo terminals are under one major number.
const EACH: i32 = 256;
/// Serial lines begin at this minor number.
const SERIAL: i32 = 64;
/// They wait for somebody to log in.
const WAITING: [&str; 2] = ["agetty", "getty"];

/// Writes a line to each terminal whose owner allows messages (mesg(1)). One that takes nothing at once is left out.
pub fn write_to_all(message: &str) {
    let visible: String = message.chars().map(|one| if one.is_control() { ' ' } else { one }).collect();
    let text = format!("\r\n\u{7}gypsum: {visible}\r\n");
    for path in all() {
        let allows = fs::metadata(&path).is_ok_and(|meta| meta.permissions().mode() & 0o020 != 0);
        if !allows {
            continue;
        }
        let flags = rustix::fs::OFlags::NOCTTY | rustix::fs::OFlags::NONBLOCK;
        let open = fs::OpenOptions::new().write(true).custom_flags(flags.bits().cast_signed()).open(&path);
        if let Err(error) = open.and_then(|mut terminal| terminal.write_all(text.as_bytes())) {
            tracing::debug!(%error, path = %path.display(), "a terminal is not told");
        }
    }
}

fn all() -> BTreeSet<PathBuf> {
    let processes = procfs::process::all_processes().into_iter().flatten().flatten();
    let stats = processes.filter_map(|process| process.stat().ok());
    stats
        .filter(|stat| !WAITING.contains(&stat.comm.as_str()))
        .filter_map(|stat| device(stat.tty_nr))
        .collect()
}

/// The terminal of this number: minor in bits 31 to 20 and 7 to 0, major in bits 15 to 8 (proc_pid_stat(5)).
fn device(number: i32) -> Option<PathBuf> {
    let (major, minor) = (number >> 8 & 0xff, number & 0xff | number >> 12 & 0xfff00);
    match major {
        CONSOLES if (1..SERIAL).contains(&minor) => Some(format!("/dev/tty{minor}").into()),
        CONSOLES if minor >= SERIAL => Some(format!("/dev/ttyS{}", minor - SERIAL).into()),
        major if PSEUDO.contains(&major) => {
            Some(format!("/dev/pts/{}", (major - PSEUDO.start()) * EACH + minor).into())
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::device;
    use std::path::PathBuf;

    #[test]
    fn the_numbers_of_terminals_are_read() {
        for (number, path) in [
            (0x8800, Some("/dev/pts/0")),
            (0x8803, Some("/dev/pts/3")),
            (0x8901, Some("/dev/pts/257")),
            (0x0402, Some("/dev/tty2")),
            (0x0440, Some("/dev/ttyS0")),
            (0, None),
        ] {
            assert_eq!(device(number), path.map(PathBuf::from), "{number:#x}");
        }
    }
}
