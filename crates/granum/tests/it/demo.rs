//! The demo: what a newcomer sees first, word for word.

use super::folder::Folder;

#[test]
fn the_demo_runs_its_plan_and_shows_the_broken_one_stopped() {
    let folder = Folder::new();
    let ran = folder.granum(&["demo"]).code(0);
    assert_eq!(ran.err, "");
    insta::assert_snapshot!(ran.out);
    assert!(folder.exists("granum-demo/out/unit_sales.csv"));
    assert!(!folder.exists("granum-demo/out/sales.csv"));
}

#[test]
fn the_first_units_are_as_they_should_be() {
    let folder = Folder::new();
    folder.granum(&["demo", "d", "-q"]).code(0);
    let units = folder.read("d/out/unit_sales.csv");
    let first: Vec<&str> = units.lines().take(12).collect();
    insta::assert_snapshot!(first.join("\n"));
}

#[test]
fn what_the_demo_says_to_try_works() {
    let folder = Folder::new();
    let out = folder.granum(&["demo", "d"]).code(0).out;
    let tries: Vec<&str> = out.split("Try next\n").nth(1).unwrap().lines().collect();
    assert_eq!(tries.len(), 6);
    for line in tries {
        let words: Vec<&str> = line.split_whitespace().skip(1).collect();
        folder.granum(&words).code(0);
    }
}

#[test]
fn the_demo_s_plans_are_in_the_one_layout() {
    let folder = Folder::new();
    folder.granum(&["demo", "d", "--only-data"]).code(0);
    folder.granum(&["fmt", "d/nursery.granum", "--check"]).code(0);
    folder.granum(&["fmt", "d/broken.granum", "--check"]).code(0);
}

#[test]
fn a_place_that_the_demo_cannot_write_to() {
    let folder = Folder::new();
    folder.file("d", "a file");
    folder.granum(&["demo", "d"]).code(3).complains("error: d: cannot be looked into: ");
    folder.granum(&["demo", "--orders", "18446744073709551615"]).code(2);
}

#[test]
fn a_demo_replaces_nothing_but_what_a_demo_made() {
    let folder = Folder::new();
    let demo = ["demo", "d", "--only-data", "--orders", "20"];
    folder.granum(&demo).code(0);
    // Over what it made itself it writes again; what somebody changed stays.
    folder.granum(&["demo", "d", "--only-data", "--orders", "30"]).code(0);
    folder.file("d/notes.txt", "mine");
    folder.granum(&demo).code(0);
    folder.file("d/data/orders_shop.csv", "mine");
    folder.granum(&demo).code(3).complains(
        "d: has files that are not the demo's, or that were changed since: \
                    data/orders_shop.csv\n  name a new folder:  granum demo DIR\n",
    );
    assert_eq!(folder.read("d/data/orders_shop.csv"), "mine");
    // A folder with something else in it is not the demo's.
    folder.file("e/data/lines.csv", "mine");
    folder.granum(&["demo", "e"]).code(3).complains("that were changed since: data\n");
    assert_eq!(folder.read("e/data/lines.csv"), "mine");
}

#[test]
fn one_seed_is_one_demo() {
    let folder = Folder::new();
    let lines = |seed: &str, dir: &str| {
        folder.granum(&["demo", dir, "--orders", "50", "--seed", seed, "--only-data"]).code(0);
        folder.read(&format!("{dir}/data/lines.csv"))
    };
    assert_eq!(lines("7", "a"), lines("7", "b"));
    assert_ne!(lines("7", "a"), lines("8", "c"));
}
