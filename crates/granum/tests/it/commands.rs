//! `fmt`, and what goes with every command.

use std::io::Write;
use std::process::Stdio;

use super::folder::{Folder, SHOP, shop};

#[test]
fn a_delimiter_that_was_not_said_is_guessed_in_the_help() {
    let folder = Folder::new();
    for (sign, written) in [(";", ";"), ("\t", "\\t"), ("|", "|")] {
        folder
            .file("t.csv", format!("order_no{sign}net\nM1{sign}2\n"))
            .plan("input t from \"t.csv\"\n  grain order_no\n");
        folder.granum(&["check", "p.granum"]).code(2).complains(&format!(
            "its only column is called `order_no{written}net`: if these are order_no, net, say  \
             delimiter \"{written}\""
        ));
        folder.plan(&format!("input t from \"t.csv\" delimiter \"{written}\"\n  grain order_no\n"));
        folder.granum(&["check", "p.granum"]).code(0);
    }
}

#[test]
fn fmt_brings_a_plan_into_the_one_layout() {
    let folder = Folder::new();
    let rough = "input t from \"t.csv\" # all of it\nadd x=1,y = 2 # two\nkeep x>0\n";
    let fine =
        "input t from \"t.csv\"  # all of it\n  add x = 1\n      y = 2  # two\n  keep x > 0\n";
    folder.plan(rough);
    folder
        .granum(&["fmt", "p.granum", "--check"])
        .code(1)
        .says("p.granum is not in the one layout: granum fmt p.granum\n");
    assert_eq!(folder.read("p.granum"), rough);
    folder.granum(&["fmt", "p.granum"]).code(0).says("p.granum is in the one layout now\n");
    assert_eq!(folder.read("p.granum"), fine);
    assert_eq!(folder.granum(&["fmt", "p.granum", "--check"]).code(0).out, "");
    assert_eq!(folder.granum(&["fmt", "p.granum"]).code(0).out, "");
    assert_eq!(folder.names(), ["p.granum"]);
}

#[test]
fn fmt_formats_standard_input() {
    let folder = Folder::new();
    let format = |text: &[u8]| {
        let mut child = folder
            .command(&["fmt", "-"])
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        child.stdin.take().unwrap().write_all(text).unwrap();
        child.wait_with_output().unwrap()
    };
    let ended = format(b"output  t to\n\"t.csv\"");
    assert_eq!(String::from_utf8(ended.stdout).unwrap(), "output t to \"t.csv\"\n");
    let ended = format(b"caf\xe9");
    assert_eq!(ended.status.code(), Some(2));
    let err = String::from_utf8(ended.stderr).unwrap();
    assert!(err.starts_with("error: standard input line 1: a plan is UTF-8 text\n"), "{err}");
}

#[test]
fn fmt_leaves_a_wrong_plan_alone() {
    let folder = Folder::new();
    folder.plan("input t form \"t.csv\"\n");
    folder.granum(&["fmt", "p.granum"]).code(2).complains("expected `from` and a file");
    assert_eq!(folder.read("p.granum"), "input t form \"t.csv\"\n");
}

#[test]
fn plans_that_cannot_be_opened() {
    let folder = Folder::new();
    folder
        .granum(&["run", "no.granum"])
        .code(3)
        .complains("error: no.granum: there is no such plan\n");
    folder.file("d.granum/x", "");
    folder
        .granum(&["check", "d.granum"])
        .code(3)
        .complains("error: d.granum: is a folder, not a plan\n");
    folder.file("b.granum", b"plan \"x\"\n# caf\xe9\n");
    folder
        .granum(&["show", "b.granum", "t"])
        .code(2)
        .complains("error: b.granum line 2: a plan is UTF-8 text\n");
}

#[test]
fn calls_that_are_wrong_end_with_two() {
    let folder = shop();
    folder.plan(SHOP);
    for args in [
        &["run"][..],
        &["rnu", "p.granum"],
        &["run", "p.granum", "--set", "novalue"],
        &["run", "p.granum", "--threads", "0"],
        &["run", "p.granum", "--threads", "-1"],
        &["show"],
        &["demo", "--quantity", "99"],
    ] {
        folder.granum(args).code(2);
    }
    folder.granum(&["--help"]).code(0).says("Exit codes:");
}

#[test]
fn parameters_that_are_not_there_or_not_of_their_type() {
    let folder = Folder::new();
    folder
        .file("t.csv", "a\n1\n")
        .plan("param until date = date(\"2026-01-01\")\ninput t from \"t.csv\"\n");
    folder
        .granum(&["run", "p.granum", "--set", "untill=2026-01-01"])
        .code(2)
        .complains("--set names `untill`, which the plan has no parameter for")
        .complains("did you mean `until`?");
    folder
        .granum(&["run", "p.granum", "--set", "until=June"])
        .code(2)
        .complains("--set until: `June` is not of type date");
    folder.plan("input t from \"t.csv\"\n");
    folder
        .granum(&["run", "p.granum", "--set", "x=1"])
        .code(2)
        .complains("a parameter is declared with `param NAME TYPE = VALUE`");
}

