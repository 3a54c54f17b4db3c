//! The floor under reading a sheet: the library's own streaming reader, which does nothing with its cells.
//! Prints the seconds. Called with a book of one sheet.

use calamine::{Reader, Xlsx, open_workbook};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let path = std::env::args().nth(1).ok_or("a book is needed")?;
    let start = std::time::Instant::now();
    let mut book: Xlsx<_> = open_workbook(&path)?;
    let sheet = book.sheet_names().first().cloned().ok_or("a sheet is needed")?;
    let mut cells = book.worksheet_cells_reader(&sheet)?;
    while cells.next_cell()?.is_some() {}
    println!("{:.2}", start.elapsed().as_secs_f64());
    Ok(())
}
