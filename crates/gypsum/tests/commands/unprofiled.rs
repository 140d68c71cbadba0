//! Files of daemons without a profile: the file itself shows how it is written.

use crate::boards::{gypsum, host, said, status};
use std::fs;

#[test]
fn a_file_without_a_profile_shows_how_it_is_written() {
    let host = host();
    for (name, text, edits, wanted) in [
        (
            "tides.conf",
            "# Tides of the harbour.\n#quay.east.tide=1\n#quay.west.tide=2\n",
            vec!["quay.west.tide=3", "quay.north.tide=4"],
            "# Tides of the harbour.\n#quay.east.tide=1\nquay.west.tide=3\nquay.north.tide=4\n",
        ),
        (
            "ferries.conf",
            "; Ferries.\nport 1194\n;proto tcp\n",
            vec!["proto=udp"],
            "; Ferries.\nport 1194\nproto udp\n",
        ),
        (
            "quaytab",
            "UUID=a / ext4 ro 0 1\nUUID=b /srv ext4 rw,noatime 0 2\n",
            vec!["\"UUID=b\"=/srv ext4 rw 0 2"],
            "UUID=a / ext4 ro 0 1\nUUID=b /srv ext4 rw 0 2\n",
        ),
        (
            "board.json",
            "// East\n{\n  \"rows\": 8 // wide\n}\n",
            vec!["rows=9"],
            "// East\n{\n  \"rows\": 9 // wide\n}\n",
        ),
    ] {
        let file = host.root().join(name);
        fs::write(&file, text).unwrap();
        let words =
            [&["change", "tide", "--yes", "--file", file.to_str().unwrap()], edits.as_slice()].concat();
        let output = gypsum(&host, &words);
        assert_eq!(status(&output), 7, "{}", said(&host, &output));
        assert_eq!(fs::read_to_string(&file).unwrap(), wanted);
        // What was remembered of the daemon reads the file the same way.
        let again = gypsum(&host, &["show", "tide"]);
        assert!(
            !said(&host, &again).contains("//") && !said(&host, &again).contains(';'),
            "{}",
            said(&host, &again)
        );
        gypsum(&host, &["daemons", "--forget", "tide"]);
    }
}
