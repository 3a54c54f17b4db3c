//! Order headers from two systems, their lines, and what came back.

use std::collections::VecDeque;
use std::io::{self, Write};

use crate::chance::Chance;
use crate::days::{DAYS, civil};
use crate::listings::article_no;
use crate::parties::Customer;
use crate::words::ARTICLES;
use crate::{Open, Size};

/// One version of an order header.
#[derive(Clone)]
struct Header {
    number: u64,
    post: bool,
    day: u64,
    sent: (u64, u64),
    customer: String,
    staff: u64,
    market: bool,
    status: &'static str,
    freight: u64,
}

struct Books {
    shop: Box<dyn Write>,
    post: Box<dyn Write>,
}

impl Books {
    fn write(&mut self, header: &Header) -> io::Result<()> {
        let (year, month, date) = civil(header.day);
        let (sent_year, sent_month, sent_date) = civil(header.sent.0);
        let minute = header.sent.1;
        let sent = format!(
            "{sent_year}-{sent_month:02}-{sent_date:02}T{:02}:{:02}:00",
            minute / 60,
            minute % 60
        );
        let Header { number, customer, status, staff, .. } = header;
        let freight = format!("{}.{:02}", header.freight / 100, header.freight % 100);
        if header.post {
            // Another system: another order of columns, days the other way round.
            return writeln!(
                self.post,
                "M{number:07},{sent},{status},{freight},{customer},{date:02}/{month:02}/{year},post,S03"
            );
        }
        let channel = if header.market { "market" } else { "shop" };
        writeln!(
            self.shop,
            "M{number:07},{year}-{month:02}-{date:02},{customer},{channel},S0{staff},{status},{freight},{sent}"
        )
    }
}

pub(crate) fn write_sales(
    size: Size,
    customers: &[Customer],
    open: &mut Open<'_>,
) -> io::Result<()> {
    let mut chance = Chance::new(size.seed, "sales");
    let mut books = Books { shop: open("orders_shop.csv")?, post: open("orders_post.csv")? };
    let mut lines = open("lines.csv")?;
    let mut returns = open("returns.csv")?;
    writeln!(
        books.shop,
        "order_no,ordered_on,customer_no,channel,staff_no,status,freight,sent_at"
    )?;
    writeln!(
        books.post,
        "order_no,sent_at,status,freight,customer_no,ordered_on,channel,staff_no"
    )?;
    writeln!(lines, "order_no,line_no,article_no,quantity,unit_price,discount")?;
    writeln!(returns, "return_no,order_no,line_no,returned_on,quantity,reason")?;
    // Versions that are sent again come some orders later.
    let mut later: VecDeque<(u64, Header)> = VecDeque::new();
    let mut return_no = 0;
    for at in 0..size.orders {
        while later.front().is_some_and(|(due, _)| *due <= at) {
            if let Some((_, header)) = later.pop_front() {
                books.write(&header)?;
            }
        }
        let header = header(at, size, customers, &mut chance);
        // A few headers never arrive, though their lines do.
        if !chance.in_thousand(2) {
            books.write(&header)?;
            if chance.in_thousand(8) {
                books.write(&header)?;
            }
            if chance.in_thousand(60) {
                later.push_back((at + 40, sent_again(&header, &mut chance)));
            }
        }
        let count = 1 + chance.below(5);
        for line_no in 1..=count {
            let line = Line::new(size, &mut chance);
            let text = format!("M{:07},{line_no},{line}", header.number);
            writeln!(lines, "{text}")?;
            if chance.in_thousand(4) {
                writeln!(lines, "{text}")?;
            }
            if chance.in_thousand(30) {
                for _ in 0..=u64::from(chance.in_thousand(100)) {
                    return_no += 1;
                    let missing = chance.in_thousand(10);
                    let line_no = if missing { 9 } else { line_no };
                    write_return(&mut *returns, return_no, &header, line_no, &line, &mut chance)?;
                }
            }
        }
    }
    for (_, header) in later {
        books.write(&header)?;
    }
    books.shop.flush()?;
    books.post.flush()?;
    lines.flush()?;
    returns.flush()
}

