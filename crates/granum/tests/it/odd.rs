//! Files, pipes and places that are not as usual: recognised and said, never lost or read wrongly.

use super::folder::Folder;

/// Surveys a file of these bytes; gives what is said.
fn surveyed(bytes: &[u8]) -> String {
    let folder = Folder::new();
    folder.file("t.csv", bytes);
    let ran = folder.granum(&["survey", "t.csv"]);
    ran.out + &ran.err
}

/// Runs a plan over a file of these bytes; gives what is wrong with it.
fn refused(bytes: &[u8], code: i32) -> String {
    let folder = Folder::new();
    folder
        .file("t.csv", bytes)
        .plan("input t from \"t.csv\"\ntable u from t\noutput u to \"u.csv\"\n");
    let ran = folder.run().code(code);
    if code == 0 { folder.read("u.csv") } else { ran.err }
}

#[test]
fn files_that_are_written_in_no_usual_way_are_recognised() {
    // Lines that end in a carriage return alone, also with one line feed at the end.
    for text in ["k\r1\r2\n", "k,v\r1,2\r3,4\r\n", "k\r1\r2"] {
        let said = refused(text.as_bytes(), 3);
        assert!(said.contains("lines that end in a carriage return alone"), "{text:?}: {said}");
    }
    assert_eq!(refused(b"k\r\n1\r\n", 0), "k\n1\n");
    assert_eq!(refused(b"\"k\r1\"\n1\n", 0), "\"k\r1\"\n1\n");
    let utf16 =
        |text: &str| -> Vec<u8> { text.encode_utf16().flat_map(u16::to_le_bytes).collect() };
    let bytes = utf16("k,v\n1,K\u{e4}the\n");
    let said = refused(&bytes, 3);
    assert!(
        said.contains("UTF-16 without a mark") && said.contains("encoding \"utf-16le\""),
        "{said}"
    );
    assert!(surveyed(&bytes).contains("utf-16le"), "{}", surveyed(&bytes));
    assert!(refused(&[0; 200], 3).contains("nothing but bytes of zero"));
    assert_eq!(refused("\u{feff}\u{feff}k\n1\n".as_bytes(), 0), "k\n1\n");
}

#[test]
fn a_header_may_stand_far_down() {
    let folder = Folder::new();
    folder.file("t.csv", format!("{}k,n\nA,1\n", "above\n".repeat(300_000)));
    folder.plan("input t from \"t.csv\" header at 300001\n");
    folder.granum(&["show", "p.granum", "t"]).code(0).says("  A  1\n");
    folder.file("t.csv", format!("{}k,n\nA,x\n", "\n".repeat(2_000_000)));
    folder.plan("input t from \"t.csv\"\n  read n as integer\n");
    folder.run().code(1).says("t.csv line 2000002");
}

#[test]
fn a_year_has_four_digits_and_lies_in_this_calendar() {
    for day in ["01/02/26", "01/02/126", "01/02/-026", "01/02/1500"] {
        let folder = Folder::new();
        folder
            .file("t.csv", format!("d\n{day}\n"))
            .plan("input t from \"t.csv\"\n  read d as date \"%d/%m/%Y\"\n");
        folder.run().code(1).says(&format!("\"{day}\""));
    }
}

#[cfg(unix)]
#[test]
fn a_pattern_passes_over_nothing() {
    let folder = Folder::new();
    folder.file("in/a.csv", "k\n1\n").plan("input t from \"in/*.csv\"\n");
    folder.run().code(0);
    std::os::unix::fs::symlink("gone.csv", folder.path().join("in/b.csv")).unwrap();
    folder.run().code(3).complains(
        "error: in/b.csv: is a link that leads nowhere\n  the pattern in/*.csv finds it",
    );
}

#[cfg(unix)]
#[test]
fn a_pipe_is_read_once_and_whole() {
    use std::io::Write;
    let folder = Folder::new();
    let made = std::process::Command::new("mkfifo").arg(folder.path().join("pipe")).status();
    assert!(made.unwrap().success());
    let path = folder.path().join("pipe");
    let writer = std::thread::spawn(move || {
        let mut pipe = std::fs::OpenOptions::new().write(true).open(path).unwrap();
        let line = |row: u32| format!("{row};K\u{e4}the\n");
        let rows: String = (0..1_000).map(line).collect();
        pipe.write_all(&encoding(&format!("k;v\n{rows}"))).unwrap();
    });
    folder.plan(
        "input t from \"pipe\" delimiter \";\" encoding \"windows-1252\"\ntable u from t\n\
         check: rows(u) = 1000\noutput u to \"u.csv\"\n",
    );
    folder.run().code(0);
    writer.join().unwrap();
    assert!(folder.read("u.csv").ends_with("999,K\u{e4}the\n"));
    folder.plan("input t from \"/dev/zero\"\n");
    folder.run().code(3).complains("gives bytes without an end");
}

