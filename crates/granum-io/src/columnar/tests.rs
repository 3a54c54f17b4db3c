use granum_core::port::COLUMNS;
use granum_core::table::Column;
use granum_core::value::Scalar;

use super::blocks::Blocks;
use crate::formats::format_of;

#[test]
fn each_ending_of_a_file_of_columns_has_a_format() {
    let names: Vec<&str> =
        COLUMNS.iter().map(|ending| format_of(&format!("a{ending}")).unwrap().name()).collect();
    assert_eq!(names, ["Parquet", "Arrow", "Arrow"]);
}

#[test]
fn rows_wait_until_their_block_is_full() {
    let rows =
        |from: i64, count: i64| vec![Column::Integer((from..from + count).map(Some).collect())];
    let mut blocks = Blocks::new(4);
    let sizes =
        |blocks: &[Vec<Column>]| -> Vec<usize> { blocks.iter().map(|b| b[0].len()).collect() };
    assert_eq!(blocks.take(rows(0, 3), 3).len(), 0);
    let full = blocks.take(rows(3, 6), 6);
    assert_eq!(sizes(&full), [4, 4]);
    assert_eq!(full[1][0].scalar(0), Scalar::Integer(4));
    assert_eq!(blocks.take(rows(9, 0), 0).len(), 0);
    assert_eq!(blocks.rest().unwrap()[0].scalar(0), Scalar::Integer(8));
    assert!(blocks.rest().is_none());
}
