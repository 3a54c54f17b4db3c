//! Mossgate Nursery: a made-up plant nursery with all that sales data have in life, at any size.
//! The same seed gives the same bytes.
#![deny(missing_docs)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

mod chance;
mod days;
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

    /// The fields of a file's rows, by the names of its columns.
    fn table(files: &BTreeMap<String, Vec<u8>>, name: &str) -> Vec<BTreeMap<String, String>> {
        let text = String::from_utf8(files[name].clone()).unwrap();
        let mut lines = text.lines().map(|line| line.split(',').map(str::to_owned));
        let header: Vec<String> = lines.next().unwrap().collect();
        lines.map(|fields| header.iter().cloned().zip(fields).collect()).collect()
    }

    fn column(rows: &[BTreeMap<String, String>], name: &str) -> Vec<String> {
        rows.iter().map(|row| row[name].clone()).collect()
    }

    /// How many values stand more than once.
    fn repeated(values: &[String]) -> usize {
        let mut counts: BTreeMap<&String, usize> = BTreeMap::new();
        for value in values {
            *counts.entry(value).or_default() += 1;
        }
        counts.values().filter(|count| **count > 1).count()
    }

    #[test]
    fn orders_have_all_that_goes_wrong_in_life() {
        let files = made(Size::default());
        let (shop, post) = (table(&files, "orders_shop.csv"), table(&files, "orders_post.csv"));
        let all: Vec<_> = shop.iter().chain(&post).cloned().collect();
        assert!(all.len() > 2_000, "sent again and copied");
        assert!(repeated(&column(&all, "order_no")) > 50);
        let whole: Vec<String> = all.iter().map(|row| format!("{row:?}")).collect();
        assert!(repeated(&whole) > 5, "exact copies");
        assert!(column(&shop, "ordered_on")[0].starts_with("2025-"));
        assert!(column(&post, "ordered_on")[0].ends_with("/2025"), "the other way round");
        for status in ["void", "open", "closed", ""] {
            assert!(all.iter().any(|row| row["status"] == status), "no order is \"{status}\"");
        }
        let customers = column(&all, "customer_no");
        assert!(customers.iter().any(String::is_empty));
        assert!(customers.iter().any(|number| number.starts_with('c')), "typed in lower case");
        assert!(customers.iter().any(|number| number.ends_with(' ')), "typed with a space");
        assert_ne!(
            files["orders_shop.csv"].split(|b| *b == b'\n').next(),
            files["orders_post.csv"].split(|b| *b == b'\n').next(),
            "columns in another order"
        );
    }

    #[test]
    fn lines_and_returns_do_not_all_meet() {
        let files = made(Size::default());
        let orders: Vec<String> = ["orders_shop.csv", "orders_post.csv"]
            .iter()
            .flat_map(|name| column(&table(&files, name), "order_no"))
            .collect();
        let lines = table(&files, "lines.csv");
        let lost = lines.iter().filter(|line| !orders.contains(&line["order_no"])).count();
        assert!(lost > 0 && lost < lines.len() / 50, "{lost} lines without an order");
        let key =
            |row: &BTreeMap<String, String>| format!("{}/{}", row["order_no"], row["line_no"]);
        let keys: Vec<String> = lines.iter().map(key).collect();
        assert!(repeated(&keys) > 5, "copies of lines");
        let returns = table(&files, "returns.csv");
        assert!(returns.iter().any(|row| !keys.contains(&key(row))), "of a line that is not there");
        assert!(repeated(&column(&returns, "return_no")) > 0, "copies of returns");
        assert!(repeated(&returns.iter().map(key).collect::<Vec<_>>()) > 0, "two of one line");
    }

    #[test]
    fn quantities_are_small_and_follow_the_mean_that_is_asked_for() {
        let mean = |quantity| {
            let files = made(Size { quantity, ..Size::default() });
            let quantities: Vec<u64> = column(&table(&files, "lines.csv"), "quantity")
                .iter()
                .map(|quantity| quantity.parse().unwrap())
                .collect();
            assert!(quantities.iter().all(|quantity| (1..=24).contains(quantity)));
            quantities.iter().sum::<u64>() * 10 / quantities.len() as u64
        };
        assert!((18..26).contains(&mean(2)), "{}", mean(2));
        assert!((55..70).contains(&mean(6)), "{}", mean(6));
    }

    #[test]
    fn customers_change_share_names_and_lack_postcodes() {
        let files = made(Size::default());
        let customers = table(&files, "customers.csv");
        assert!(repeated(&column(&customers, "customer_no")) > 5, "older versions");
        assert!(customers.iter().any(|row| row["postcode"].is_empty()));
        assert!(repeated(&column(&customers, "name")) > 3, "two with one name");
        let places = column(&table(&files, "places.csv"), "place");
        assert!(column(&customers, "place").iter().all(|place| places.contains(place)));
        let staff = table(&files, "staff.csv");
        assert_eq!(repeated(&column(&staff, "staff_no")), 1, "a changed surname");
        assert_eq!(repeated(&column(&staff, "name")), 1, "two people with one name");
    }

    #[test]
    fn promotions_and_prices_have_gaps_and_open_ends() {
        let files = made(Size::default());
        let promotions = table(&files, "promotions.csv");
        assert_eq!(promotions.iter().filter(|row| row["ends_on"].is_empty()).count(), 1);
        assert_eq!(repeated(&column(&promotions, "promo_code")), 0);
        let overlap = promotions.windows(2).any(|pair| {
            !pair[0]["ends_on"].is_empty() && pair[0]["ends_on"] > pair[1]["starts_on"]
        });
        assert!(overlap);
        let prices = table(&files, "prices.csv");
        assert!(prices.iter().any(|row| row["valid_from"] == "2026-02-01"), "the gap in January");
        assert!(prices.iter().any(|row| row["valid_until"].is_empty()));
    }

    #[test]
    fn size_follows_the_orders_that_are_asked_for() {
        let lines = |orders| {
            let files = made(Size { orders, ..Size::default() });
            table(&files, "lines.csv").len() as u64
        };
        for orders in [0, 1, 100, 3_000] {
            let lines = lines(orders);
            assert!(lines >= orders && lines <= orders * 6 + 6, "{orders} orders, {lines} lines");
        }
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
