//! Why keys nearly match: what is said of a link that fails, and that what it says to write mends it.

use proptest::prelude::*;

use super::folder::Folder;

/// A link from `l` to `r` on texts, and what is said of it.
fn said(left: &[&str], right: &[&str]) -> String {
    let folder = Folder::new();
    files(&folder, left, right);
    folder.plan(&plan("k"));
    let ran = folder.granum(&["check", "p.granum", "-q"]).code(1);
    let from = ran.out.find("    keys without one").unwrap();
    let to = ran.out.find("    see them:").unwrap();
    let after_keys = ran.out[from..to].split_once('\n').unwrap().1;
    after_keys.to_owned()
}

fn files(folder: &Folder, left: &[&str], right: &[&str]) {
    let quoted = |key: &&str| format!("\"{}\"\n", key.replace('"', "\"\""));
    let rows: String = left.iter().map(quoted).collect();
    folder.file("l.csv", format!("k\n{rows}"));
    let rows: String = right.iter().map(quoted).collect();
    folder.file("r.csv", format!("k\n{rows}"));
}

fn plan(on: &str) -> String {
    format!(
        "input l from \"l.csv\"\n  read k as text\ninput r from \"r.csv\"\n  read k as text\n  grain k\n\
         link l to r on {on} complete\n"
    )
}

#[test]
fn spaces_case_zeros_and_signs_are_told_with_what_mends_them() {
    for (left, right, says) in [
        (
            vec!["A1 ", "A2"],
            vec!["A1", "A2"],
            "    1 row would match but for spaces around: \"A1 \" and A1\n      \
             mend it:  on trim(k) = k\n",
        ),
        (
            vec!["a1", "a1", "A2"],
            vec!["A1", "A2"],
            "    2 rows would match but for letter case: a1 and A1\n      \
             mend it:  on upper(k) = k\n",
        ),
        (
            vec!["007", "8"],
            vec!["7", "8"],
            "    1 row would match but for leading zeros: 007 and 7\n      \
             mend it:  on trim_left(k, \"0\") = k\n",
        ),
        (
            vec!["7"],
            vec!["007"],
            "    1 row would match but for leading zeros: 7 and 007\n      \
             mend it:  on k = trim_left(k, \"0\")\n",
        ),
        (
            vec!["A-1/2"],
            vec!["A 12"],
            "    1 row would match but for other signs: A-1/2 and A 12\n      \
             mend it:  on replace(replace(k, \"-\", \"\"), \"/\", \"\") = replace(k, \" \", \"\")\n",
        ),
        (
            vec![" a1", "A2"],
            vec!["A1", "A2"],
            "    1 row would match but for spaces around and letter case: \" a1\" and A1\n      \
             mend it:  on upper(trim(k)) = k\n",
        ),
    ] {
        assert_eq!(said(&left, &right), says);
    }
}

#[test]
fn keys_that_a_change_would_make_one_are_counted() {
    let said = said(&["a1"], &["A1", "A2", "a2", "B3"]);
    assert!(
        said.contains("look first: 2 keys of r that differ today would be one with another\n"),
        "{said}"
    );
}

#[test]
fn what_stands_before_or_behind_is_a_rule_only_if_it_stands_twice() {
    assert_eq!(
        said(&["DE-4711", "DE-4722"], &["4711", "4722"]),
        "    2 rows would match but for what stands before: DE-4711 and 4711, DE-4722 and 4722\n      \
         mend it:  on right(k, length(k) - 3) = k\n"
    );
    assert_eq!(
        said(&["4711/b", "4722/b", "4733/b"], &["4711", "4722", "9999"]),
        "    2 rows would match but for what stands behind: 4711/b and 4711, 4722/b and 4722\n      \
         mend it:  on left(k, length(k) - 2) = k\n    \
         1 row has nothing near in r\n"
    );
    assert_eq!(said(&["DE-4711"], &["4711", "80x"]), "");
}

