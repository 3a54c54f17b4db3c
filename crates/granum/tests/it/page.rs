//! The page that tells all of a run, as text and in a real browser.

use headless_chrome::types::PrintToPdfOptions;
use insta::assert_snapshot;
use serde_json::json;

use super::browser::{Look, Opened, USUAL, opened};
use super::folder::Folder;

/// The demo's page.
fn nursery() -> Folder {
    let folder = Folder::new();
    folder.granum(&["demo", ".", "--only-data"]).code(0);
    folder.granum(&["run", "nursery.granum", "-q", "--record", "before.json"]).code(0);
    folder.granum(&["report", "nursery.granum", "--against", "before.json"]).code(0);
    folder
}

fn looked_at(folder: &Folder, look: Look) -> Option<Opened> {
    opened(&folder.path().join("nursery.html"), look)
}

/// A workshop whose names and cells would do harm on a page that is not careful.
fn hostile() -> Folder {
    let folder = Folder::new();
    folder.file(
        "t.csv",
        "no,\"<b onclick=x>&amp;\",on,v\n1,\"</pre></script><script>alert(1)</script>\",2026-01-02,1.50\n\
         2,\"\"\"><img src=x onerror=alert(2)>\",2026-03-02,2.00\n\
         3,\"{{ page.title }} {% raw %} \u{202e}back\",,-1.00\n4,</style>,2026-03-03,\n",
    );
    folder.file("o.csv", "no,name\n1,a\n2,\n");
    folder.plan(
        "plan \"<svg onload=alert(3)>\"\n# <!-- <script>alert(4)</script>\n\
         input t from \"t.csv\"\n  read v as decimal(2)\n  grain no\n  track v\n\
         input o from \"o.csv\"\n  grain no\n\
         link t to o on no complete\n\
         table u from t\n  add w = v * 2\n\
         check \"<i>'\\\"x\" u: v > 1\n\
         output u to \"out/<u>.csv\"\n",
    );
    folder
}

#[test]
fn a_page_is_written_beside_the_verdict_and_is_the_same_each_time() {
    let folder = nursery();
    let page = folder.read("nursery.html");
    assert!(page.starts_with("<!DOCTYPE html>") && page.ends_with("</html>"), "{}", &page[..40]);
    assert!(page.len() < 3_000_000, "{} bytes", page.len());
    folder
        .granum(&["report", "nursery.granum", "--against", "before.json", "--threads", "1"])
        .code(0);
    assert!(page == folder.read("nursery.html"));
    // A run writes the same, but for what it wrote.
    folder.granum(&["run", "nursery.granum", "-q", "--report", "run.html"]).code(0);
    assert!(folder.read("run.html").contains("wrote out&#x2f;unit_sales.csv"));
    assert!(!page.contains("wrote out&#x2f;unit_sales.csv"));
    // What it is on standard output, it says elsewhere.
    let piped = folder.granum(&["report", "nursery.granum", "--to", "-"]).code(0);
    assert!(piped.out.starts_with("<!DOCTYPE html>") && piped.out.ends_with("</html>"));
    assert!(piped.err.contains("HELD: 10 links"), "{}", piped.err);
    let told = folder.granum(&["report", "nursery.granum", "--format", "json"]).code(0);
    let told: serde_json::Value = serde_json::from_str(&told.out).unwrap();
    assert_eq!(told["report"]["page"]["path"], "nursery.html");
    assert_eq!(told["report"]["page"]["bytes"], folder.read("nursery.html").len());
}

