//! The pages of docs: what they show is what the program prints.

use std::fs;
use std::process::Command;

use super::folder::Folder;

/// The commands of a page, each with the lines that it is said to print; `…` for some that are
/// left out.
fn commands(page: &str) -> Vec<(String, Vec<String>)> {
    let mut found: Vec<(String, Vec<String>)> = vec![];
    let mut inside = false;
    for line in page.lines() {
        match (inside, line) {
            (false, "```console") => inside = true,
            (true, "```") => inside = false,
            (true, line) => match line.strip_prefix("$ ") {
                Some(command) => found.push((command.into(), vec![])),
                None => found.last_mut().unwrap().1.push(line.into()),
            },
            _ => {}
        }
    }
    found
}

/// Asserts that lines stand in an output one below the other, but where some are left out.
fn assert_shown(command: &str, shown: &[String], printed: &str) {
    let printed: Vec<&str> = printed.trim_end().lines().collect();
    let (mut at, mut skipped) = (0, false);
    for line in shown {
        if line == "…" {
            skipped = true;
            continue;
        }
        let found = printed[at..].iter().position(|printed| printed == line);
        let found =
            found.unwrap_or_else(|| panic!("{command}: no\n{line}\nin\n{}", printed.join("\n")));
        assert!(skipped || found == 0, "{command}: lines are left out before\n{line}");
        (at, skipped) = (at + found + 1, false);
    }
    assert!(skipped || at == printed.len(), "{command}: lines are left out at the end");
}

/// The words of a command, as a shell takes them: quotes away, patterns as the files that they find.
fn words(folder: &Folder, at: &str, command: &str) -> Vec<String> {
    let mut args: Vec<String> = vec![];
    for (part, quoted) in command.split('\'').enumerate() {
        if part % 2 == 1 {
            args.push(quoted.into());
            continue;
        }
        for word in quoted.split_whitespace() {
            match word.strip_suffix("*.csv") {
                Some(start) => {
                    let start = format!("{at}{start}");
                    let found = folder.names().into_iter().filter(|name| name.starts_with(&start));
                    args.extend(found.map(|name| name[at.len()..].to_owned()));
                }
                None => args.push(word.into()),
            }
        }
    }
    args
}

/// Runs what a page says, and compares what it shows. Gives how many commands there were.
fn follow(folder: &Folder, page: &str) -> usize {
    let mut at = String::new();
    let mut ran = 0;
    for (command, shown) in commands(page) {
        if let Some(to) = command.strip_prefix("cd ") {
            at = format!("{to}/");
        }
        if command.starts_with("sed ") {
            let shell = ["-c", command.as_str()];
            let place = folder.path().join(&at);
            assert!(Command::new("sh").args(shell).current_dir(place).status().unwrap().success());
        }
        let Some(command) = command.strip_prefix("granum ") else { continue };
        let args = words(folder, &at, command);
        let args: Vec<&str> = args.iter().map(String::as_str).collect();
        let output = folder.command(&args).current_dir(folder.path().join(&at)).output().unwrap();
        assert_shown(command, &shown, &String::from_utf8(output.stdout).unwrap());
        ran += 1;
    }
    ran
}

#[test]
fn the_guide_shows_what_is_printed() {
    assert!(follow(&Folder::new(), include_str!("../../../../docs/guide.md")) > 8);
}

/// The examples, by their names.
fn examples() -> Vec<(String, String)> {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples");
    let mut found: Vec<(String, String)> = fs::read_dir(folder)
        .unwrap()
        .map(|entry| entry.unwrap().path())
        .filter(|path| path.extension().is_some_and(|ending| ending == "granum"))
        .map(|path| {
            let name = path.file_name().unwrap().to_string_lossy().into_owned();
            (name, fs::read_to_string(&path).unwrap())
        })
        .collect();
    found.sort();
    found
}

#[test]
fn the_cookbook_shows_its_examples_and_what_they_print() {
    let page = include_str!("../../../../docs/cookbook.md");
    let folder = Folder::new();
    for (name, plan) in examples() {
        folder.file(&format!("examples/{name}"), &plan);
        let shown = format!("(../examples/{name})\n\n```granum\n{}\n```\n", plan.trim_end());
        assert!(page.contains(&shown) || name == "nursery.granum", "{name} is not in the cookbook");
    }
    assert!(follow(&folder, page) > 12);
    for (name, _) in examples() {
        let plan = format!("examples/{name}");
        // They hold, warn of nothing, and stand in the one layout.
        folder.granum(&["check", &plan, "-q", "--deny", "warnings"]).code(0);
        folder.granum(&["fmt", "--check", &plan]).code(0);
    }
}
