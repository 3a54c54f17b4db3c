//! Customers, staff, and who came by.

use std::io::{self, Write};

use crate::chance::Chance;
use crate::words::{CLUBS, FAMILY, GIVEN, PLACES};
use crate::{Size, days};

/// A customer as last known.
pub(crate) struct Customer {
    pub number: String,
    name: String,
    place: usize,
    club: bool,
}

pub(crate) fn customers(size: Size) -> Vec<Customer> {
    let mut chance = Chance::new(size.seed, "names");
    let count = (size.orders / 5).max(60) as usize;
    let mut customers: Vec<Customer> = Vec::with_capacity(count);
    for at in 0..count {
        let place = chance.below(PLACES.len() as u64) as usize;
        let club = chance.in_thousand(120);
        let name = if at > 3 && chance.in_thousand(15) {
            // Two different customers with one name.
            customers[at - 1 - chance.below(3) as usize].name.clone()
        } else if club {
            let street = if chance.in_thousand(300) { " & Friends" } else { "" };
            format!("{} {}{street}", PLACES[place].0, chance.pick(CLUBS))
        } else {
            format!("{} {}", chance.pick(GIVEN), chance.pick(FAMILY))
        };
        customers.push(Customer { number: format!("C{:05}", at + 1), name, place, club });
    }
    customers
}

/// One row for each version of a customer: renamed clubs, moved people, blank postcodes.
pub(crate) fn write_customers(
    customers: &[Customer],
    chance: &mut Chance,
    out: &mut dyn Write,
) -> io::Result<()> {
    writeln!(out, "customer_no,name,mail,place,postcode,changed_on")?;
    for customer in customers {
        let day = chance.below(200);
        let name = if customer.club && chance.in_thousand(400) {
            // An older version, under the name the club had.
            let (year, month, date) = days::civil(day);
            let before = format!("{} (old site)", customer.name);
            write_customer(out, customer, &before, chance, (year, month, date))?;
            customer.name.clone()
        } else {
            customer.name.clone()
        };
        let changed = days::civil(200 + chance.below(160));
        write_customer(out, customer, &name, chance, changed)?;
    }
    out.flush()
}

fn write_customer(
    out: &mut dyn Write,
    customer: &Customer,
    name: &str,
    chance: &mut Chance,
    (year, month, date): (u64, u64, u64),
) -> io::Result<()> {
    let (place, _, area) = PLACES[customer.place];
    let number = &customer.number;
    let mail = format!(
        "{}@{}.example",
        number.to_lowercase(),
        if customer.club { "clubs" } else { *chance.pick(&["letterbox", "postfield", "mossmail"]) }
    );
    let postcode = if chance.in_thousand(40) {
        String::new()
    } else {
        format!("{area}{:03}", chance.below(999))
    };
    writeln!(out, "{number},{name},{mail},{place},{postcode},{year}-{month:02}-{date:02}")
}

/// Sellers: a changed surname, two people with one name.
pub(crate) fn write_staff(out: &mut dyn Write) -> io::Result<()> {
    out.write_all(
        b"staff_no,name,role,valid_from\n\
          S01,Orla Fernacre,shop,2024-01-01\n\
          S02,Marl Rushmead,market,2024-01-01\n\
          S03,Wren Elmsgarth,post,2024-03-01\n\
          S03,Wren Oakenshade,post,2025-10-12\n\
          S04,Marl Rushmead,shop,2025-02-01\n\
          S05,Sorrel Ivystone,market,2025-06-15\n",
    )?;
    out.flush()
}

pub(crate) fn write_visits(
    size: Size,
    customers: &[Customer],
    out: &mut dyn Write,
) -> io::Result<()> {
    let mut chance = Chance::new(size.seed, "visits");
    writeln!(out, "visit_no,customer_no,visited_at,minutes")?;
    for visit in 1..=size.orders / 2 {
        let (year, month, date) = days::civil(chance.below(days::DAYS));
        let customer = &chance.pick(customers).number;
        let (hour, minute) = (9 + chance.below(9), chance.below(60));
        writeln!(
            out,
            "{visit},{customer},{year}-{month:02}-{date:02}T{hour:02}:{minute:02}:00,{}",
            5 + chance.below(70)
        )?;
    }
    out.flush()
}