#[test]
fn a_page_is_written_of_what_stopped_too_and_never_over_what_is_not_its_own() {
    let folder = hostile();
    let ran = folder.granum(&["report", "p.granum", "--to", "sub.html"]).code(1);
    assert_snapshot!(ran.out);
    let ran = folder.granum(&["run", "p.granum", "-q", "--report", "ran.html"]).code(1);
    assert!(ran.out.contains("ran.html"));
    assert!(!folder.exists("out"));
    assert_eq!(folder.names(), ["o.csv", "p.granum", "ran.html", "sub.html", "t.csv"]);
    folder.file("p.html", "<p>my own</p>").file("a_folder/x", "");
    folder
        .granum(&["report", "p.granum"])
        .code(3)
        .complains("error: p.html: stands there already, and is no page of this program\n  say where the page goes:  --to PAGE.html\n");
    assert_eq!(folder.read("p.html"), "<p>my own</p>");
    for (to, stands) in [
        ("p.granum", "a plan stands in this file"),
        ("t.csv", "an input is read from this file"),
        ("out/<u>.csv", "an output of the plan stands in this file"),
    ] {
        let said = format!("error: {to}: {stands}\n  write the page to another path\n");
        folder.granum(&["report", "p.granum", "--to", to]).code(3).complains(&said);
    }
    folder
        .granum(&["report", "p.granum", "--to", "-", "--format", "json"])
        .code(2)
        .complains("error: the page and --format json would both go to standard output\n  write the page to a file: its path in place of -\n");
    folder
        .granum(&["report", "p.granum", "--to", "a_folder"])
        .code(3)
        .complains("error: a_folder: ");
}

#[test]
fn a_page_opens_without_errors_or_calls_and_its_contents_lead_somewhere() {
    let folder = nursery();
    let Some(page) = looked_at(&folder, USUAL) else { return };
    page.is_quiet();
    assert_eq!(page.gives("document.title"), "Mossgate nursery: unit sales");
    let lost = "Array.from(document.querySelectorAll('a[href^=\"#\"]'), a => a.getAttribute('href'))\
                .filter(to => !document.getElementById(to.slice(1)))";
    assert_eq!(page.gives(lost), json!([]));
    let twice = "Array.from(document.querySelectorAll('[id]'), e => e.id).filter((id, at, all) => all.indexOf(id) !== at)";
    assert_eq!(page.gives(twice), json!([]));
    let contents =
        page.gives("Array.from(document.querySelectorAll('nav ol a'), a => a.textContent)");
    assert_eq!(
        contents,
        json!([
            "Verdict",
            "What to look at",
            "Links",
            "Amounts",
            "The way of the tables",
            "Charts",
            "Checks",
            "Worked examples",
            "Since the last record",
            "Tables",
            "Files",
            "The plan"
        ])
    );
    page.tab.find_element("nav a[href='#charts']").unwrap().click().unwrap();
    assert_eq!(page.gives("location.hash"), "#charts");
    let top = page.gives("document.getElementById('charts').getBoundingClientRect().top");
    assert!(top.as_f64().unwrap().abs() < 100.0, "{top}");
    page.picture("contents");
    page.is_quiet();
}

#[test]
fn a_click_on_a_table_shows_what_its_steps_did_and_its_first_rows() {
    let folder = nursery();
    let shown = "(() => { const at = document.querySelector('#table-9'); return [at.dataset.find, at.closest('details').open, \
                 at.checkVisibility({contentVisibilityAuto: true}), at.querySelectorAll('table').length, \
                 at.textContent.includes('keep has(orders)')] })()";
    for scripts in [true, false] {
        let Some(page) = looked_at(&folder, Look { scripts, ..USUAL }) else { return };
        assert_eq!(page.gives(shown), json!(["sales", false, false, 2, true]), "{scripts}");
        let at = page.gives(
            "(() => { const box = document.querySelector('.way a[href=\"#table-9\"]'); box.scrollIntoView({block: 'center'}); \
             const r = box.getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2] })()",
        );
        let point = headless_chrome::browser::tab::point::Point {
            x: at[0].as_f64().unwrap(),
            y: at[1].as_f64().unwrap(),
        };
        page.tab.click_point(point).unwrap();
        assert_eq!(page.gives(shown), json!(["sales", true, true, 2, true]), "{scripts}");
        page.picture(if scripts { "table" } else { "table_without_scripts" });
        page.is_quiet();
    }
}