#[test]
fn colour_only_where_it_is_wanted() {
    let folder = shop();
    folder.plan(SHOP);
    assert!(!folder.run().out.contains('\u{1b}'));
    assert!(folder.granum(&["run", "p.granum", "--color", "always"]).out.contains('\u{1b}'));
    let output = folder.command(&["run", "p.granum"]).env("NO_COLOR", "1").output().unwrap();
    assert!(!output.stdout.contains(&0x1b));
    folder.plan("nonsense");
    assert!(folder.granum(&["run", "p.granum", "--color", "always"]).err.contains('\u{1b}'));
    assert!(!folder.granum(&["run", "p.granum", "--color", "never"]).err.contains('\u{1b}'));
}

#[test]
fn the_reference_names_every_function_and_what_is_missing() {
    let reference = include_str!("../../../../docs/language.md");
    for function in granum_core::expr::FUNCTIONS {
        let signature = format!("| `{}` |", function.signature);
        assert!(reference.contains(&signature), "no row for {}", function.name);
        assert!(reference.contains(function.doc), "another sentence for {}", function.name);
    }
}

#[test]
fn a_plan_can_stand_on_the_command_line() {
    let folder = shop();
    let plan = format!("{SHOP}output lines to \"out.csv\"\n");
    folder.granum(&["run", "-e", &plan]).code(0).says("wrote out.csv · 4 rows");
    assert_eq!(folder.read("out.csv"), folder.read("lines.csv"));
    let show = folder.granum(&["show", "-e", &plan, "customers", "--rows", "1"]).code(0);
    show.says("the first 1 of 2 rows");
    folder
        .granum(&["check", "-e", "input t from \"lines.csv\" grain x"])
        .code(2)
        .complains("┌─ -e '…':1:32\n");
    let failing = format!("{SHOP}link lines to orders on order_no complete");
    folder
        .granum(&["check", "-e", &failing])
        .code(1)
        .says("see them: granum show -e '…' lines --unmatched orders\n");
}

#[test]
fn a_plan_stands_in_a_file_or_on_the_command_line_and_not_in_both() {
    let folder = shop();
    folder.plan(SHOP);
    folder.granum(&["check"]).code(2).complains("required arguments were not provided");
    folder.granum(&["check", "p.granum", "-e", SHOP]).code(2).complains("cannot be used with");
    folder
        .granum(&["show"])
        .code(2)
        .complains("show takes a plan and a table: granum show PLAN TABLE");
    folder
        .granum(&["show", "p.granum", "lines", "-e", SHOP])
        .code(2)
        .complains("with -e, show takes a table alone: granum show -e 'PLAN TEXT' TABLE");
}

#[test]
fn shells_are_told_every_command() {
    let folder = Folder::new();
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        let ran = folder.granum(&["completions", shell]).code(0);
        for command in ["demo", "check", "run", "show", "fmt", "completions"] {
            assert!(ran.out.contains(command), "{shell} is not told {command}");
        }
    }
    folder.granum(&["completions", "csv"]).code(2);
}

#[test]
fn the_manual_has_a_page_for_each_command() {
    let folder = Folder::new();
    folder.granum(&["manual", "man"]).code(0);
    assert!(folder.read("man/record.schema.json").starts_with("{\n  \"$schema\""));
    let pages: Vec<String> = folder.names();
    for command in
        ["run", "check", "show", "trace", "example", "compare", "survey", "match", "draft"]
    {
        assert!(pages.contains(&format!("man/granum-{command}.1")), "{pages:?}");
    }
    let page = folder.read("man/granum-run.1");
    assert!(page.starts_with(".ie") && page.contains("anyway\\-to"), "{page}");
    assert!(
        !pages.contains(&"man/granum-manual.1".to_owned()),
        "what is hidden has none: {pages:?}"
    );
    folder
        .file("taken", "")
        .granum(&["manual", "taken"])
        .code(3)
        .complains("taken: the pages cannot be written");
}

#[test]
fn nothing_is_said_where_all_is_well_and_nobody_wants_to_hear_it() {
    let folder = shop();
    folder.plan(&format!("{SHOP}check lines: net > 0\noutput lines to \"a.csv\"\n"));
    let quiet = |args: &[&str], code: i32| folder.granum(&[args, &["-q"]].concat()).code(code);
    for args in
        [&["run", "p.granum"][..], &["check", "p.granum"], &["compare", "a.csv", "lines.csv"]]
    {
        let ran = quiet(args, 0);
        assert!(ran.out.is_empty() && ran.err.is_empty(), "{args:?}: {}{}", ran.out, ran.err);
    }
    folder.plan(&format!("{SHOP}check lines: net > 5\nwarn orders: freight > 1\n"));
    quiet(&["run", "p.granum"], 1)
        .says("STOPPED: 0 of 0 links failed, 1 of 1 checks failed, 1 warning.");
    folder.plan(&format!("{SHOP}warn orders: freight > 1\n"));
    quiet(&["run", "p.granum"], 0)
        .says("HELD: 0 links and 0 checks hold. 1 of 1 warnings does not.");
}
