//! The man page is drawn from the arguments themselves. `SNAPSHOTS=overwrite cargo test --test man` draws it
//! anew.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, missing_docs, dead_code)]

#[path = "../src/args/mod.rs"]
mod args;

use clap::CommandFactory;

#[test]
fn the_man_page_says_what_the_program_takes() {
    let mut page = Vec::new();
    let command = args::Cli::command();
    clap_mangen::Man::new(command.clone()).render(&mut page).unwrap();
    for sub in command.get_subcommands() {
        let name = sub.get_name().to_uppercase();
        page.extend_from_slice(format!(".SH \"GYPSUM {name}\"\n").as_bytes());
        let man = clap_mangen::Man::new(sub.clone());
        man.render_synopsis_section(&mut page).unwrap();
        man.render_description_section(&mut page).unwrap();
        man.render_options_section(&mut page).unwrap();
        man.render_extra_section(&mut page).unwrap();
    }
    let text = String::from_utf8(page).unwrap();
    let path = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/gypsum.1");
    snapbox::assert_data_eq!(
        text,
        snapbox::Data::read_from(&path, Some(snapbox::data::DataFormat::Text)).raw()
    );
}