#[test]
fn tables_columns_links_and_checks_are_found_by_the_keyboard_alone() {
    let folder = nursery();
    let Some(page) = looked_at(&folder, USUAL) else { return };
    let focus = || page.gives("[document.activeElement.className, document.activeElement.id]");
    page.tab.press_key("Tab").unwrap();
    assert_eq!(focus(), json!(["skip", ""]));
    page.tab.press_key("Tab").unwrap();
    assert_eq!(focus(), json!(["", "search"]));
    page.tab.type_str("FREIGHT").unwrap();
    let results =
        page.gives("Array.from(document.querySelectorAll('#results li'), li => li.textContent)");
    let wanted =
        ["orders", "sales", "unit_sales"].map(|table| format!("freight column of {table}"));
    assert_eq!(results, json!(wanted));
    assert_eq!(page.gives("document.getElementById('found').textContent"), "3 found");
    page.tab.press_key("Enter").unwrap();
    let hash = page.gives("location.hash");
    let open = "document.getElementById(location.hash.slice(1)).closest('details').open";
    assert!(hash.as_str().unwrap().starts_with("#column-"), "{hash}");
    assert_eq!(page.gives(open), true);
    page.tab.find_element("#search").unwrap().click().unwrap();
    page.tab.press_key("Escape").unwrap();
    page.tab.type_str("zzz").unwrap();
    assert_eq!(page.gives("document.getElementById('found').textContent"), "nothing is called so");
    page.is_quiet();
}

#[test]
fn a_page_fits_narrow_and_wide_and_can_be_read_in_light_and_dark() {
    let folder = nursery();
    // The contrast of each text with what stands behind it, as WCAG 2.1 works it; what fails AA is named.
    let faint = "(() => {
        const light = c => { const [r, g, b] = c.match(/[\\d.]+/g).slice(0, 3).map(v => { v /= 255; return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; }); return 0.2126 * r + 0.7152 * g + 0.0722 * b; };
        const ground = e => { for (; e; e = e.parentElement) { const c = getComputedStyle(e).backgroundColor; if (!/, 0\\)$/.test(c) && c !== 'transparent') return c; } return getComputedStyle(document.body).backgroundColor; };
        const bad = new Set();
        document.querySelectorAll('details').forEach(d => { d.open = true; });
        for (const e of document.querySelectorAll('main *')) {
            if (e.closest('svg') || !Array.from(e.childNodes).some(n => n.nodeType === 3 && n.textContent.trim())) continue;
            const [a, b] = [light(getComputedStyle(e).color), light(ground(e))].sort((x, y) => y - x);
            const ratio = (a + 0.05) / (b + 0.05);
            if (ratio < 4.5) bad.add(e.tagName + '.' + e.className + ' ' + ratio.toFixed(2));
        }
        return Array.from(bad);
    })()";
    let wider = "document.documentElement.scrollWidth > document.documentElement.clientWidth";
    let Some(page) = looked_at(&folder, USUAL) else { return };
    for (width, dark) in [(360, false), (360, true), (1280, true), (1600, false)] {
        page.look(Look { width, height: 900, dark, scripts: true });
        let name = format!("{width}{}", if dark { "_dark" } else { "" });
        assert_eq!(page.gives(wider), false, "{name}");
        page.picture(&name);
        assert_eq!(page.gives(faint), json!([]), "{name}");
        assert_eq!(page.gives(wider), false, "{name}, all open");
    }
    page.is_quiet();
}

