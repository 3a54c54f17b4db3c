//! Mossgate Nursery: a made-up plant nursery with all that sales data have in life, at any size.
//! The same seed gives the same bytes.
#![deny(missing_docs)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

mod chance;
mod listings;
mod parties;
mod sales;
mod words;

use std::io::{self, Write};

use chance::Chance;

/// How much data to make.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Size {
    /// Order headers, before copies and later versions.
    pub orders: u64,
    /// The mean quantity of a line, from 1 to 12.
    pub quantity: u64,
    /// The same seed gives the same bytes.
    pub seed: u64,
}

impl Default for Size {
    /// About 2,000 orders: a run takes an instant and the files can be read by eye.
    fn default() -> Self {
        Self { orders: 2_000, quantity: 2, seed: 1 }
    }
}

/// Plans that come with the data: name and text. The first passes, the second is stopped.
pub const PLANS: [(&str, &str); 2] = [
    ("nursery.granum", include_str!("../plans/nursery.granum")),
    ("broken.granum", include_str!("../plans/broken.granum")),
];

/// The names of all data files.
pub const FILES: [&str; 14] = [
    "orders_shop.csv",
    "orders_post.csv",
    "lines.csv",
    "customers.csv",
    "articles.csv",
    "returns.csv",
    "promotions.csv",
    "staff.csv",
    "outreach_post.csv",
    "outreach_radio.csv",
    "outreach_fair.csv",
    "visits.csv",
    "prices.csv",
    "places.csv",
];

/// Opens a file by its name.
pub type Open<'a> = dyn FnMut(&str) -> io::Result<Box<dyn Write>> + 'a;

/// Writes all data files. `open` gives the writer for each of [`FILES`], and for `regions.csv`.
///
/// # Errors
/// What `open` or a writer says.
pub fn write_data(size: Size, open: &mut Open<'_>) -> io::Result<()> {
    let customers = parties::customers(size);
    let mut chance = Chance::new(size.seed, "customers");
    parties::write_customers(&customers, &mut chance, open("customers.csv")?.as_mut())?;
    parties::write_staff(open("staff.csv")?.as_mut())?;
    listings::write_places(open("places.csv")?.as_mut())?;
    listings::write_regions(open("regions.csv")?.as_mut())?;
    listings::write_articles(open("articles.csv")?.as_mut())?;
    listings::write_prices(open("prices.csv")?.as_mut())?;
    listings::write_promotions(open("promotions.csv")?.as_mut())?;
    listings::write_outreach(size, open)?;
    parties::write_visits(size, &customers, open("visits.csv")?.as_mut())?;
    sales::write_sales(size, &customers, open)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::cell::RefCell;
    use std::collections::BTreeMap;
    use std::rc::Rc;

    type Made = BTreeMap<String, Rc<RefCell<Vec<u8>>>>;

    struct Shared(Rc<RefCell<Vec<u8>>>);

    impl Write for Shared {
        fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
            self.0.borrow_mut().extend_from_slice(bytes);
            Ok(bytes.len())
        }
        fn flush(&mut self) -> io::Result<()> {
            Ok(())
        }
    }

    fn made(size: Size) -> BTreeMap<String, Vec<u8>> {
        let mut files = Made::new();
        write_data(size, &mut |name| {
            let file = files.entry(name.to_owned()).or_default();
            Ok(Box::new(Shared(file.clone())))
        })
        .unwrap();
        files.into_iter().map(|(name, bytes)| (name, bytes.borrow().clone())).collect()
    }

    #[test]
    fn one_seed_gives_the_same_bytes_and_another_gives_others() {
        let size = Size { orders: 300, ..Size::default() };
        assert_eq!(made(size), made(size));
        assert_ne!(made(size)["lines.csv"], made(Size { seed: 2, ..size })["lines.csv"]);
    }

    #[test]
    fn every_file_has_a_header_and_rows_of_its_length() {
        let files = made(Size::default());
        assert_eq!(files.len(), FILES.len() + 1);
        for (name, bytes) in files {
            let text = String::from_utf8(bytes).unwrap();
            let width = text.lines().next().unwrap().split(',').count();
            assert!(text.lines().count() > 2, "{name} has no rows");
            for line in text.lines().filter(|line| !line.contains('"')) {
                let delimiter = if line.contains(';') { ';' } else { ',' };
                let fields = line.split(delimiter).count();
                let header = text.lines().next().unwrap().split(delimiter).count().max(width);
                assert_eq!(fields, header, "{name}: {line}");
            }
        }
    }
}
