//! A unit's drop-in, made with its folder, agrees with what the service manager understood of it.

use crate::host::{PROGRAM, boot};

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_drop_in_of_a_unit_says_what_its_manager_understands() {
    let lab = boot(&["/usr/sbin/sshd"]);
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

/// A section that is asked for by hand is made once, and what the process may do is shown beside what it might before.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn what_a_process_may_do_is_shown_where_a_drop_in_changes_it() {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh("systemctl start nginx; sleep 0.5");
    let file = "/etc/systemd/system/nginx.service.d/50-quay.conf";
    let words = ["change", "unit:nginx", "--in", file, "--new", "--steady", "0", "--add", "Service"];
    let few = "Service..CapabilityBoundingSet=CAP_NET_BIND_SERVICE CAP_SETUID CAP_SETGID CAP_CHOWN CAP_DAC_OVERRIDE";
    let (status, report) = lab.gypsum(&[&words[..], &[few, "Service..NoNewPrivileges=yes"]].concat());
    assert_eq!(status, 0, "{report:#}");
    assert_eq!(lab.sh(&format!("grep -c '^.Service.$' {file}")), "1");
    let readings = report["readings"].as_array().unwrap();
    let of = readings.iter().find(|reading| reading["name"] == "privileges").unwrap();
    let (before, after) = (of["before"].as_str().unwrap(), of["after"].as_str().unwrap());
    assert!(before.contains("user=root") && before.contains("no-new-privileges=no"), "{before}");
    assert!(after.contains(" capabilities=chown,dac_override,setgid,setuid,net_bind_service "), "{after}");
    assert!(after.contains("no-new-privileges=yes"), "{after}");
    // The kernel's own account, in the tool of others: five bits.
    let bits = lab.sh("sed -n 's/^CapEff:\t//p' /proc/$(systemctl show -P MainPID nginx)/status");
    assert_eq!(u64::from_str_radix(&bits, 16).unwrap().count_ones(), 5, "{bits}");
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn an_old_drop_in_that_comes_back_is_taken_up_whatever_its_time_says() {
    let lab = boot(&[]);
    let file = "/etc/systemd/system/tides.service.d/50-quay.conf";
    // Older than anything that systemd has read: it sees no need to read it again.
    lab.sh(&format!(
        "printf '[Service]\\nExecStart=/bin/sleep 1000\\n' > /etc/systemd/system/tides.service
         mkdir -p /etc/systemd/system/tides.service.d; printf '[Service]\\nNice=3\\n' > {file}; touch -d 2020-01-01 {file}
         systemctl daemon-reload; systemctl start tides"
    ));
    let niceness = "ps -o ni= -p $(systemctl show -P MainPID tides) | tr -d ' '";
    let change = |edits: &[&str]| {
        let words = [&["change", "unit:tides", "--in", file, "--steady", "1s"], edits].concat();
        lab.gypsum(&words)
    };
    let (status, report) = change(&["Service..Nice=5", "Service..ExecStartPost=/bin/false"]);
    assert_eq!(status, 4, "{report:#}");
    assert_eq!(lab.sh(&format!("stat -c %Y {file}")), "1577836800");
    assert_eq!(lab.sh(niceness), "3");
    assert_eq!(lab.sh("systemctl show -P NeedDaemonReload tides"), "no");
    assert!(lab.is_active("tides"));
    let (status, report) = change(&["Service..Nice=5", "--expect", "niceness=5"]);
    assert_eq!(status, 0, "{report:#}");
    assert_eq!(lab.sh(niceness), "5");
}