#[test]
fn a_page_can_be_heard_and_copied() {
    let folder = nursery();
    let Some(page) = looked_at(&folder, USUAL) else { return };
    let nameless = "Array.from(document.querySelectorAll('table')).filter(t => !t.caption || !t.caption.textContent.trim()).length \
        + Array.from(document.querySelectorAll('th')).filter(th => !th.scope).length \
        + Array.from(document.querySelectorAll('[role=region], [role=group]')).filter(e => !e.getAttribute('aria-label')).length \
        + Array.from(document.querySelectorAll('svg[role=img]')).filter(e => !e.querySelector('title')).length \
        + Array.from(document.querySelectorAll('svg')).filter(e => !e.closest('[aria-hidden=true], [role=img], [role=group]')).length";
    assert_eq!(page.gives(nameless), 0);
    let levels = page.gives(
        "Array.from(document.querySelectorAll('h1, h2, h3, h4'), h => Number(h.tagName[1]))",
    );
    let levels: Vec<i64> =
        levels.as_array().unwrap().iter().map(|at| at.as_i64().unwrap()).collect();
    assert_eq!(levels.iter().filter(|level| **level == 1).count(), 1);
    assert!(levels.windows(2).all(|pair| pair[1] <= pair[0] + 1), "{levels:?}");
    assert_eq!(page.gives("document.documentElement.lang"), "en");
    // What is copied of a table is its cells, between tabs, as it stands.
    page.gives(
        "(() => { window.copied = ''; Object.defineProperty(navigator, 'clipboard', \
         { value: { writeText: async t => { window.copied = t; } } }); \
         document.querySelector('.steps .copy').click(); return 1; })()",
    );
    assert_eq!(
        page.gives("window.copied"),
        "step\trows\tquantity\tstands at\nlines as it begins\t6,059\t13,250\t13,250\n\
         lines: dedupe\t\u{2212}22\t\u{2212}54\t13,196\n\
         sales: keep has(orders)\t\u{2212}126\t\u{2212}292\t12,904\n\
         unit_sales: units of quantity as unit_no split net, discount, freight\t+6,993\t0\t12,904\n\
         in out/unit_sales.csv\t12,904\t12,904\t12,904\n"
    );
    page.is_quiet();
}

#[test]
fn a_page_prints_with_all_that_is_folded() {
    let folder = nursery();
    for scripts in [true, false] {
        let Some(page) = looked_at(&folder, Look { scripts, ..USUAL }) else { return };
        page.media("print", true);
        let seen = "['nav', '#plan pre', '#table-9 table', '.copy'].map(what => { const e = document.querySelector(what); \
                    return !!e && e.checkVisibility({contentVisibilityAuto: true}) && e.getBoundingClientRect().height > 0; })";
        if scripts {
            page.gives("(dispatchEvent(new Event('beforeprint')), 1)");
        }
        assert_eq!(page.gives(seen), json!([false, true, true, false]), "{scripts}");
        let pdf = page.tab.print_to_pdf(Some(PrintToPdfOptions::default())).unwrap();
        assert!(pdf.starts_with(b"%PDF"));
        if let Some(folder) = std::env::var_os("GRANUM_PICTURES") {
            std::fs::write(std::path::Path::new(&folder).join("print.pdf"), pdf).unwrap();
        }
    }
}

#[test]
fn nothing_that_users_write_becomes_part_of_a_page() {
    let folder = hostile();
    folder.granum(&["report", "p.granum", "--to", "p.page.html"]).code(1);
    let text = folder.read("p.page.html");
    for harm in [
        "<script>alert",
        "<img",
        "onload=alert(3)>\"",
        "<b onclick",
        "</style>,",
        "\u{202e}",
        "<i>'",
    ] {
        assert!(!text.contains(harm), "{harm}");
    }
    // It is all there, to be read.
    for told in
        ["&lt;script&gt;alert(4)", "{{ page.title }} {% raw %} \\u{202e}back", "&lt;b onclick"]
    {
        assert!(text.contains(told), "{told}");
    }
    let Some(page) = opened(&folder.path().join("p.page.html"), USUAL) else { return };
    page.is_quiet();
    assert_eq!(page.gives("document.title"), "<svg onload=alert(3)>");
    let parts = "['script', 'img', 'style', 'i', 'b', 'u'].map(tag => document.getElementsByTagName(tag).length)";
    assert_eq!(page.gives(parts), json!([1, 0, 1, 0, 0, 0]));
    page.picture("hostile");
}
