//! A plan reads what it names, and writes its outputs: nothing else.
#![cfg(target_os = "linux")]

use super::folder::{Folder, SHOP, shop};
use super::shim::shim;

/// What the program opened in a folder: to read, and to write.
fn opened(folder: &Folder, args: &[&str]) -> (Vec<String>, Vec<String>) {
    let tools = Folder::new();
    let shim = shim(&tools);
    tools.file("opened", "").file("tmp/none", "");
    let log = tools.path().join("opened");
    let mut command = folder.command(args);
    command.env("LD_PRELOAD", shim).env("OPENED", &log).env("TMPDIR", tools.path().join("tmp"));
    assert!(command.output().unwrap().status.code().is_some());
    let here = folder.path().canonicalize().unwrap();
    let (mut reads, mut writes) = (vec![], vec![]);
    for line in tools.read("opened").lines() {
        let (way, path) = line.split_at(2);
        let path = std::path::Path::new(path);
        // The system's own, the program's threads, and temporary files are nobody's.
        let own = path.is_relative() || path.starts_with(&here) || path.starts_with(folder.path());
        let system = ["/proc", "/sys", "/etc", "/dev", "/usr", "/lib"];
        let temporary = path.starts_with(tools.path());
        assert!(own || temporary || system.iter().any(|start| path.starts_with(start)), "{line}");
        if own {
            let path = path.strip_prefix(&here).or_else(|_| path.strip_prefix(folder.path()));
            let name = path.unwrap_or(std::path::Path::new(&line[2..])).display().to_string();
            if way == "w " { writes.push(name) } else { reads.push(name) }
        }
    }
    (reads, writes)
}

#[test]
fn a_plan_reads_what_it_names_and_writes_its_outputs() {
    let folder = shop();
    folder
        .plan(&format!(
            "use \"more.granum\"\n{SHOP}input parts from \"parts/*.csv\"\n\
             link lines to orders on order_no\ntable sales from lines\n  keep has(orders)\n\
             output sales to \"out/sales.csv\"\n"
        ))
        .file("more.granum", "param least integer = 1\n")
        .file("parts/a.csv", "k\n1\n")
        .file("parts/b.txt", "k\n1\n")
        .file("secret.csv", "k\n1\n")
        .file("out/other.csv", "k\n1\n");
    let named = [
        "p.granum",
        "more.granum",
        "orders.csv",
        "lines.csv",
        "customers.csv",
        "parts",
        "parts/a.csv",
        "out",
        "",
    ];
    let commands: [&[&str]; 6] = [
        &["run", "p.granum"],
        &["check", "p.granum"],
        &["show", "p.granum", "sales"],
        &["trace", "p.granum", "sales", "order_no=M1"],
        &["example", "p.granum", "sales", "order_no=M1"],
        &["run", "p.granum", "--set", "least=2", "--record", "out/r.json", "--aside", "out"],
    ];
    for args in commands {
        let (reads, writes) = opened(&folder, args);
        let others: Vec<&String> = reads
            .iter()
            .filter(|name| !named.contains(&name.as_str()) && !name.starts_with("out/"))
            .collect();
        assert!(others.is_empty(), "{args:?}: {others:?}");
        // What is beside an output, and goes.
        let beside = |name: &String| name.starts_with("out/.granum-");
        assert!(writes.iter().all(beside), "{args:?}: {writes:?}");
        assert_eq!(writes.is_empty(), args[0] != "run", "{args:?}: {writes:?}");
    }
    assert_eq!(folder.read("out/other.csv"), "k\n1\n");
    assert!(!folder.names().iter().any(|name| name.contains(".granum-")));
}