fn header(at: u64, size: Size, customers: &[Customer], chance: &mut Chance) -> Header {
    let number = at + 1;
    let day = at * DAYS / size.orders.max(1);
    let post = chance.in_thousand(450);
    // One in ten customers never orders.
    let ordering = (customers.len() as u64 * 9 / 10).max(1);
    let known = &customers[chance.below(ordering) as usize].number;
    let customer = match chance.below(1000) {
        0..20 => String::new(),
        20..35 => known.to_lowercase(),
        35..45 => format!("{known} "),
        45..50 => format!("C9{:04}", chance.below(9999)),
        _ => known.clone(),
    };
    let market = chance.in_thousand(300);
    Header {
        number,
        post,
        day,
        sent: (day, 480 + chance.below(600)),
        customer,
        staff: if market { *chance.pick(&[2, 5]) } else { *chance.pick(&[1, 4]) },
        market,
        status: if chance.in_thousand(15) {
            "void"
        } else if chance.in_thousand(5) {
            ""
        } else if chance.in_thousand(150) {
            "open"
        } else {
            "closed"
        },
        freight: if post { 390 + chance.below(6) * 100 } else { 0 },
    }
}

fn sent_again(header: &Header, chance: &mut Chance) -> Header {
    let mut again = header.clone();
    // Now and then the clock of the sender stands still.
    if !chance.in_thousand(50) {
        again.sent = ((header.sent.0 + 1 + chance.below(3)).min(DAYS - 1), header.sent.1 + 15);
    }
    again.status = if chance.in_thousand(100) { "void" } else { "closed" };
    if again.post {
        again.freight += 100 * chance.below(3);
    }
    again
}

struct Line {
    article: usize,
    quantity: u64,
    cents: u64,
    discount: u64,
}

impl Line {
    fn new(size: Size, chance: &mut Chance) -> Self {
        let article = chance.below(ARTICLES.len() as u64) as usize;
        let quantity = if chance.in_thousand(20) {
            1 + chance.below(24)
        } else {
            1 + chance.below((size.quantity.clamp(1, 12) * 2) - 1)
        };
        let cents = u64::from(ARTICLES[article].3);
        let discount = if chance.in_thousand(120) {
            quantity * cents * (5 + chance.below(16)) / 100
        } else {
            0
        };
        Self { article, quantity, cents, discount }
    }
}

impl std::fmt::Display for Line {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(
            out,
            "{},{},{}.{:02},{}.{:02}",
            article_no(self.article),
            self.quantity,
            self.cents / 100,
            self.cents % 100,
            self.discount / 100,
            self.discount % 100
        )
    }
}

fn write_return(
    out: &mut dyn Write,
    return_no: u64,
    header: &Header,
    line_no: u64,
    line: &Line,
    chance: &mut Chance,
) -> io::Result<()> {
    let after = (header.day + 5 + chance.below(20)).min(DAYS - 1);
    // A few are dated before their order, and a few say that more came back than was sold.
    let day = if return_no % 61 == 17 { header.day.saturating_sub(2) } else { after };
    let (year, month, date) = civil(day);
    let sold = 1 + chance.below(line.quantity);
    let quantity = if return_no % 83 == 19 { line.quantity + 1 } else { sold };
    let reason = *chance.pick(&["wilted", "wrong article", "too many", "broken", ""]);
    let text = format!(
        "R{return_no:06},M{:07},{line_no},{year}-{month:02}-{date:02},{quantity},{reason}",
        header.number
    );
    writeln!(out, "{text}")?;
    if chance.in_thousand(15) {
        writeln!(out, "{text}")?;
    }
    Ok(())
}
