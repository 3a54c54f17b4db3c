use super::*;

fn begun(dir: &Path, name: &str, text: &str) -> PlacedFile {
    let mut file = PlacedFile::begin(&dir.join(name), name).unwrap();
    file.write_by(|out| out.write_all(text.as_bytes())).unwrap();
    assert_eq!(file.complete().unwrap(), text.len() as u64);
    file
}

fn names(dir: &Path) -> Vec<String> {
    let entries = fs::read_dir(dir).unwrap();
    let mut names: Vec<String> =
        entries.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
    names.sort();
    names
}

#[test]
fn a_new_folder_goes_with_the_last_of_its_outputs() {
    let dir = tempfile::tempdir().unwrap();
    let first = begun(dir.path(), "new/deep/a.csv", "1");
    let second = begun(dir.path(), "new/b.csv", "2");
    drop(first);
    assert_eq!(names(dir.path()), ["new"]);
    drop(second);
    assert!(names(dir.path()).is_empty());
}

#[test]
fn nothing_is_seen_before_it_is_published_and_nothing_is_left_when_it_is_not() {
    let dir = tempfile::tempdir().unwrap();
    let file = begun(dir.path(), "new/deep/a.csv", "x");
    assert!(!dir.path().join("new/deep/a.csv").exists());
    drop(file);
    assert_eq!(names(dir.path()), Vec::<String>::new());
}

#[test]
fn what_is_withdrawn_gives_back_what_stood_there() {
    let dir = tempfile::tempdir().unwrap();
    fs::write(dir.path().join("a.csv"), "old").unwrap();
    let mut replaced = begun(dir.path(), "a.csv", "new");
    let mut fresh = begun(dir.path(), "b.csv", "new");
    replaced.publish().unwrap();
    fresh.publish().unwrap();
    assert_eq!(fs::read_to_string(dir.path().join("a.csv")).unwrap(), "new");
    fresh.withdraw();
    replaced.withdraw();
    drop((fresh, replaced));
    assert_eq!(names(dir.path()), ["a.csv"]);
    assert_eq!(fs::read_to_string(dir.path().join("a.csv")).unwrap(), "old");
}

#[test]
fn what_is_settled_leaves_nothing_beside() {
    let dir = tempfile::tempdir().unwrap();
    fs::write(dir.path().join("a.csv"), "old").unwrap();
    let mut file = begun(dir.path(), "a.csv", "new");
    file.publish().unwrap();
    assert_eq!(names(dir.path()).len(), 3, "the old one is kept aside, and the place locked");
    file.settle();
    drop(file);
    assert_eq!(names(dir.path()), ["a.csv"]);
    assert_eq!(fs::read_to_string(dir.path().join("a.csv")).unwrap(), "new");
}

#[test]
fn a_place_that_became_a_folder_meanwhile_is_no_place() {
    let dir = tempfile::tempdir().unwrap();
    let mut file = begun(dir.path(), "a.csv", "new");
    fs::create_dir(dir.path().join("a.csv")).unwrap();
    let error = file.publish().unwrap_err();
    assert!(error.message.starts_with("cannot be replaced"), "{error}");
    drop(file);
    assert_eq!(names(dir.path()), ["a.csv"]);
}

#[cfg(unix)]
#[test]
fn a_link_is_followed_and_stays_a_link() {
    let dir = tempfile::tempdir().unwrap();
    fs::create_dir(dir.path().join("real")).unwrap();
    fs::write(dir.path().join("real/a.csv"), "old").unwrap();
    std::os::unix::fs::symlink("real/a.csv", dir.path().join("a.csv")).unwrap();
    let mut file = begun(dir.path(), "a.csv", "new");
    file.publish().unwrap();
    file.settle();
    assert!(dir.path().join("a.csv").is_symlink());
    assert_eq!(fs::read_to_string(dir.path().join("real/a.csv")).unwrap(), "new");
}

#[cfg(unix)]
#[test]
fn a_link_to_what_is_not_there_yet_is_followed_and_a_circle_refused() {
    let dir = tempfile::tempdir().unwrap();
    let link = |to: &str, name: &str| {
        std::os::unix::fs::symlink(to, dir.path().join(name)).unwrap();
    };
    link("real.csv", "a.csv");
    let mut file = begun(dir.path(), "a.csv", "new");
    file.publish().unwrap();
    file.settle();
    assert!(dir.path().join("a.csv").is_symlink());
    assert_eq!(fs::read_to_string(dir.path().join("real.csv")).unwrap(), "new");
    link("c.csv", "b.csv");
    link("b.csv", "c.csv");
    let error = PlacedFile::begin(&dir.path().join("b.csv"), "b.csv").err().unwrap();
    assert!(error.message.contains("links lead in a circle"), "{error}");
    let error = PlacedFile::begin(Path::new("/dev/null"), "/dev/null").err().unwrap();
    assert!(error.message.starts_with("is a pipe or a device"), "{error}");
}

#[test]
fn paths_of_one_file_have_one_place() {
    let dir = tempfile::tempdir().unwrap();
    fs::create_dir(dir.path().join("q")).unwrap();
    let place = |path: &str| place(&dir.path().join(path)).unwrap();
    for same in ["./x.csv", "q/../x.csv", "new/../x.csv", "q/./../x.csv"] {
        assert_eq!(place(same), place("x.csv"), "{same}");
    }
    assert_ne!(place("q/x.csv"), place("x.csv"));
}

