//! Killed at every stage, and recovered: the file is wholly old or wholly new, and the service runs on
//! what the verdict says.

use crate::host::PROGRAM;
use crate::services::{answers, boards};

/// Calls at which the kernel kills the program (at each time that it makes one, or at each third):
/// what makes something durable, gives or takes a name, writes, or starts another program.
const CALLS: [(&str, usize); 7] = [
    ("fsync", 1),
    ("renameat2", 1),
    ("unlinkat", 1),
    ("unlink", 1),
    ("mkdir", 2),
    ("write", 3),
    ("clone3", 3),
];

#[test]
fn killed_at_every_stage_and_recovered() {
    if !std::path::Path::new("/usr/bin/strace").exists() {
        assert_ne!(std::env::var("GYPSUM_LAB").as_deref(), Ok("required"), "strace is not installed");
        crate::host::skipped("strace is not installed");
        return;
    }
    let Some(lab) = boards("restart", "50ms", "Type=exec") else { return };
    let old = lab.file("/etc/boards/boards.conf").0;
    let new = old.replace("mode good", "mode better");
    let (mut killed, mut verdicts) = (0, std::collections::BTreeMap::new());
    let points = CALLS.iter().flat_map(|(call, step)| (1..200).step_by(*step).map(move |n| (*call, n)));
    let mut done = "";
    for (call, n) in points {
        if call == done {
            continue;
        }
        let (trace, inject) = (format!("trace={call}"), format!("inject={call}:signal=SIGKILL:when={n}"));
        let strace = ["strace", "-qq", "-o", "/dev/null", "-e", &trace, "-e", &inject];
        let words = [&strace[..], &[PROGRAM, "change", "boards", "mode=better"]].concat();
        let ran = lab.run(&words);
        if ran.status.success() {
            // It made fewer such calls, and ended well.
            done = call;
            lab.gypsum(&["change", "boards", "mode=good"]);
            continue;
        }
        killed += 1;
        let live = lab.file("/etc/boards/boards.conf").0;
        assert!(live == old || live == new, "killed at {call} {n}: torn: {live:?}");
        let recovered = lab.run(&[PROGRAM, "recover", "boards"]);
        let status = recovered.status.code().unwrap();
        let said = String::from_utf8_lossy(&recovered.stdout).into_owned();
        let live = lab.file("/etc/boards/boards.conf").0;
        let verdict = match status {
            0 if said.contains("no change to recover") => "nothing was begun",
            0 => "kept",
            1 => "dropped",
            4 => "restored",
            _ => panic!("killed at {call} {n}: status {status}: {said}"),
        };
        *verdicts.entry(verdict).or_insert(0) += 1;
        let kept = verdict == "kept" || (verdict == "nothing was begun" && live == new);
        assert_eq!(live, if kept { new.clone() } else { old.clone() }, "killed at {call} {n}: {verdict}");
        let beside = lab.sh("ls -A /etc/boards");
        assert_eq!(beside, "boards.conf", "killed at {call} {n}: {verdict}");
        assert!(lab.is_active("boards"), "killed at {call} {n}: {verdict}");
        let mode = if kept { "mode better" } else { "mode good" };
        assert!(answers(&lab).contains(mode), "killed at {call} {n}: {verdict}: {}", answers(&lab));
        if kept {
            let (status, report) = lab.gypsum(&["change", "boards", "mode=good"]);
            assert_eq!(status, 0, "killed at {call} {n}: {report:#}");
        }
    }
    println!("killed {killed} times: {verdicts:?}");
    assert!(killed > 20, "every stage was reached: {killed}, {verdicts:?}");
    for verdict in ["kept", "dropped", "restored"] {
        assert!(verdicts.contains_key(verdict), "{verdicts:?}");
    }
}
