//! A unit's drop-in, made with its folder, agrees with what the service manager understood of it.

use crate::host::{PROGRAM, boot};

#[test]
fn a_drop_in_of_a_unit_says_what_its_manager_understands() {
    let Some(lab) = boot(&["/usr/sbin/sshd"]) else { return };
    let file = "/etc/systemd/system/ssh.service.d/50-harbour.conf";
    let words = [
        PROGRAM,
        "change",
        "ssh-unit",
        "--add",
        "Service",
        "Service..Nice=5",
        "Service..LimitNOFILE=4096",
        "Service..TimeoutStopSec=40s",
        "Service..MemoryMax=512M",
        "Service..CPUQuota=150%",
        "Service..Environment=QUAY=north \"BOARD=8 rows\"",
        "Service..ProtectHome=read-only",
        "--file",
        file,
        "--format",
        "sections",
        "--new",
        "--remark",
        "the boards come first",
    ];
    let ran = lab.run(&words);
    assert_eq!(ran.status.code(), Some(7), "{ran:?}");
    assert_eq!(
        lab.sh(&format!("stat -c %a {file}; head -n 2 {file}")),
        "644\n# the boards come first\n[Service]"
    );
    lab.sh("systemctl daemon-reload");
    let shown = lab.sh("systemctl show ssh -p Nice,LimitNOFILE,TimeoutStopUSec,MemoryMax,CPUQuotaPerSecUSec,Environment,ProtectHome,DropInPaths");
    let mut lines: Vec<&str> = shown.lines().collect();
    lines.sort_unstable();
    // In the manager's own spelling: bytes, a share of a second, times with their unit.
    let wanted = [
        "CPUQuotaPerSecUSec=1.500000s",
        &format!("DropInPaths={file}"),
        "Environment=QUAY=north \"BOARD=8 rows\"",
        "LimitNOFILE=4096",
        "MemoryMax=536870912",
        "Nice=5",
        "ProtectHome=read-only",
        "TimeoutStopUSec=40s",
    ];
    assert_eq!(lines, wanted);
    let ran = lab.run(&[PROGRAM, "restore", "ssh-unit", "--file", file, "--format", "sections"]);
    assert_eq!(ran.status.code(), Some(7), "{ran:?}");
    assert_eq!(lab.sh("ls -d /etc/systemd/system/ssh.service.d 2>/dev/null || echo gone"), "gone");
}
