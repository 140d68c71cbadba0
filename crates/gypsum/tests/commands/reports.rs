//! The report of a change: a page that needs no other file, and the same as text.

use crate::boards::{command, config, gypsum, host, said, status};
use gypsum_core::doc::Family;
use gypsum_core::witness::well_formed;
use gypsum_demo::Host;
use std::fs;

fn report(host: &Host, change: &str, name: &str) -> String {
    let file = host.root().join(name);
    let mut changes = command(host, &["changes", "departures", change]);
    let output = changes.arg("--report").arg(&file).arg("--profile").arg(host.profile()).output().unwrap();
    assert_eq!(status(&output), 0, "{}", said(host, &output));
    fs::read_to_string(file).unwrap()
}

#[test]
fn a_page_tells_all_and_needs_nothing() {
    let host = host();
    let why = "<b>fewer</b> & \"smaller\" rows";
    assert_eq!(
        status(&gypsum(&host, &["change", "departures", "rows=5", "notice=<i>late</i>", "--why", why])),
        0
    );
    let output = gypsum(&host, &["change", "departures", "quay=nowhere"]);
    assert_eq!(status(&output), 4, "{}", said(&host, &output));
    let page = report(&host, "1", "one.html");
    for part in [
        "Change 1 of departures",
        ">kept<",
        "&lt;b&gt;fewer&lt;/b&gt; &amp;",
        "What was changed",
        "departures on a board",
        "+rows 5",
        "Health before and after",
        "gypsum restore departures 1",
        "<svg",
        "prefers-color-scheme: dark",
        "@media print",
        "lang=\"en\"",
    ] {
        assert!(page.contains(part), "{part}: {page}");
    }
    let page = report(&host, "2", "two.html");
    for part in
        [">restored<", "What was to be changed", "With the change", "unhealthy:", "There is nothing to undo"]
    {
        assert!(page.contains(part), "{part}: {page}");
    }
    for page in [report(&host, "1", "one.html"), page] {
        for outside in ["<script", "src=", "href=", "url(\"", "@import", "http-equiv"] {
            assert!(!page.contains(outside), "{outside}: {page}");
        }
        let dialect = Family::Xml.plain_dialect();
        assert!(
            well_formed(Family::Xml, page.as_bytes(), &dialect).is_ok(),
            "every element is closed: {page}"
        );
    }
    let text = report(&host, "2", "two.md");
    assert!(text.contains("# Change 2 of departures: restored") && text.contains("```diff\n"), "{text}");
    assert!(text.contains("| quay | all | nowhere |"), "{text}");
}

#[test]
fn secrets_are_in_no_report_and_errors_are_clear() {
    let host = host();
    let file = host.root().join("plain.conf");
    fs::write(&file, "rows 8\napi_password tidewater\n").unwrap();
    let path = file.to_str().unwrap();
    let changed = gypsum(
        &host,
        &["change", "plain", "rows=9", "api_password=ebbwater", "--file", path, "--format", "keyword"],
    );
    assert_eq!(status(&changed), 7, "{}", said(&host, &changed));
    for end in ["html", "md"] {
        let to = host.root().join(format!("plain.{end}"));
        let output = command(&host, &["changes", "plain", "1"]).arg("--report").arg(&to).output().unwrap();
        assert_eq!(status(&output), 0, "{}", said(&host, &output));
        let text = fs::read_to_string(&to).unwrap();
        assert!(text.contains("rows") && text.contains("(hidden)") && !text.contains("water"), "{text}");
    }
    let output = command(&host, &["changes", "plain", "1", "--report", "plain.pdf"]).output().unwrap();
    assert!(status(&output) == 2 && said(&host, &output).contains("neither in .html nor in .md"));
    let before = config(&host);
    let output = command(&host, &["changes", "plain", "1", "--report", "/nowhere/x.html"]).output().unwrap();
    assert_eq!((status(&output), config(&host)), (1, before), "{}", said(&host, &output));
}