#[cfg(unix)]
fn encoding(text: &str) -> Vec<u8> {
    text.chars().map(|letter| letter as u8).collect()
}

#[cfg(unix)]
#[test]
fn a_signal_takes_back_what_was_begun() {
    for (signal, code) in [("INT", 130), ("TERM", 143)] {
        let folder = Folder::new();
        let pipe = folder.path().join("pipe");
        assert!(std::process::Command::new("mkfifo").arg(&pipe).status().unwrap().success());
        // The first input is there, so that the outputs are begun; the pipe never ends.
        folder.file("a.csv", "k\n1\n").plan(
            "input a from \"a.csv\"\ninput b from \"pipe\"\noutput a to \"new/a.csv\"\n\
             output b to \"new/b.csv\"\n",
        );
        let mut child = folder.command(&["run", "p.granum"]).spawn().unwrap();
        let writer = std::fs::OpenOptions::new().write(true).open(&pipe).unwrap();
        std::thread::sleep(std::time::Duration::from_millis(300));
        let id = child.id().to_string();
        assert!(
            std::process::Command::new("kill")
                .args(["-s", signal, &id])
                .status()
                .unwrap()
                .success()
        );
        let ended = child.wait().unwrap();
        drop(writer);
        assert_eq!(ended.code(), Some(code));
        assert_eq!(folder.names(), ["a.csv", "p.granum", "pipe"]);
    }
}

/// Runs the program where the system grants it less; gives its exit code and what it complained of.
#[cfg(target_os = "linux")]
fn limited(folder: &Folder, limit: &str, command: &str) -> (Option<i32>, String) {
    let ended = std::process::Command::new("sh")
        .args(["-c", &format!("{limit}; exec \"$0\" {command}")])
        .arg(env!("CARGO_BIN_EXE_granum"))
        .current_dir(folder.path())
        .output()
        .unwrap();
    (ended.status.code(), String::from_utf8(ended.stderr).unwrap())
}

#[cfg(target_os = "linux")]
#[test]
fn outputs_that_are_more_than_may_be_open_are_told() {
    let folder = Folder::new();
    let outputs: Vec<String> =
        (0..90).map(|at| format!("output t to \"out/{at}.csv\"\n")).collect();
    folder.file("t.csv", "k\n1\n");
    folder.plan(&format!("input t from \"t.csv\"\n{}", outputs.concat()));
    let (code, said) = limited(&folder, "ulimit -n 60", "run p.granum");
    assert_eq!(code, Some(3), "{said}");
    assert!(said.ends_with("let more files be open at once:  ulimit -n 10000\n"), "{said}");
    assert_eq!(folder.names(), ["p.granum", "t.csv"]);
}

#[cfg(target_os = "linux")]
#[test]
fn memory_that_runs_out_is_told_and_nothing_is_left() {
    let folder = Folder::new();
    let rows: Vec<String> = (0..4_000).map(|row| format!("{row},9999,{row}.37\n")).collect();
    folder.file("t.csv", format!("id,q,net\n{}", rows.concat())).plan(
        "input t from \"t.csv\"\n  grain id\ntable u from t\n  units of q as n split net\n\
         output t to \"out/t.csv\"\noutput u to \"out/u.csv\"\n",
    );
    let (code, said) = limited(&folder, "ulimit -v 700000", "run p.granum --threads 1");
    assert_eq!(code, Some(3), "{said}");
    assert!(
        said.contains("error: memory ran out while reading t\n  Outputs were left as"),
        "{said}"
    );
    assert_eq!(folder.names(), ["p.granum", "t.csv"]);
}

#[cfg(target_os = "linux")]
#[test]
fn a_full_disk_behind_standard_output_is_no_success() {
    let folder = Folder::new();
    folder.file("t.csv", "k,n\n1,2\n");
    for args in [&["survey", "t.csv"][..], &["draft", "t.csv"], &["--help"]] {
        let full = std::fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
        let output = folder.command(args).stdout(full).output().unwrap();
        if args != ["--help"] {
            assert_eq!(output.status.code(), Some(3), "{args:?}");
            let said = String::from_utf8(output.stderr).unwrap();
            assert!(said.contains("standard output cannot be written: No space left"), "{said}");
        }
    }
}