#[test]
fn one_letter_off_is_told_unless_all_keys_are_that_near() {
    assert_eq!(
        said(&["fernhlol", "mosss", "gorze", "ivi"], &["fernholl", "moss", "gorse", "ivy", "reed"]),
        "    3 rows but for one letter, perhaps mistyped: fernhlol and fernholl, mosss and moss, gorze and\n      \
         gorse\n    1 row has nothing near in r\n"
    );
    // Running numbers are near each other: that says nothing.
    let numbers: Vec<String> = (1000..1200).map(|number| number.to_string()).collect();
    let numbers: Vec<&str> = numbers.iter().map(String::as_str).collect();
    assert_eq!(said(&["1205"], &numbers), "");
}

#[test]
fn nothing_near_and_nothing_to_compare_is_not_talked_about() {
    assert_eq!(said(&["moss"], &["fern"]), "");
    assert_eq!(said(&["moss"], &[]), "");
    let folder = Folder::new();
    folder.file("l.csv", "k\n1\n2\n").file("r.csv", "k\n1\n").plan(
        "input l from \"l.csv\"\ninput r from \"r.csv\"\n  grain k\nlink l to r on k complete\n",
    );
    let ran = folder.run().code(1);
    assert!(!ran.out.contains("would match"), "{}", ran.out);
}

#[test]
fn of_several_keys_only_texts_are_changed() {
    let folder = Folder::new();
    folder.file("l.csv", "k,n\na1,1\na1,2\n").file("r.csv", "c,n\nA1,1\nA1,3\n").plan(
        "input l from \"l.csv\"\ninput r from \"r.csv\"\n  grain c, n\nlink l to r on k = c, n complete\n",
    );
    folder
        .run()
        .code(1)
        .says("    1 row would match but for letter case: a1/1 and A1/1\n")
        .says("      mend it:  on upper(k) = c, n\n")
        .says("    1 row has nothing near in r\n");
}

/// Keys as they are typed: spaces, zeros, case and signs come and go.
fn typed() -> impl Strategy<Value = Vec<(String, usize)>> {
    prop::collection::vec(("[A-C][0-9]{2,3}", 0_usize..6), 1..12)
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(40) })]

    #[test]
    fn what_it_says_to_write_wins_the_rows_that_it_says(keys in typed()) {
        let mistyped: Vec<String> = keys
            .iter()
            .map(|(key, how)| match how {
                0 => key.clone(),
                1 => format!(" {key}"),
                2 => key.to_lowercase(),
                3 => format!("{}-{}", &key[..1], &key[1..]),
                4 => format!("00{key}"),
                _ => format!("{} ", key.to_lowercase()),
            })
            .collect();
        let mut right: Vec<&str> = keys.iter().map(|(key, _)| key.as_str()).collect();
        right.sort_unstable();
        right.dedup();
        let left: Vec<&str> = mistyped.iter().map(String::as_str).collect();
        let folder = Folder::new();
        files(&folder, &left, &right);
        folder.plan(&plan("k"));
        let before = folder.granum(&["check", "p.granum", "--format", "json"]);
        let link = |text: &str| -> serde_json::Value {
            let told: serde_json::Value = serde_json::from_str(text).unwrap();
            told["report"]["links"][0].clone()
        };
        let told = link(&before.out);
        let wrong = keys.iter().filter(|(_, how)| *how > 0).count() as u64;
        prop_assert_eq!(told["missing"].as_u64(), Some(wrong));
        if wrong == 0 {
            return Ok(());
        }
        let near = &told["near"][0];
        prop_assert_eq!(near["rows"].as_u64(), Some(wrong));
        prop_assert_eq!(near["merged"].as_u64(), Some(0));
        folder.plan(&plan(near["keys"].as_str().unwrap()));
        let after = link(&folder.granum(&["check", "p.granum", "--format", "json"]).code(0).out);
        prop_assert_eq!(after["matched"].as_u64(), Some(keys.len() as u64));
    }
}
