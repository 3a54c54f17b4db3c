//! What users write stays text, and the picture of the way keeps its boxes apart.

use proptest::prelude::*;

use super::way::{Way, WayBox, WayKind, WayLine};
use super::*;

/// A page on which one text stands everywhere.
fn filled(text: &str) -> Page {
    let t = || text.to_owned();
    let rows = || RowsTold {
        heads: vec![(t(), false), (t(), true)],
        rows: vec![vec![Some(t()), None], vec![None, Some(t())]],
    };
    let bar = BarTold { from: 1, length: 2 };
    let step = Step { name: t(), rows: t(), amount: t(), stands: t(), kind: "all", bar };
    let months = MonthsTold { by: t(), least: t(), rows: rows(), bars: vec![Some(500), None] };
    Page {
        title: t(),
        plan: t(),
        program: t(),
        state: "stopped",
        verdict: t(),
        facts: vec![Fact { name: t(), value: t(), note: t() }],
        troubles: vec![Trouble { state: "warned", title: t(), text: t() }],
        links: vec![LinkTold {
            from: t(),
            name: t(),
            keys: t(),
            counts: [t(), t(), t()],
            shares: vec![(t(), t(), bar)],
            required: t(),
            state: "held",
            reach: t(),
            more: t(),
            months: Some(months),
        }],
        bridges: vec![BridgeTold { output: t(), amount: t(), steps: vec![step] }],
        unchanged: vec![t()],
        way: Way {
            boxes: vec![WayBox {
                kind: WayKind::Input,
                name: t(),
                rows: t(),
                grain: t(),
                table: Some(0),
            }],
            lines: vec![],
        },
        tables: vec![TableTold {
            name: t(),
            kind: "table",
            grain: t(),
            rows: t(),
            made: vec![t()],
            tally: TallyTold { rows: rows(), notes: vec![t()] },
            columns: vec![(t(), t())],
            first: rows(),
            left_out: t(),
        }],
        charts: vec![ChartTold { title: t(), svg: "<svg/>".into(), rows: rows(), left_out: t() }],
        checks: vec![CheckTold { title: t(), condition: t(), over: t(), state: "skipped" }],
        examples: vec![ExampleTold { title: t(), state: "held", text: t() }],
        since: Some(SinceTold { record: t(), lines: vec![t()], rows: rows() }),
        read: vec![FileTold { input: t(), path: t(), size: t(), sha256: t() }],
        written: vec![t()],
        parameters: vec![t()],
        texts: vec![PlanTold { name: t(), pieces: vec![("", t()), ("comment", t())] }; 2],
        left_out: vec![t()],
    }
}

#[test]
fn a_page_of_nothing_is_a_page() {
    let text = page(&Page { state: "held", ..Page::default() }).unwrap();
    assert!(text.starts_with("<!DOCTYPE html>") && text.ends_with("</html>"));
    assert!(!text.contains("id=\"troubles\"") && !text.contains("id=\"charts\""));
}

proptest! {
    #[test]
    fn no_text_of_a_user_opens_or_closes_anything(text in "[<>\"\'&a{}%#/=! -]{1,24}") {
        let count = |page: &str| ['<', '>', '"', '\''].map(|sign| page.matches(sign).count());
        let (plain, hostile) = (page(&filled("x")).unwrap(), page(&filled(&text)).unwrap());
        prop_assert_eq!(count(&plain), count(&hostile), "{}", text);
    }

    #[test]
    fn boxes_of_the_way_stand_apart_and_shares_do_too(
        count in 1..9_usize,
        lines in prop::collection::vec((0..9_usize, 0..9_usize, any::<bool>()), 0..14),
    ) {
        let one = |at: usize| WayBox {
            kind: WayKind::Table,
            name: "n".repeat(1 + 5 * at),
            rows: "12 rows".into(),
            grain: "one row per key".into(),
            table: None,
        };
        let line = |(from, to, link): (usize, usize, bool)| WayLine {
            from: from % count,
            to: to % count,
            share: link.then(|| "98.31%".into()),
            told: String::new(),
        };
        let lines = lines.into_iter().map(line).filter(|line| line.from != line.to).collect();
        let way = Way { boxes: (0..count).map(one).collect(), lines };
        let laid: serde_json::Value = serde_json::to_value(way.laid_out()).unwrap();
        let number = |of: &serde_json::Value, name: &str| of[name].as_f64().unwrap();
        let boxes = laid["boxes"].as_array().unwrap();
        for (at, one) in boxes.iter().enumerate() {
            let (x, y, width, height) =
                (number(one, "x"), number(one, "y"), number(one, "width"), number(one, "height"));
            prop_assert!(x >= 0.0 && x + width <= number(&laid, "width"), "{one} {laid}");
            prop_assert!(y >= 0.0 && y + height <= number(&laid, "height"), "{one} {laid}");
            for other in &boxes[at + 1..] {
                let beside = x + width <= number(other, "x") || number(other, "x") + number(other, "width") <= x;
                let below = y + height <= number(other, "y") || number(other, "y") + height <= y;
                prop_assert!(beside || below, "{one} {other}");
            }
        }
        prop_assert_eq!(laid["lines"].as_array().unwrap().len(), way.lines.len());
    }
}
