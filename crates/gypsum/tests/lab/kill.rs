//! Killed at every stage, and recovered: the file is wholly old or wholly new, and the service runs on
//! what the verdict says.

use crate::services::{answers, boards};

/// Calls at which the kernel kills the program: everything that makes something durable, gives or
/// takes a name, or starts another program.
const CALLS: &str = "fsync,fdatasync,renameat2,unlinkat,unlink,clone3,vfork,clone,mkdir";

#[test]
fn killed_at_every_stage_and_recovered() {
    if !std::path::Path::new("/usr/bin/strace").exists() {
        assert_ne!(std::env::var("GYPSUM_LAB").as_deref(), Ok("required"), "strace is not installed");
        println!("skipped: strace is not installed");
        return;
    }
    let Some(lab) = boards("restart", "50ms", "Type=exec") else { return };
    let program = assert_cmd::cargo::cargo_bin!("gypsum").display().to_string();
    let old = lab.file("/etc/boards/boards.conf").0;
    let new = old.replace("mode good", "mode better");
    let (mut killed, mut verdicts) = (0, std::collections::BTreeMap::new());
    for n in 1..200 {
        let inject = format!("inject={CALLS}:signal=SIGKILL:when={n}");
        let words = [
            "strace",
            "-qq",
            "-o",
            "/dev/null",
            "-e",
            "trace=none",
            "-e",
            &inject,
            &program,
            "change",
            "boards",
            "mode=better",
        ];
        let ran = lab.run(&words);
        if ran.status.success() {
            break;
        }
        killed += 1;
        let live = lab.file("/etc/boards/boards.conf").0;
        assert!(live == old || live == new, "killed at {n}: torn: {live:?}");
        let recovered = lab.run(&[&program, "recover", "boards"]);
        let status = recovered.status.code().unwrap();
        let said = String::from_utf8_lossy(&recovered.stdout).into_owned();
        let live = lab.file("/etc/boards/boards.conf").0;
        let verdict = match status {
            0 if said.contains("no change to recover") => "nothing was begun",
            0 => "kept",
            1 => "dropped",
            4 => "restored",
            _ => panic!("killed at {n}: status {status}: {said}"),
        };
        *verdicts.entry(verdict).or_insert(0) += 1;
        let kept = verdict == "kept" || (verdict == "nothing was begun" && live == new);
        assert_eq!(live, if kept { new.clone() } else { old.clone() }, "killed at {n}: {verdict}");
        let beside = lab.sh("ls -A /etc/boards");
        assert_eq!(beside, "boards.conf", "killed at {n}: {verdict}");
        assert!(lab.is_active("boards"), "killed at {n}: {verdict}");
        let mode = if kept { "mode better" } else { "mode good" };
        assert!(answers(&lab).contains(mode), "killed at {n}: {verdict}: {}", answers(&lab));
        if kept {
            let (status, report) = lab.gypsum(&["change", "boards", "mode=good"]);
            assert_eq!(status, 0, "killed at {n}: {report:#}");
        }
    }
    println!("killed {killed} times: {verdicts:?}");
    assert!(killed > 20, "every stage was reached: {killed}, {verdicts:?}");
    for verdict in ["kept", "dropped", "restored"] {
        assert!(verdicts.contains_key(verdict), "{verdicts:?}");
    }
}
