use super::*;
use crate::engine::tests::memory::{Memory, Shelf};
use crate::port::{InputSpec, Silent, Sources};

fn of(old: &str, new: &str, grain: &[&str], tolerance: &str) -> Result<Compared, CompareError> {
    let files = [("old".to_owned(), old.to_owned()), ("new".to_owned(), new.to_owned())];
    let memory = Memory { files: files.into(), part: 2 };
    let open =
        |name: &str| memory.open(&InputSpec::of_files(name.into(), vec![name.into()])).unwrap();
    let comparing = Comparing {
        grain: grain.iter().map(|column| (*column).to_owned()).collect(),
        tolerance: Comparing::tolerance(tolerance),
    };
    compare(
        (open("old").as_mut(), open("new").as_mut()),
        &comparing,
        &Shelf::room(0, usize::MAX),
        &Silent,
    )
}

fn counts(compared: &Compared) -> [u64; 4] {
    [compared.added.rows, compared.gone.rows, compared.changed, compared.same]
}

#[test]
fn rows_are_found_by_their_grain_and_cells_compare_by_value() {
    let old = "k,n,t\na,1,x\nb,2.50,y\nc,3,z\nd,4,w\n";
    let new = "t,k,n\ny,b,2.5\nx,a,1.25\nZ,c,3.00\nv,e,9\n";
    let told = of(old, new, &["k"], "").unwrap();
    assert_eq!(counts(&told), [1, 1, 2, 1]);
    assert_eq!(told.gone.first[0][0].value.as_deref(), Some("d"));
    let n = told.columns.iter().find(|column| column.name == "n").unwrap();
    assert_eq!(n.changed, 1);
    assert_eq!(
        (n.before.unwrap().to_string(), n.after.unwrap().to_string()),
        ("10.50".into(), "15.75".into())
    );
    assert_eq!(n.largest[0].after.as_deref(), Some("1.25"));
    assert!(told.differs() && !told.proposed);
}

#[test]
fn the_largest_changes_come_first_and_small_ones_are_tolerated() {
    let old = "k,n\n1,10.00\n2,10.00\n3,10.00\n4,10.00\n5,\n6,10.00\n";
    let new = "k,n\n1,10.01\n2,-90.00\n3,15.00\n4,11.00\n5,1.00\n6,\n";
    let told = of(old, new, &["k"], "").unwrap();
    let keys = |told: &Compared| -> Vec<String> {
        told.columns[0].largest.iter().map(|change| change.key[0].value.clone().unwrap()).collect()
    };
    assert_eq!(
        (told.columns[0].changed, keys(&told)),
        (6, vec!["2".into(), "6".into(), "3".into()])
    );
    let told = of(old, new, &["k"], "0.01").unwrap();
    assert_eq!(told.columns[0].changed, 5);
    // A blank is near nothing.
    assert_eq!(of(old, new, &["k"], "1000").unwrap().columns[0].changed, 2);
}

#[test]
fn the_grain_is_found_where_it_is_not_said() {
    let old = "order,line,n\nA,1,5\nA,2,5\nB,1,5\n";
    let told = of(old, "order,line,n\nA,1,5\nB,1,6\nB,2,5\n", &[], "").unwrap();
    assert_eq!((told.grain.clone(), told.proposed), (vec!["order".into(), "line".into()], true));
    assert_eq!(counts(&told), [1, 1, 1, 1]);
    assert!(!of(old, old, &[], "").unwrap().differs());
    // Exact copies are counted, and no trouble.
    let copies = "order,line,n\nA,1,5\nA,1,5\nA,2,5\n";
    assert_eq!(counts(&of(copies, old, &[], "").unwrap()), [1, 1, 0, 2]);
    assert!(!of(copies, copies, &[], "").unwrap().differs());
}

#[test]
fn rows_that_nothing_tells_apart_are_compared_whole() {
    // No four of the five columns tell all rows apart.
    let rows = (0..32).map(|row| (0..5).map(|bit| (row >> bit & 1).to_string()).collect());
    let rows: Vec<Vec<String>> = rows.collect();
    let text = |rows: &[Vec<String>]| {
        rows.iter().fold("a,b,c,d,e\n".to_owned(), |all, row| all + &row.join(",") + "\n")
    };
    let old = text(&rows) + "1,1,1,1,1\n";
    let new = text(&rows[1..]) + "1,1,1,1,2\n";
    let told = of(&old, &new, &[], "").unwrap();
    assert_eq!((told.grain.len(), counts(&told)), (0, [1, 2, 0, 31]));
    let sums = told.columns.iter().find(|column| column.name == "e").unwrap();
    assert_eq!(
        (sums.before.unwrap().to_string(), sums.after.unwrap().to_string()),
        ("17".into(), "18".into())
    );
}

#[test]
fn columns_of_one_alone_and_builds_without_rows() {
    let told = of("k,a\n", "k,b\n1,x\n", &["k"], "").unwrap();
    assert_eq!(
        (told.only_old.clone(), told.only_new.clone()),
        (vec!["a".into()], vec!["b".into()])
    );
    assert_eq!(counts(&told), [1, 0, 0, 0]);
    assert!(!of("k\n", "k\n", &[], "").unwrap().differs());
    // Types that do not go together compare as text.
    let told = of("k,v\n1,7\n", "k,v\n1,07x\n", &["k"], "").unwrap();
    assert_eq!((counts(&told), told.columns[0].before.is_none()), ([0, 0, 1, 0], true));
}

#[test]
fn a_grain_must_tell_rows_apart_and_be_there() {
    match of("k\na\na\nb\n", "k\na\n", &["k"], "").unwrap_err() {
        CompareError::Repeated(repeated) => {
            assert!(repeated.old && repeated.keys == 1);
            assert_eq!(repeated.examples[0].1, 2);
        }
        other => panic!("{other:?}"),
    }
    match of("k,l\na,b\n", "k\na\n", &["l"], "").unwrap_err() {
        CompareError::NoColumn { column, old, .. } => assert!(column == "l" && !old),
        other => panic!("{other:?}"),
    }
    assert!(Comparing::tolerance("-1").is_none() && Comparing::tolerance("x").is_none());
}
