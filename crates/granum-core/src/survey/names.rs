//! What a column's name says: whether it names a key, an amount or a day, and whether two names mean
//! one thing.

use crate::grain::VERSION;
use crate::value::Type;

/// The last word of names that tell things apart, in the languages of the trade's files.
const KEYS: [&str; 22] = [
    "no",
    "nr",
    "num",
    "number",
    "id",
    "key",
    "code",
    "sku",
    "ref",
    "reference",
    "uuid",
    "guid",
    "ean",
    "gtin",
    "isbn",
    "barcode",
    "nummer",
    "numero",
    "pk",
    "fk",
    "position",
    "pos",
];

/// Words of names that amounts and quantities have.
const AMOUNTS: [&str; 54] = [
    "amt",
    "betrag",
    "preis",
    "menge",
    "montant",
    "prix",
    "importe",
    "precio",
    "amount",
    "price",
    "cost",
    "costs",
    "net",
    "gross",
    "tax",
    "vat",
    "fee",
    "freight",
    "discount",
    "total",
    "sum",
    "value",
    "quantity",
    "qty",
    "units",
    "weight",
    "spent",
    "spend",
    "rate",
    "minutes",
    "balance",
    "size",
    "charge",
    "charges",
    "revenue",
    "turnover",
    "margin",
    "commission",
    "deposit",
    "refund",
    "refunded",
    "paid",
    "shipping",
    "postage",
    "duty",
    "rent",
    "netto",
    "brutto",
    "umsatz",
    "kosten",
    "rabatt",
    "summe",
    "anzahl",
    "cantidad",
];

/// Words of names that tell when a version of a row was made.
const VERSIONS: [&str; 14] = [
    "changed",
    "updated",
    "modified",
    "sent",
    "version",
    "revision",
    "rev",
    "exported",
    "loaded",
    "received",
    "edited",
    "stamp",
    "timestamp",
    "valid",
];

/// The words of a name in lower case: parted by signs, spaces, or a capital after a small letter.
pub(crate) fn words(name: &str) -> Vec<String> {
    let mut words = vec![String::new()];
    let mut small = false;
    for letter in name.chars() {
        if !letter.is_alphanumeric() || (letter.is_uppercase() && small) {
            words.push(String::new());
        }
        small = letter.is_lowercase() || letter.is_numeric();
        if letter.is_alphanumeric()
            && let Some(word) = words.last_mut()
        {
            word.extend(letter.to_lowercase());
        }
    }
    words.retain(|word| !word.is_empty());
    words
}

/// A name without case, signs and spaces: names that differ only there are one.
pub(crate) fn bare(name: &str) -> String {
    words(name).concat()
}

/// Whether a name ends as names of keys do.
pub(crate) fn names_key(name: &str) -> bool {
    words(name).last().is_some_and(|word| KEYS.contains(&word.as_str()))
}

/// Whether a name has a word of amounts.
pub(crate) fn names_amount(name: &str) -> bool {
    !names_key(name) && words(name).iter().any(|word| AMOUNTS.contains(&word.as_str()))
}

/// Whether a name is one of amounts that may be added up: not a price, which is an amount of one.
pub(crate) fn names_sum(name: &str) -> bool {
    const NO_SUM: [&str; 9] =
        ["price", "rate", "unit", "each", "per", "percent", "pct", "size", "balance"];
    names_amount(name) && !words(name).iter().any(|word| NO_SUM.contains(&word.as_str()))
}

/// Whether a name says in which currency the amounts of a row are.
pub(crate) fn names_currency(name: &str) -> bool {
    const CURRENCY: [&str; 8] =
        ["currency", "curr", "ccy", "waehrung", "w\u{e4}hrung", "devise", "moneda", "valuta"];
    words(name).iter().any(|word| CURRENCY.contains(&word.as_str()))
}

/// Whether a name of an amount is of a number of things, and not of money.
pub(crate) fn names_number(name: &str) -> bool {
    const NUMBERS: [&str; 9] =
        ["quantity", "qty", "menge", "anzahl", "cantidad", "units", "weight", "minutes", "size"];
    words(name).iter().any(|word| NUMBERS.contains(&word.as_str()))
}

/// Whether a name has a word that tells when a version was made.
pub(crate) fn names_version(name: &str) -> bool {
    words(name).iter().any(|word| VERSIONS.contains(&word.as_str()))
}

/// What a name is about, without the word that makes it a key: `order_no` and `OrderID` are about
/// orders.
pub(crate) fn subject(name: &str) -> String {
    let mut words = words(name);
    if words.len() > 1 && words.last().is_some_and(|word| KEYS.contains(&word.as_str())) {
        words.pop();
    }
    let mut subject = words.concat();
    if subject.len() > 3 && subject.ends_with('s') {
        subject.pop();
    }
    subject
}

/// Whether a column is named as what its files have a row of each: `booking` in `bookings.csv`.
pub(super) fn names_own(name: &str, files: &[String]) -> bool {
    let own = subject(name);
    let stem = |file: &str| {
        let name = file.rsplit(['/', '\\']).next().unwrap_or(file);
        name.rsplit_once('.').map_or(name, |(stem, _)| stem).to_owned()
    };
    let has = |file: &String| words(&stem(file)).iter().any(|word| subject(word) == own);
    own.len() > 2 && files.iter().any(has)
}

/// How unlikely a column is to be part of what identifies a row: 0 for what is named as a key, more
/// for days, amounts and long texts.
pub(crate) fn unlikely_key(name: &str, ty: Type, mean_length: u64) -> u32 {
    let amount = names_amount(name);
    match ty {
        _ if names_key(name) => 0,
        // A version is told from the one before by its day.
        Type::Date | Type::DateTime if names_version(name) => VERSION,
        Type::Text if mean_length <= 24 && !amount => 2,
        Type::Integer if !amount => 3,
        Type::Date => 3,
        Type::DateTime => 4,
        Type::Integer => 6,
        Type::Text => 7,
        _ => 8,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_taken_apart_and_compared() {
        assert_eq!(words("customerNo"), ["customer", "no"]);
        assert_eq!(words("Sent on"), ["sent", "on"]);
        assert_eq!(bare("Order_No."), bare("orderNo"));
        assert_eq!(subject("OrderID"), "order");
        assert_eq!(subject("orders"), "order");
        assert!(names_key("Article-Nr") && !names_key("node"));
        assert!(names_amount("unit_price") && !names_amount("price_code"));
        assert!(names_sum("charge") && names_sum("Umsatz netto") && !names_sum("charge_rate"));
        assert!(names_number("Anzahl") && !names_number("refund"));
        assert!(names_version("changed_on"));
        let own = |name: &str, file: &str| names_own(name, &[file.to_owned()]);
        assert!(own("Booking", "data/bookings.csv") && own("orders", "2026 Order list.csv"));
        assert!(own("refund", "refunds") && own("Sailing", "C:\\files.of\\sailings_north.csv"));
        assert!(
            !own("booking", "refunds.csv") && !own("csv", "orders.csv") && !own("no", "no.csv")
        );
        assert!(!own("booking", "bookings/refunds.csv"));
        assert!(names_currency("OrderCurrency") && !names_currency("current"));
        assert!(names_number("order_qty") && !names_number("net"));
    }
}