#[test]
fn what_a_killed_run_left_goes_and_what_a_living_one_holds_stays() {
    let dir = tempfile::tempdir().unwrap();
    let left = |name: &str| {
        let target = dir.path().join(name);
        fs::write(dir.path().join(format!("{}dead.part", prefix(&target))), "x").unwrap();
    };
    // One name begins like the other.
    left("a.csv");
    left("a.csv-b");
    let living = begun(dir.path(), "a.csv", "one");
    let parts = |of: &str| {
        let prefix = prefix(&dir.path().join(of));
        let own = |name: &&String| name.starts_with(&prefix) && name.contains(".part");
        names(dir.path()).iter().filter(own).count()
    };
    assert_eq!((parts("a.csv"), parts("a.csv-b")), (1, 1));
    let error = PlacedFile::begin(&dir.path().join("a.csv"), "a.csv").err().unwrap();
    assert_eq!(error.message, "another run is writing this file");
    assert_eq!(parts("a.csv"), 1);
    drop(living);
    drop(begun(dir.path(), "a.csv", "two"));
    drop(begun(dir.path(), "a.csv-b", "x"));
    assert_eq!(names(dir.path()), Vec::<String>::new());
}

/// No server answers, and databases in files take everything.
const REACHING: Reaching = Reaching { refill: |_, _, _| true, took: |_, _| None };

/// A journal of two outputs in two folders, as a killed run leaves it; gives where the deciding one stands.
fn journal_left(dir: &Path) -> PathBuf {
    journal_beside(dir, None)
}

/// The same of a run that wrote to servers too.
fn journal_beside(dir: &Path, deciding: Option<Deciding>) -> PathBuf {
    let dir = dir.canonicalize().unwrap();
    let moves = ["one", "two"].map(|folder| {
        let target = dir.join(folder).join("a.csv");
        fs::create_dir_all(target.parent().unwrap()).unwrap();
        fs::write(&target, "old").unwrap();
        let part = dir.join(folder).join(format!("{}x.part", prefix(&target)));
        fs::write(&part, "new").unwrap();
        Move::new(&part, &target)
    });
    let journal = Journal::write(moves.to_vec(), deciding).unwrap().unwrap();
    let own = |name: &String| name.contains(".journal");
    let name = names(&dir.join("one")).into_iter().find(own).unwrap();
    // A run that is alive is left alone.
    assert!(
        left_in(&dir.join("two")).is_empty() && finish_left(&dir.join("two"), REACHING).is_empty()
    );
    drop(journal);
    crate::unfinished::unsealed();
    dir.join("one").join(name)
}

fn texts(dir: &Path) -> [String; 2] {
    ["one", "two"].map(|folder| fs::read_to_string(dir.join(folder).join("a.csv")).unwrap())
}

#[test]
fn what_was_decided_is_finished_from_any_folder() {
    for folder in ["one", "two"] {
        let dir = tempfile::tempdir().unwrap();
        let first = journal_left(dir.path());
        let waiting = left_in(&dir.path().join(folder));
        assert_eq!(waiting[0].outputs.len(), 2);
        assert_eq!(texts(dir.path()), ["old", "old"], "nothing is done by looking");
        let finished = finish_left(&dir.path().join(folder), REACHING);
        assert_eq!((finished[0].outputs.len(), finished[0].changed.len()), (2, 0));
        assert_eq!(texts(dir.path()), ["new", "new"]);
        assert!(!first.exists());
        assert_eq!(
            (names(&dir.path().join("one")), names(&dir.path().join("two"))),
            (vec!["a.csv".into()], vec!["a.csv".into()])
        );
    }
}

#[test]
fn what_was_not_decided_leaves_all_as_it_was() {
    let dir = tempfile::tempdir().unwrap();
    fs::remove_file(journal_left(dir.path())).unwrap();
    assert!(left_in(&dir.path().join("two")).is_empty());
    assert!(finish_left(&dir.path().join("two"), REACHING).is_empty());
    assert_eq!(texts(dir.path()), ["old", "old"]);
    assert_eq!(names(&dir.path().join("one")), ["a.csv"]);
    assert_eq!(names(&dir.path().join("two")), ["a.csv"]);
}

#[test]
fn what_a_server_has_taken_decides_for_the_files_beside() {
    let addresses = vec!["postgres://db/a".into(), "postgres://db/b".into()];
    let deciding = Deciding { run: "r1".into(), addresses };
    type Took = fn(&str, &str) -> Option<bool>;
    let second: Took = |address, run| Some(address.ends_with('b') && run == "r1");
    let cases: [(Took, _, _); 3] = [
        (second, ["new", "new"], 1),
        (|_, _| Some(false), ["old", "old"], 1),
        // Nobody can say: all waits.
        (|address, _| address.ends_with('a').then_some(false), ["old", "old"], 3),
    ];
    for (took, expected, left) in cases {
        let dir = tempfile::tempdir().unwrap();
        journal_beside(dir.path(), Some(deciding.clone()));
        finish_left(&dir.path().join("two"), Reaching { took, ..REACHING });
        assert_eq!(texts(dir.path()), expected);
        assert_eq!(names(&dir.path().join("one")).len(), left);
    }
}

#[test]
fn what_somebody_changed_meanwhile_is_not_replaced() {
    let dir = tempfile::tempdir().unwrap();
    journal_left(dir.path());
    fs::write(dir.path().join("two/a.csv"), "by hand").unwrap();
    let finished = finish_left(&dir.path().join("one"), REACHING);
    assert_eq!((finished[0].outputs.len(), finished[0].changed.len()), (1, 1));
    assert_eq!(texts(dir.path()), ["new", "by hand"]);
    assert_eq!(names(&dir.path().join("two")), ["a.csv"]);
}
