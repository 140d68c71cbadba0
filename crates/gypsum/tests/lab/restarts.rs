//! A restart without an edit, and an edit that changes no setting.

use crate::services::boards;

/// C16: a service is restarted with all the care of a change; where it does not come back there is no old
/// configuration, so a person is called and the last kept change is offered.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_restart_needs_no_edit() {
    let lab = boards("restart", "300ms", "");
    let main = |lab: &crate::host::Lab| lab.sh("systemctl show -p MainPID --value boards");
    let before = main(&lab);
    let (status, report) = lab.gypsum(&["change", "boards", "--activation", "restart"]);
    assert_eq!((status, report["verdict"].as_str()), (0, Some("kept")), "{report:#}");
    assert_ne!(main(&lab), before, "it was restarted");
    // Somebody wrote a configuration with which it dies, and told nobody.
    lab.sh("printf 'mode dies\\n' > /etc/boards/boards.conf");
    let (status, report) = lab.gypsum(&["change", "boards", "--activation", "restart", "--steady", "2s"]);
    assert_eq!((status, report["verdict"].as_str()), (5, Some("stuck")), "{report:#}");
    let text = report.to_string();
    assert!(text.contains("gypsum restore boards") && text.contains("no old configuration"), "{report:#}");
}

/// C4: comments and blanks alone activate nothing, and that is said.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_comment_restarts_nothing() {
    let lab = boards("restart", "300ms", "");
    let main = |lab: &crate::host::Lab| lab.sh("systemctl show -p MainPID --value boards");
    let before = main(&lab);
    lab.sh("printf '# as it was told\\n\\nmode good\\n' > /root/new.conf");
    let (status, report) = lab.gypsum(&["change", "boards", "--whole", "/root/new.conf"]);
    assert_eq!((status, report["verdict"].as_str()), (0, Some("kept")), "{report:#}");
    assert!(report.to_string().contains("no setting changed"), "{report:#}");
    assert_eq!(main(&lab), before, "it was not restarted");
}
