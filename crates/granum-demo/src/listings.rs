//! Files that are short whatever the size: articles, prices, promotions, places, outreach.

use std::io::{self, Write};

use crate::chance::Chance;
use crate::words::{ARTICLES, PLACES, REGIONS};
use crate::{Open, Size, days};

/// The number of an article: `007`, with zeros in front as such numbers have them.
pub(crate) fn article_no(at: usize) -> String {
    format!("{:03}", at + 1)
}

pub(crate) fn write_articles(out: &mut dyn Write) -> io::Result<()> {
    writeln!(out, "article_no,article,category,pack_size")?;
    for (at, (category, name, pack, _)) in ARTICLES.iter().enumerate() {
        let quoted = if name.contains(['"', ',']) {
            format!("\"{}\"", name.replace('"', "\"\""))
        } else {
            (*name).to_owned()
        };
        writeln!(out, "{},{quoted},{category},{pack}", article_no(at))?;
    }
    out.flush()
}

pub(crate) fn write_prices(out: &mut dyn Write) -> io::Result<()> {
    writeln!(out, "article_no,valid_from,valid_until,list_price")?;
    for (at, (_, _, _, cents)) in ARTICLES.iter().enumerate() {
        let number = article_no(at);
        let price = |cents: u32| format!("{}.{:02}", cents / 100, cents % 100);
        if at % 5 == 4 {
            writeln!(out, "{number},,,{}", price(*cents))?;
            continue;
        }
        writeln!(out, "{number},2025-01-01,2026-01-01,{}", price(*cents))?;
        // One article has no price in January.
        let from = if at == 7 { "2026-02-01" } else { "2026-01-01" };
        writeln!(out, "{number},{from},,{}", price(cents + cents / 20))?;
    }
    out.flush()
}

pub(crate) fn write_promotions(out: &mut dyn Write) -> io::Result<()> {
    out.write_all(
        b"promo_code,starts_on,ends_on,title\n\
          HARVEST,2025-09-01,2025-09-21,Harvest weeks\n\
          BULBS,2025-09-15,2025-10-31,Bulbs in time\n\
          FROST,2025-12-01,2025-12-24,First frost\n\
          SOWING,2026-02-15,2026-03-15,Sowing season\n\
          MAYFAIR,2026-04-25,2026-05-10,Spring fair\n\
          MEMBERS,2026-05-01,,Members' summer\n",
    )?;
    out.flush()
}

pub(crate) fn write_places(out: &mut dyn Write) -> io::Result<()> {
    writeln!(out, "place,region_code,postcode_area")?;
    for (place, region, area) in PLACES {
        writeln!(out, "{place},{region},{area}")?;
    }
    out.flush()
}

pub(crate) fn write_regions(out: &mut dyn Write) -> io::Result<()> {
    writeln!(out, "region_code,region")?;
    for (code, region) in REGIONS {
        writeln!(out, "{code},{region}")?;
    }
    out.flush()
}

/// Money spent to win customers: three layouts, three date formats.
pub(crate) fn write_outreach(size: Size, open: &mut Open<'_>) -> io::Result<()> {
    let mut chance = Chance::new(size.seed, "outreach");
    let mut post = open("outreach_post.csv")?;
    let mut radio = open("outreach_radio.csv")?;
    let mut fair = open("outreach_fair.csv")?;
    writeln!(post, "day,leaflets,spent")?;
    writeln!(radio, "Sent on;Spots;Cost")?;
    writeln!(fair, "fair,date,stall_fee,helpers")?;
    for day in 0..days::DAYS {
        let (year, month, date) = days::civil(day);
        if chance.in_thousand(300) {
            let leaflets = 50 + chance.below(400);
            writeln!(
                post,
                "{year}-{month:02}-{date:02},{leaflets},{}.{:02}",
                leaflets / 5,
                chance.below(100)
            )?;
        }
        if chance.in_thousand(200) {
            let spots = 1 + chance.below(6);
            writeln!(
                radio,
                "{date:02}.{month:02}.{year};{spots};{},{:02}",
                spots * 18,
                chance.below(100)
            )?;
        }
        if chance.in_thousand(40) {
            let fee = 40 + chance.below(60);
            let helpers = 1 + chance.below(4);
            writeln!(fair, "Market {month},{date}/{month}/{year},{fee}.00,{helpers}")?;
        }
    }
    post.flush()?;
    radio.flush()?;
    fair.flush()
}