#[test]
fn what_acts_on_a_terminal_is_seen_and_data_keeps_it() {
    let folder = Folder::new();
    folder
        .file("t.csv", "k\u{1b}[2J,n\n\u{202e}A\u{7},1\n\"B\nC\",x\n")
        .plan("input t from \"t.csv\"\n  read n as integer\noutput t to \"o.csv\"\n");
    let ran = folder.run().code(1);
    assert!(ran.out.contains("\"x\""));
    folder.plan("input t from \"t.csv\"\noutput t to \"o.csv\"\n");
    let shown = folder.granum(&["show", "p.granum", "t"]).code(0);
    assert!(
        shown.out.contains("k\\u{1b}[2J") && shown.out.contains("\\u{202e}A\\u{7}"),
        "{}",
        shown.out
    );
    for args in
        [&["survey", "t.csv"][..], &["run", "p.granum", "--color", "always"], &["show", "p.granum"]]
    {
        let ran = folder.granum(args).code(0);
        let said = (ran.out + &ran.err).replace("\u{1b}[1m", "").replace("\u{1b}[0m", "");
        assert!(!said.contains(['\u{7}', '\u{202e}']) && !said.contains("\u{1b}[2J"), "{said}");
    }
    assert_eq!(folder.read("o.csv"), folder.read("t.csv"));
}

#[test]
fn lines_below_the_rows_are_left_out_and_told() {
    let folder = Folder::new();
    let line = |row: u32| format!("M{row},{row}\n");
    let rows: String = (0..90_000).map(line).collect();
    for body in ["M1,1\nM2,2\n", &rows] {
        folder.file("t.csv", format!("k,n\n{body}\nTotal: 2 rows\n\n"));
        folder.plan("input t from \"t.csv\" footer 1\noutput t to \"o.csv\"\n");
        let last = body.lines().count() + 3;
        folder.run().code(0).says(&format!(
            "1 line below the rows left out: \"Total: 2 rows\" (t.csv line {last})\n"
        ));
        assert_eq!(folder.read("o.csv"), format!("k,n\n{body}"));
        folder.granum(&["fmt", "p.granum", "--check"]).code(1);
        // It is found, and drafted.
        folder.granum(&["survey", "t.csv"]).code(0).says("1 line below the rows");
        let draft = folder.granum(&["draft", "t.csv"]).code(0).out;
        assert!(draft.contains("from \"t.csv\" footer 1\n"), "{draft}");
    }
    // More than a part of it, and more than there is.
    folder.file("t.csv", "k,n\nA,1\nx,2\ny,3\n");
    for (footer, left) in [(2, "k,n\nA,1\n"), (9, "k,n\n")] {
        folder.plan(&format!(
            "input t from \"t.csv\" footer {footer}\n  read n as integer\noutput t to \"o.csv\"\n"
        ));
        folder.run().code(0);
        assert_eq!(folder.read("o.csv"), left);
    }
    folder.plan("input t from \"t.csv\" footer 0\n");
    folder.run().code(2).complains("expected how many lines stand below the rows");
    folder.plan("input t from \"t.csv\"\noutput t to \"o.csv\"\n");
    folder.file("t.csv", "k,n,m\nA,1,1\nB,2,2\nTotal: 2 rows\n");
    folder.run().code(3).complains("left out by  footer N  behind the path");
    // Quotes do not hide it, wherever the part begins that is looked at.
    let quoted = |row: u32| format!("M{row},\"a, \"\"b\"\"\n c{row}\"\n");
    let quoted = (0..3_000).map(quoted).collect::<Vec<String>>().concat();
    assert!(surveyed(format!("k,n\n{quoted}Total: 3000\n").as_bytes()).contains("1 line below"));
    // A last row that only looks like one is a row.
    assert!(!surveyed(b"k,n\nA,1\nB,2\nTotally green,3\n").contains("footer"));
    assert!(surveyed(b"k,n\nA,1\nB,2\nTotal,3\n").contains("footer 1"));
}

#[test]
fn a_word_to_a_spreadsheet_is_no_header() {
    let said = refused(b"sep=;\nk;n\nA;1\n", 3);
    assert!(
        said.contains("begins with `sep=;`") && said.contains("delimiter \";\" header at 2"),
        "{said}"
    );
    let said = surveyed(b"sep=;\nk;n\nA;1\n");
    assert!(said.contains("fields by semicolon") && said.contains("header at line 2"), "{said}");
}
