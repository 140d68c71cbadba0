//! What becomes of a change when the session that began it goes: it is carried to its end all the same. Each
//! case begins one that goes wrong after 6 s, and takes the session away before.

use crate::host::{Lab, PROGRAM, side_by_side};
use crate::services::{answers, boards};
use std::process::Command;

struct Case {
    /// What happens.
    name: &'static str,
    /// The host beforehand.
    setup: &'static str,
    /// How it is begun.
    from: From,
    /// What happens once the new file is live.
    event: &'static str,
    /// Whether the session goes on.
    lives: bool,
}

enum From {
    /// An SSH session of this account; `ida` types `sudo`.
    Ssh(&'static str),
    /// Another service.
    Service,
}

const KILL_CLIENT: &str = "pkill -KILL -x ssh";
const KILLS: &str = "printf '[Login]\\nKillUserProcesses=yes\\n' > /etc/systemd/logind.conf.d/k.conf";

const CASES: &[Case] = &[
    Case {
        name: "the line is cut, root",
        setup: "true",
        from: From::Ssh("root"),
        event: KILL_CLIENT,
        lives: false,
    },
    Case {
        name: "the line is cut, sudo",
        setup: "true",
        from: From::Ssh("ida"),
        event: KILL_CLIENT,
        lives: false,
    },
    Case {
        name: "processes of a session are killed, root",
        setup: KILLS,
        from: From::Ssh("root"),
        event: KILL_CLIENT,
        lives: false,
    },
    Case {
        name: "processes of a session are killed, root not excluded",
        setup: "printf '[Login]\\nKillUserProcesses=yes\\nKillExcludeUsers=nobody\\n' > /etc/systemd/logind.conf.d/k.conf",
        from: From::Ssh("root"),
        event: KILL_CLIENT,
        lives: false,
    },
    Case {
        name: "processes of a session are killed, sudo",
        setup: KILLS,
        from: From::Ssh("ida"),
        event: KILL_CLIENT,
        lives: false,
    },
    Case {
        name: "sshd restarts",
        setup: "true",
        from: From::Ssh("root"),
        event: "systemctl restart ssh",
        lives: true,
    },
    Case {
        name: "sshd stops",
        setup: "true",
        from: From::Ssh("root"),
        event: "systemctl stop ssh",
        lives: true,
    },
    Case {
        name: "the session is ended",
        setup: "true",
        from: From::Ssh("root"),
        event: "loginctl terminate-session $(loginctl --no-legend list-sessions | awk '{print $1; exit}')",
        lives: false,
    },
    Case {
        name: "the scope of the session is stopped",
        setup: "true",
        from: From::Ssh("root"),
        event: "systemctl stop $(systemctl list-units --plain --no-legend 'session-*.scope' | awk '{print $1; exit}')",
        lives: false,
    },
    Case {
        name: "the user is thrown out",
        setup: "true",
        from: From::Ssh("ida"),
        event: "loginctl terminate-user ida",
        lives: false,
    },
    Case {
        name: "sshd without sessions of its own leaves its children",
        setup: "sed -i 's/^#\\?UsePAM.*/UsePAM no/' /etc/ssh/sshd_config",
        from: From::Ssh("root"),
        event: "systemctl restart ssh",
        lives: true,
    },
    Case {
        name: "sshd without sessions of its own takes all with it",
        setup: "sed -i 's/^#\\?UsePAM.*/UsePAM no/' /etc/ssh/sshd_config
                mkdir -p /etc/systemd/system/ssh.service.d
                printf '[Service]\\nKillMode=control-group\\n' > /etc/systemd/system/ssh.service.d/k.conf",
        from: From::Ssh("root"),
        event: "systemctl restart ssh",
        lives: false,
    },
    Case {
        name: "the service that began it stops",
        setup: "true",
        from: From::Service,
        event: "systemctl stop agent",
        lives: false,
    },
];

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_change_is_carried_to_its_end_whatever_becomes_of_the_session() {
    // They wait most of the time.
    side_by_side(4, CASES, |case| {
        for program in ["/usr/sbin/sshd", "/usr/bin/sudo", "/usr/bin/loginctl"] {
            assert!(std::path::Path::new(program).exists(), "{program} is not installed");
        }
        play(&boards("restart", "6500ms", "Type=exec"), case);
    });
}

fn play(lab: &Lab, case: &Case) {
    lab.sh(&format!(
        "useradd -m -s /bin/sh ida; echo 'ida ALL=(ALL) NOPASSWD: ALL' > /etc/sudoers.d/ida
         ssh-keygen -q -t ed25519 -N '' -f /root/key
         for home in /root /home/ida; do mkdir -p $home/.ssh; cp /root/key.pub $home/.ssh/authorized_keys; done
         chown -R ida /home/ida; rm -f /run/nologin; mkdir -p /etc/systemd/logind.conf.d
         sed -i 's/^#\\?PermitRootLogin.*/PermitRootLogin yes/' /etc/ssh/sshd_config
         {}
         systemctl daemon-reload; systemctl restart systemd-logind ssh",
        case.setup
    ));
    let before = lab.file("/etc/boards/boards.conf").0;
    let change = format!("{PROGRAM} change boards mode=leaves");
    let login = |user: &str, words: &str| {
        format!("ssh -i /root/key -o StrictHostKeyChecking=no -o BatchMode=yes {user}@127.0.0.1 '{words}'")
    };
    let begin = match case.from {
        From::Ssh("root") => login("root", &change),
        From::Ssh(user) => login(user, &format!("sudo {change}")),
        From::Service => format!("systemd-run -q --wait --unit=agent {change}"),
    };
    let mut session: Command =
        lab.command(&["sh", "-c", &format!("{begin} >/run/said 2>&1; echo $? >/run/ended")]);
    let mut session = session.spawn().unwrap();
    let name = case.name;
    let told = || lab.run(&["cat", "/run/said"]);
    lab.until(15, "grep -q leaves /etc/boards/boards.conf", &|| format!("{name}: not live: {:?}", told()));
    lab.run(&["sh", "-c", case.event]);
    let journal = lab.sh("cat /var/lib/gypsum/boards/*/journal");
    assert!(!journal.contains("closed"), "{name}: it ended before: {journal}");
    if !case.lives {
        lab.until(5, "test -s /run/ended", &|| format!("{name}: the session goes on: {:?}", told()));
        let journal = lab.sh("cat /var/lib/gypsum/boards/*/journal");
        assert!(!journal.contains("closed"), "{name}: only then the session ended: {journal}");
    }
    lab.until(45, "grep -q closed /var/lib/gypsum/boards/*/journal", &|| {
        format!("{name}: it was not carried on: {:?}", told())
    });
    session.wait().unwrap();
    assert_eq!(lab.file("/etc/boards/boards.conf").0, before, "{name}");
    assert!(lab.is_active("boards") && answers(lab).contains("mode good"), "{name}");
    let record = lab.sh("cat /var/lib/gypsum/boards/*/change.json");
    assert!(record.contains("\"verdict\": \"restored\""), "{name}: {record}");
    if case.lives {
        assert_eq!(lab.sh("cat /run/ended"), "4", "{name}: who typed is told: {:?}", told());
    }
    // Nothing is left behind: no unit, no folder, no lock.
    lab.until(10, "! systemctl -q list-units --all --plain 'gypsum-*' | grep -q service", &|| {
        format!("{name}: a unit is left")
    });
    assert_eq!(lab.sh("ls -A /run/gypsum/locks; ls -d /run/gypsum-* 2>/dev/null || true"), "", "{name}");
}
