//! Texts that name people or places, with others in their place: the same text has the same mask wherever it
//! stands, its case and the spaces around it stay.

use std::collections::{BTreeSet, HashMap};

/// Words in the names of columns that name people or places.
const NAMING: [&str; 24] = [
    "name", "customer", "person", "contact", "company", "firm", "client", "buyer", "street",
    "address", "city", "town", "place", "village", "region", "country", "mail", "phone", "mobile",
    "fax", "birth", "postcode", "zip", "iban",
];

/// Words behind which a column is a number or a code of what the first names: no mask is needed.
const CODES: [&str; 8] = ["no", "nr", "id", "code", "number", "key", "type", "count"];

/// What texts become.
#[derive(Debug, Default)]
pub(super) struct Masks {
    known: HashMap<String, String>,
    /// How many there are of each word.
    counts: HashMap<String, usize>,
    /// Texts that the plan itself says: they decide something.
    said: BTreeSet<String>,
}

/// Whether a column is called as one that names people or places.
pub(super) fn names_somebody(column: &str) -> bool {
    let lower = column.to_lowercase();
    let words: Vec<&str> =
        lower.split(|letter: char| !letter.is_alphanumeric()).filter(|w| !w.is_empty()).collect();
    let code = words.len() > 1 && words.last().is_some_and(|last| CODES.contains(last));
    !code && NAMING.iter().any(|naming| words.iter().any(|word| word.contains(naming)))
}

impl Masks {
    /// Masks for all but these texts.
    pub fn new(said: BTreeSet<String>) -> Self {
        Self { said, ..Self::default() }
    }

    /// What a text of a column becomes.
    pub fn mask(&mut self, column: &str, text: &str) -> String {
        let core = text.trim();
        // Numbers and days name nobody.
        let plain = core.chars().all(|letter| !letter.is_alphabetic());
        if core.is_empty()
            || (plain && !column.to_lowercase().contains("phone"))
            || self.said.contains(core)
        {
            return text.to_owned();
        }
        let key = core.to_lowercase();
        let masked = match self.known.get(&key) {
            Some(known) => known.clone(),
            None => {
                let word: String =
                    column.chars().map(|c| if c.is_alphanumeric() { c } else { '_' }).collect();
                let word = word.trim_matches('_').to_owned();
                let count = self.counts.entry(word.clone()).or_default();
                *count += 1;
                let masked = if core.contains('@') {
                    format!("{word}{count}@masked.example")
                } else {
                    format!("{} {count}", upper_first(&word))
                };
                self.known.insert(key, masked.clone());
                masked
            }
        };
        let lower = core.chars().all(|letter| !letter.is_uppercase());
        let upper = core.chars().all(|letter| !letter.is_lowercase());
        let cased = match (lower, upper) {
            (true, false) => masked.to_lowercase(),
            (false, true) => masked.to_uppercase(),
            _ => masked,
        };
        let start = text.len() - text.trim_start().len();
        let end = text.trim_end().len();
        format!("{}{cased}{}", &text[..start], &text[end..])
    }
}

fn upper_first(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_that_name_people_or_places() {
        for column in ["name", "Customer name", "city", "e-mail", "ship_to_address", "postcode"] {
            assert!(names_somebody(column), "{column}");
        }
        for column in
            ["customer_no", "region_code", "net", "ordered_on", "article", "status", "Client ID"]
        {
            assert!(!names_somebody(column), "{column}");
        }
    }

    #[test]
    fn the_same_text_has_the_same_mask_with_its_case_and_spaces() {
        let mut masks = Masks::new(BTreeSet::from(["(none)".to_owned()]));
        assert_eq!(masks.mask("name", "Ada Fern"), "Name 1");
        assert_eq!(masks.mask("customer", " ada fern "), " name 1 ");
        assert_eq!(masks.mask("name", "BEN MOSS"), "NAME 2");
        assert_eq!(masks.mask("name", "(none)"), "(none)");
        assert_eq!(masks.mask("mail", "ada@farm.example"), "mail1@masked.example");
        assert_eq!(masks.mask("postcode", "50231"), "50231");
    }
}
