//! `read`

use super::super::Resolved;
use super::super::plan::{FilterPlan, Step};
use super::super::scope::Resolver;
use super::super::worth::Worth;
use super::Builder;
use crate::expr::{Kind, Typed};
use crate::lang::{
    Diagnostic, DiagnosticKind, Otherwise, ReadTree, Span, nearest_or_longer, plan_name,
};
use crate::value::{NumberExample, Type, Zone, day};

impl Resolver<'_> {
    pub(super) fn read(
        &mut self,
        builder: &mut Builder,
        items: &[ReadTree],
        span: Span,
    ) -> Resolved<()> {
        if !builder.input {
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Step, span, "`read` belongs to an input")
                    .help("in a table, convert with text(…), integer(…), decimal(…), date(…)"),
            );
        }
        if builder.grouped && builder.steps.is_empty() {
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Step, span, "a calendar's columns are known")
                    .help("leave the `read` out"),
            );
        }
        if builder.steps.len() > usize::from(builder.aside.is_some()) {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Step,
                    span,
                    "`read` stands before all other steps: it says what the cells are",
                )
                .help("move it up, right behind the input's files"),
            );
        }
        let mut whole = Ok(());
        let mut seen: Vec<&str> = vec![];
        for item in items {
            if builder.find(&item.column.text).is_none() {
                whole = self.unknown_column(&builder.row(), &item.column);
            } else if seen.contains(&item.column.text.as_str()) {
                whole = self.wrong(Diagnostic::new(
                    DiagnosticKind::NameTaken,
                    item.column.span,
                    format!("`{}` is read twice", item.column.text),
                ));
            }
            seen.push(&item.column.text);
            if let Some(zone) = &item.zone
                && let Some((message, help)) = zone_error(item.ty.ty, &zone.text)
            {
                let wrong = Diagnostic::new(DiagnosticKind::Type, zone.span, message);
                whole = self.wrong(wrong.help(help));
            }
            for format in &item.formats {
                if let Some((message, help)) = format_error(item, &format.text) {
                    let wrong = Diagnostic::new(DiagnosticKind::Type, format.span, message);
                    whole = self.wrong(wrong.help(help));
                }
            }
        }
        set_aside(builder, items, span);
        whole
    }
}

/// The step that takes out the rows of cells that cannot be read. All `read`s have one together.
fn set_aside(builder: &mut Builder, items: &[ReadTree], span: Span) {
    let aside = items.iter().filter(|item| item.otherwise == Otherwise::Aside);
    let names: Vec<String> = aside.map(|item| plan_name(&item.column.text)).collect();
    if names.is_empty() {
        return;
    }
    let names = names.join(", ");
    if let (Some(_), Some(step)) = (builder.aside, builder.steps.first_mut()) {
        step.text = step.text.replace(" else aside", &format!(", {names} else aside"));
        return;
    }
    let slot = builder.slot(Type::Boolean, Worth::default(), 0);
    builder.aside = Some(slot);
    let condition = Typed { kind: Kind::Slot(slot), ty: Type::Boolean, span };
    let step = Step::Filter(FilterPlan { keep: false, condition });
    builder.push(step, format!("read {names} else aside"), true);
}

/// What is wrong with a zone, and what to do.
fn zone_error(ty: Type, name: &str) -> Option<(String, String)> {
    if ty != Type::DateTime {
        let message = format!("a zone belongs to a datetime, and this is {ty}");
        return Some((message, "its day by that clock is  date(COLUMN) , added behind".into()));
    }
    if Zone::named(name).is_some() {
        return None;
    }
    let names = Zone::names();
    let place = |zone: &&String| {
        zone.rsplit('/').next().is_some_and(|place| place.eq_ignore_ascii_case(name))
    };
    let place = names.iter().find(place).map(String::as_str);
    let near = place.or_else(|| nearest_or_longer(name, names.iter().map(String::as_str)));
    let help = near.map_or_else(
        || "zones are called by a place, as in  \"Europe/Berlin\" , or  \"UTC\"".to_owned(),
        |near| format!("did you mean \"{near}\"?"),
    );
    Some((format!("there is no zone called \"{name}\""), help))
}

/// What is wrong with a format or an example, and what to do.
fn format_error(item: &ReadTree, text: &str) -> Option<(String, &'static str)> {
    let ty = item.ty.ty;
    match ty {
        Type::DateTime if item.zone.is_none() && text.contains("%z") => Some((
            "an offset from UTC is read by the clock of a zone".to_owned(),
            "behind the formats:  zone \"UTC\"  , or another place's, such as \"Europe/Berlin\"",
        )),
        Type::DateTime if item.zone.is_some() => {
            let zone = Zone::named(&item.zone.as_ref()?.text)?;
            let message = format!("this format does not say a {ty}: {}", zone.format_error(text)?);
            Some((message, "as in  \"%d/%m/%Y %H:%M %z\""))
        }
        Type::Date | Type::DateTime => {
            let error = day::format_error(text, ty == Type::DateTime)?;
            let message = format!("this format does not say a {ty}: {error}");
            Some((message, "as in  \"%d/%m/%Y\"  or  \"%Y-%m-%dT%H:%M:%S\""))
        }
        Type::Integer | Type::Decimal(_) | Type::Number => {
            let error = NumberExample::parse(text, ty == Type::Integer).err()?;
            let message = format!("this example does not show how numbers are written: {error}");
            Some((message, "as in  \"1.234,56\"  ,  \"€ 1,234.56\"  or  \"(1,234.56)\""))
        }
        _ => Some((
            format!("{ty} has no formats"),
            "dates and datetimes have, and numbers are shown by an example",
        )),
    }
}
