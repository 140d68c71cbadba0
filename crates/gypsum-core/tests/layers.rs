//! The reading order, against a naive reader that puts each included file in the place of its statement.

#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

use gypsum_core::doc::{Document, Family, Wins};
use gypsum_core::edit::File;
use gypsum_core::layers::{EffectiveConfig, Inclusion, Order, value_of};
use gypsum_core::profile::{Profile, read};
use proptest::prelude::*;

#[derive(Clone, Debug)]
enum Line {
    Set(usize, u8),
    Include(usize),
}

const NAMES: [&str; 3] = ["berth", "quay", "notice"];

fn profile(wins: Wins) -> Profile {
    let text = "daemon = \"tides\"\ntitle = \"x\"\n[files]\nhome = \"/f0\"\nread = [\"/f0\"]\nformat = \"keyword\"\n[setting]\nberth = {}\nquay = {}\nnotice = { repeats = true }\n";
    let mut profile = read(text).unwrap_or_else(|finding| panic!("{finding:?}"));
    profile.dialect.wins = wins;
    profile.dialect.includes = vec!["include".into()];
    profile
}

/// (name, value) in the order of a reader who follows each include where it is; what includes itself ends there.
fn naive(files: &[Vec<Line>], n: usize, within: &mut Vec<usize>, out: &mut Vec<(usize, u8)>) {
    if within.contains(&n) {
        return;
    }
    within.push(n);
    for line in &files[n] {
        match line {
            Line::Set(name, value) => out.push((*name, *value)),
            Line::Include(other) => naive(files, *other, within, out),
        }
    }
    within.pop();
}

fn built(lines: &[Vec<Line>], profile: &Profile) -> (Vec<File>, Order) {
    let text = |lines: &Vec<Line>| -> String {
        let line = |line: &Line| match line {
            Line::Set(name, value) => format!("{} {value}\n", NAMES[*name]),
            Line::Include(other) => format!("include /f{other}\n"),
        };
        lines.iter().map(line).collect()
    };
    let file = |(n, lines): (usize, &Vec<Line>)| {
        let doc = Document::read(text(lines).into_bytes(), Family::Keyword, profile.dialect.clone()).unwrap();
        File { path: format!("/f{n}"), doc }
    };
    let files: Vec<File> = lines.iter().enumerate().map(file).collect();
    let mut inclusions = Vec::new();
    for (n, file) in files.iter().enumerate() {
        for (leaf, pattern) in file.doc.includes() {
            let read = vec![pattern[2..].parse().unwrap()];
            inclusions.push(Inclusion { file: n, leaf, pattern, read });
        }
    }
    (files, Order { roots: vec![0], inclusions })
}

proptest! {
    #[test]
    fn every_setting_comes_at_its_turn_and_the_right_one_decides(
        lines in prop::collection::vec(
            prop::collection::vec(
                prop_oneof![
                    3 => (0..3usize, any::<u8>()).prop_map(|(name, value)| Line::Set(name, value)),
                    1 => (0..4usize).prop_map(Line::Include),
                ],
                0..7,
            ),
            4,
        ),
        last in any::<bool>(),
    ) {
        let profile = profile(if last { Wins::Last } else { Wins::First });
        let (files, order) = built(&lines, &profile);
        let layers = EffectiveConfig::of(&files, &order, &profile);
        let mut wanted = Vec::new();
        naive(&lines, 0, &mut Vec::new(), &mut wanted);
        let settings: Vec<_> =
            layers.turns().iter().filter(|turn| files[turn.file].doc.text(turn.name) != "include").collect();
        let got: Vec<(String, String)> = settings
            .iter()
            .map(|turn| {
                let doc = &files[turn.file].doc;
                (doc.text(turn.name).into_owned(), value_of(doc, turn.leaf))
            })
            .collect();
        let text: Vec<(String, String)> =
            wanted.iter().map(|(name, value)| (NAMES[*name].to_owned(), value.to_string())).collect();
        prop_assert_eq!(got, text);

        // Of what does not add up one decides, the first or the last; what adds up always counts.
        let mut of_name = wanted.iter().filter(|(name, _)| *name == 0).map(|(_, value)| value.to_string());
        let decides = if last { of_name.next_back() } else { of_name.next() };
        prop_assert_eq!(layers.value(&files, &profile, "berth"), decides.clone());
        let deciding = layers.deciding(&files, &profile);
        for (turn, winner) in layers.turns().iter().zip(&deciding) {
            let doc = &files[turn.file].doc;
            let (name, value) = (doc.text(turn.name), value_of(doc, turn.leaf));
            match winner {
                Some(winner) => {
                    let winner = &layers.turns()[*winner as usize];
                    prop_assert_eq!(doc.text(turn.name), files[winner.file].doc.text(winner.name));
                    prop_assert!(name != "notice");
                }
                None if name == "berth" => prop_assert_eq!(Some(value), decides.clone()),
                None => {}
            }
        }
        for (n, file) in files.iter().enumerate() {
            let reached = n == 0 || layers.turns().iter().any(|turn| turn.file == n);
            prop_assert!(!reached || layers.reads(n), "{} was read", file.path);
        }
    }
}
