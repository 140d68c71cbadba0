//! What our own checks cost: a web server's configuration of 5,000 lines in eleven files, before and after an edit.

#![allow(missing_docs, clippy::unwrap_used)]

use gypsum_core::check::{CheckingChange, check};
use gypsum_core::doc::Document;
use gypsum_core::edit::File;
use gypsum_core::layers::{EffectiveConfig, Inclusion, Order};
use gypsum_core::profile::{Profile, built_in, read};
use gypsum_core::rules::{ConfigView, changed_statements};
use gypsum_core::survey::Survey;

fn main() {
    divan::main();
}

fn site(n: usize) -> String {
    let mut text = String::new();
    for m in 0..25 {
        text.push_str(&format!(
            "server {{\n    listen 80;\n    server_name quay{n}-{m}.saltmarsh.example;\n    root /srv/quay{n};\n    client_max_body_size 8m;\n    access_log /var/log/nginx/quay{n}.log;\n\n"
        ));
        for k in 0..3 {
            text.push_str(&format!(
                "    location /board{k} {{\n        expires 1h;\n        proxy_read_timeout 30s;\n    }}\n"
            ));
        }
        text.push_str("}\n");
    }
    text
}

fn files(profile: &Profile, first: &str) -> (Vec<File>, Order) {
    let doc = |text: String| {
        Document::read(text.into_bytes(), profile.files.format, profile.dialect.clone()).unwrap()
    };
    let main =
        format!("user www-data;\nworker_processes {first};\nhttp {{\n    include /etc/nginx/sites/*;\n}}\n");
    let mut files = vec![File { path: "/etc/nginx/nginx.conf".into(), doc: doc(main) }];
    for n in 0..10 {
        files.push(File { path: format!("/etc/nginx/sites/{n}"), doc: doc(site(n)) });
    }
    let leaf = files[0].doc.includes()[0].0;
    let pattern = "/etc/nginx/sites/*".to_owned();
    let order = Order {
        roots: vec![0],
        inclusions: vec![Inclusion { file: 0, leaf, pattern, read: (1..11).collect() }],
    };
    (files, order)
}

#[divan::bench]
fn check_of_5000_lines(bencher: divan::Bencher<'_, '_>) {
    let profile = read(built_in("nginx").unwrap().text).unwrap();
    let (files, order) = files(&profile, "auto");
    bencher.bench(|| {
        let survey = Survey::default();
        let layers = EffectiveConfig::of(&files, &order, &profile);
        check(&ConfigView {
            files: &files,
            order: &order,
            layers: &layers,
            profile: &profile,
            survey: &survey,
            changed_statements: None,
        })
    });
}

#[divan::bench]
fn change_of_5000_lines(bencher: divan::Bencher<'_, '_>) {
    let profile = read(built_in("nginx").unwrap().text).unwrap();
    let (before, order) = files(&profile, "auto");
    let (after, _) = files(&profile, "4");
    let lines: usize =
        before.iter().map(|file| file.doc.source().iter().filter(|byte| **byte == b'\n').count()).sum();
    assert!(lines >= 5_000, "{lines}");
    bencher.bench(|| {
        let survey = Survey::default();
        let (old, new) =
            (EffectiveConfig::of(&before, &order, &profile), EffectiveConfig::of(&after, &order, &profile));
        let subject = |files, layers| ConfigView {
            files,
            order: &order,
            layers,
            profile: &profile,
            survey: &survey,
            changed_statements: None,
        };
        let (old, new) = (subject(&before, &old), subject(&after, &new));
        CheckingChange::of(old, new, &changed_statements(&old, &new)).round(&survey)
    });
}

#[divan::bench]
fn profile_of_nginx(bencher: divan::Bencher<'_, '_>) {
    bencher.bench(|| read(built_in("nginx").unwrap().text));
}

#[divan::bench]
fn profile_of_postfix(bencher: divan::Bencher<'_, '_>) {
    bencher.bench(|| read(built_in("postfix").unwrap().text));
}
