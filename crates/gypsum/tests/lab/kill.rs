//! Killed at every stage: the file is wholly old or wholly new, and the service runs on what the verdict says,
//! whichever of the two processes it was, and where there is only one.

use crate::host::{Lab, PROGRAM};
use crate::services::{answers, boards};
use std::collections::BTreeMap;

/// Who is killed.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Victim {
    /// The only process: no guardian comes. What is open then is recovered.
    Alone,
    /// The one that was typed at: the guardian goes on, and what it had not got yet is recovered.
    Front,
    /// The guardian: the one that was typed at goes on.
    Guardian,
}

/// Calls at which the kernel kills the program (at each time that it makes one, or at each third):
/// what makes something durable, gives or takes a name, writes, or starts another program.
const CALLS: [(Victim, &str, usize); 15] = [
    (Victim::Alone, "fsync", 1),
    (Victim::Alone, "renameat2", 1),
    (Victim::Alone, "unlinkat", 1),
    (Victim::Alone, "unlink", 1),
    (Victim::Alone, "mkdir", 2),
    (Victim::Alone, "write", 3),
    (Victim::Alone, "clone3", 3),
    (Victim::Front, "fsync", 1),
    (Victim::Front, "sendmsg", 1),
    (Victim::Front, "write", 4),
    (Victim::Guardian, "fsync", 1),
    (Victim::Guardian, "renameat2", 1),
    (Victim::Guardian, "unlink", 1),
    (Victim::Guardian, "write", 4),
    (Victim::Guardian, "clone3", 2),
];

/// Stands before the real one and has the guardian killed as a file says. It is asked where there is no bus.
const WRAPPER: &str = r#"cat > /usr/local/sbin/systemd-run <<'END'
#!/bin/bash
for word; do
  words+=("$word")
  [[ $word != -- ]] || words+=($(cat /run/inject))
done
exec /usr/bin/systemd-run "${words[@]}"
END
chmod +x /usr/local/sbin/systemd-run"#;

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn killed_at_every_stage_and_brought_to_a_verdict() {
    assert!(std::path::Path::new("/usr/bin/strace").exists(), "strace is not installed");
    let lab = boards("restart", "50ms", "Type=exec");
    lab.sh(WRAPPER);
    let old = lab.file("/etc/boards/boards.conf").0;
    let mut verdicts = BTreeMap::new();
    for (victim, call, step) in CALLS {
        if victim == Victim::Guardian {
            lab.sh("systemctl stop dbus.socket dbus.service; rm -f /run/dbus/system_bus_socket");
        }
        for n in (1..200).step_by(step) {
            let place = format!("{victim:?} killed at {call} {n}");
            let Some(verdict) = killed(&lab, victim, call, n, &old, &place) else { break };
            *verdicts.entry((format!("{victim:?}"), verdict)).or_insert(0) += 1;
        }
    }
    println!("{verdicts:?}");
    for (victim, wanted) in
        [("Alone", "kept dropped restored"), ("Front", "kept dropped"), ("Guardian", "kept restored")]
    {
        for verdict in wanted.split(' ') {
            assert!(verdicts.contains_key(&(victim.to_owned(), verdict)), "{victim} {verdict}: {verdicts:?}");
        }
    }
}

/// How it ended; none where it makes fewer such calls and was not killed.
fn killed(lab: &Lab, victim: Victim, call: &str, n: usize, old: &str, place: &str) -> Option<&'static str> {
    let new = old.replace("mode good", "mode better");
    let kill =
        format!("strace -qq -o /dev/null -e trace={call},bind -e inject={call}:signal=SIGKILL:when={n}");
    let (before, inside) = match victim {
        // Nobody can listen for a guardian then.
        Victim::Alone => (format!("{kill} -e inject=bind:error=EADDRINUSE"), String::new()),
        Victim::Front => (kill, String::new()),
        Victim::Guardian => ("env".into(), kill),
    };
    lab.sh(&format!("echo '{inside}' > /run/inject"));
    let mut words: Vec<&str> = before.split(' ').collect();
    words.extend([PROGRAM, "change", "boards", "mode=better"]);
    let ran = lab.run(&words);
    let said = String::from_utf8_lossy(&ran.stdout).into_owned();
    let unhurt = ran.status.success() && (victim != Victim::Guardian || !said.contains("was ended"));
    let verdict = if unhurt || victim == Victim::Guardian {
        status_word(ran.status.code(), &said)
    } else {
        let live = lab.file("/etc/boards/boards.conf").0;
        assert!(live == old || live == new, "{place}: torn: {live:?}");
        lab.until(20, "! systemctl -q list-units --plain 'gypsum-boards-*' | grep -q service", &|| {
            format!("{place}: the guardian hangs")
        });
        let recovered = lab.run(&[PROGRAM, "recover", "boards"]);
        status_word(recovered.status.code(), &String::from_utf8_lossy(&recovered.stdout))
    };
    let verdict = verdict.unwrap_or_else(|status| panic!("{place}: status {status:?}: {said}"));
    let live = lab.file("/etc/boards/boards.conf").0;
    let kept = verdict == "kept" || (verdict == "nothing was begun" && live == new);
    assert_eq!(live, if kept { new } else { old.to_owned() }, "{place}: {verdict}");
    assert_eq!(lab.sh("ls -A /etc/boards"), "boards.conf", "{place}: {verdict}");
    assert!(lab.is_active("boards"), "{place}: {verdict}");
    let mode = if kept { "mode better" } else { "mode good" };
    assert!(answers(lab).contains(mode), "{place}: {verdict}: {}", answers(lab));
    if kept {
        lab.sh("echo > /run/inject");
        let (status, report) = lab.gypsum(&["change", "boards", "mode=good"]);
        assert_eq!(status, 0, "{place}: {report:#}");
    }
    (!unhurt).then_some(if kept { "kept" } else { verdict })
}

fn status_word(status: Option<i32>, said: &str) -> Result<&'static str, Option<i32>> {
    match status {
        Some(0) if said.contains("no change to recover") => Ok("nothing was begun"),
        Some(0) if said.contains("Recovered") => Ok("dropped"),
        Some(0) => Ok("kept"),
        Some(1) => Ok("dropped"),
        Some(4) => Ok("restored"),
        status => Err(status),
    }
}
