//! The pages of docs: what they show is what the program prints.

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

#[test]
fn the_guide_shows_what_is_printed() {
    let folder = Folder::new();
    let data = "granum-demo/data";
    let mut ran = 0;
    for (command, shown) in commands(include_str!("../../../../docs/guide.md")) {
        let Some(words) = command.strip_prefix("granum ") else { continue };
        // A shell takes quotes away and lists the files of a pattern.
        let mut args: Vec<String> = vec![];
        for (at, quoted) in words.split('\'').enumerate() {
            if at % 2 == 1 {
                args.push(quoted.into());
                continue;
            }
            for word in quoted.split_whitespace() {
                match word {
                    "data/*.csv" => {
                        let names = folder.names().into_iter();
                        let files = names.filter(|name| name.starts_with(data));
                        args.extend(files.map(|name| name["granum-demo/".len()..].to_owned()));
                    }
                    word => args.push(word.into()),
                }
            }
        }
        let args: Vec<&str> = args.iter().map(String::as_str).collect();
        let output = match args[0] {
            "demo" => folder.command(&args).output().unwrap(),
            _ => folder
                .command(&args)
                .current_dir(folder.path().join("granum-demo"))
                .output()
                .unwrap(),
        };
        assert_shown(&command, &shown, &String::from_utf8(output.stdout).unwrap());
        ran += 1;
    }
    assert!(ran > 8);
}
