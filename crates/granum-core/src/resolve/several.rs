//! Tables laid from several: stacked, or meeting on a key.

use super::plan::{Lay, SeveralPlan};
use super::scope::{FinishedColumn, Resolver};
use super::steps::{Builder, Known, Named};
use super::worth::{Worth, WorthKind};
use super::{Resolved, Wrong};
use crate::lang::{Diagnostic, DiagnosticKind, MoreTree, Name, plan_name};
use crate::table::{ColumnId, SlotId, TableId};
use crate::value::Type;

/// The tables, with their names as they stand in the plan.
struct Laid<'n> {
    names: Vec<&'n Name>,
    tables: Vec<TableId>,
}

impl Resolver<'_> {
    /// The columns that a table starts with which is laid from several.
    pub(super) fn several(
        &mut self,
        builder: &mut Builder,
        first: &Name,
        more: &MoreTree,
    ) -> Resolved<SeveralPlan> {
        let (MoreTree::Stacked { tables: others, .. } | MoreTree::Meeting { tables: others, .. }) =
            more
        else {
            return Err(Wrong);
        };
        let mut laid =
            Laid { names: std::iter::once(first).chain(others).collect(), tables: vec![] };
        for name in &laid.names {
            let table = self.table_named(name)?;
            if laid.tables.contains(&table) {
                return self.wrong(Diagnostic::new(
                    DiagnosticKind::NameTaken,
                    name.span,
                    format!("`{}` stands here twice", name.text),
                ));
            }
            self.need_table(table, name.span)?;
            laid.tables.push(table);
        }
        match more {
            MoreTree::Meeting { keys, .. } => self.meeting(builder, laid, keys),
            MoreTree::Stacked { filling_blanks, labelled, .. } => {
                self.stacked(builder, laid, *filling_blanks, labelled.as_ref())
            }
            MoreTree::None => Err(Wrong),
        }
    }

    fn columns_of(&self, table: TableId) -> &[FinishedColumn] {
        &self.tables[table.0].columns
    }

    /// Where each of the tables has a column.
    fn places(&self, laid: &Laid<'_>, name: &str) -> Vec<Option<ColumnId>> {
        let place =
            |table: &TableId| self.columns_of(*table).iter().position(|column| column.name == name);
        laid.tables.iter().map(|table| place(table).map(ColumnId)).collect()
    }

    fn stacked(
        &mut self,
        builder: &mut Builder,
        laid: Laid<'_>,
        filling_blanks: bool,
        labelled: Option<&Name>,
    ) -> Resolved<SeveralPlan> {
        let mut found: Vec<String> = vec![];
        for table in &laid.tables {
            let columns = self.columns_of(*table).iter().map(|column| column.name.clone());
            let new: Vec<String> = columns.filter(|name| !found.contains(name)).collect();
            found.extend(new);
        }
        let mut columns = vec![];
        for name in found {
            let places = self.places(&laid, &name);
            if let Some(lacks) = places.iter().position(Option::is_none)
                && !filling_blanks
            {
                let has = places.iter().position(Option::is_some).unwrap_or(0);
                let (lacks, has) = (laid.names[lacks], laid.names[has]);
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::UnknownName,
                        lacks.span,
                        format!(
                            "`{}` has no column `{name}`, which `{}` has",
                            lacks.text, has.text
                        ),
                    )
                    .help("if it is blank there, say so behind the tables:  filling blanks"),
                );
            }
            let slot = self.laid(builder, &laid, &name, &places)?;
            columns.push((slot, places));
        }
        self.laid_apart(builder, &laid, &columns)?;
        let labelled = match labelled {
            None => None,
            Some(label) => {
                self.free_label(builder, label)?;
                let worth = Worth::column(WorthKind::Plain, false);
                let slot = builder.slot(Type::Text, worth, 0);
                builder.names.push(Named::new(label.text.clone(), 0, slot));
                Some(slot)
            }
        };
        Ok(SeveralPlan {
            tables: laid.tables,
            columns,
            lay: Lay::Stacked { labelled },
            allows: None,
        })
    }

    fn free_label(&mut self, builder: &Builder, label: &Name) -> Resolved<()> {
        if builder.find(&label.text).is_none() {
            return Ok(());
        }
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::NameTaken,
                label.span,
                format!("the tables have a column called `{}` already", label.text),
            )
            .help("give the label another name"),
        )
    }

    fn meeting(
        &mut self,
        builder: &mut Builder,
        laid: Laid<'_>,
        keys: &[Name],
    ) -> Resolved<SeveralPlan> {
        for (table, name) in laid.tables.iter().zip(&laid.names) {
            self.meets_on_grain(*table, name, keys)?;
        }
        let mut columns = vec![];
        for key in keys {
            let places = self.places(&laid, &key.text);
            let slot = self.laid(builder, &laid, &key.text, &places)?;
            columns.push((slot, places));
        }
        for (at, table) in laid.tables.iter().enumerate() {
            for (place, column) in self.columns_of(*table).to_vec().iter().enumerate() {
                if keys.iter().any(|key| key.text == column.name) {
                    continue;
                }
                if builder.find(&column.name).is_some() {
                    let diagnostic = Diagnostic::new(
                        DiagnosticKind::NameTaken,
                        laid.names[at].span,
                        format!("two of these tables have a column `{}`", column.name),
                    );
                    let name = plan_name(&column.name);
                    let help = format!("rename it in one of them:  rename {name} to \u{2026}");
                    return self.wrong(diagnostic.help(help));
                }
                let mut places = vec![None; laid.tables.len()];
                places[at] = Some(ColumnId(place));
                let slot = self.laid(builder, &laid, &column.name, &places)?;
                columns.push((slot, places));
            }
        }
        self.laid_apart(builder, &laid, &columns)?;
        let slots: Vec<SlotId> = columns[..keys.len()].iter().map(|(slot, _)| *slot).collect();
        builder.grain = Some(Known { slots, unique: true, filled: true });
        Ok(SeveralPlan {
            tables: laid.tables,
            columns,
            lay: Lay::Meeting { keys: keys.len() },
            allows: None,
        })
    }

    fn meets_on_grain(&mut self, table: TableId, name: &Name, keys: &[Name]) -> Resolved<()> {
        let grain = self.tables[table.0].plan.as_ref().and_then(|plan| plan.grain.as_ref());
        let mut grain = grain.map_or(vec![], |grain| grain.columns.clone());
        let told = match grain.as_slice() {
            [] => "has each row for itself".to_owned(),
            columns => format!("has one row per {}", columns.join(", ")),
        };
        let mut wanted: Vec<&str> = keys.iter().map(|key| key.text.as_str()).collect();
        grain.sort();
        wanted.sort_unstable();
        if grain == wanted {
            return Ok(());
        }
        self.wrong(
            Diagnostic::new(
                DiagnosticKind::Grain,
                name.span,
                format!("tables meet on the grain of each, and `{}` {told}", name.text),
            )
            .help("bring it to these keys before:  one row per KEY"),
        )
    }

    /// What keeps columns of several tables apart: the same in all that have them.
    fn laid_apart(
        &mut self,
        builder: &mut Builder,
        laid: &Laid<'_>,
        columns: &[(SlotId, Vec<Option<ColumnId>>)],
    ) -> Resolved<()> {
        let mut apart = vec![];
        for (_, places) in columns {
            let of = |at: usize, place: &ColumnId| {
                let all = self.columns_of(laid.tables[at]);
                all[place.0].apart.map(|apart| all[apart].name.clone())
            };
            let there =
                places.iter().enumerate().filter_map(|(at, place)| Some((at, place.as_ref()?)));
            let found: Vec<(usize, ColumnId, Option<String>)> =
                there.map(|(at, place)| (at, *place, of(at, place))).collect();
            let Some((first, place, own)) = found.first() else { continue };
            if let Some((at, .., other)) = found.iter().find(|(.., other)| other != own) {
                let said = |name: &Option<String>| match name {
                    Some(name) => format!("in `{name}`"),
                    None => "in nothing".to_owned(),
                };
                let message = format!(
                    "`{}` is {} in `{}` and {} in `{}`",
                    self.columns_of(laid.tables[*first])[place.0].name,
                    said(own),
                    laid.names[*first].text,
                    said(other),
                    laid.names[*at].text
                );
                let span = laid.names[*at].span;
                return self
                    .wrong(Diagnostic::new(DiagnosticKind::CountedApart, span, message).help(
                        "track it in the same column in each of them:  track NAME in COLUMN",
                    ));
            }
            apart.push(own.as_ref().and_then(|own| {
                let is = |(slot, _): &(SlotId, _)| {
                    builder.names.iter().any(|named| named.slot() == *slot && named.name == *own)
                };
                columns.iter().position(is)
            }));
        }
        let slots: Vec<SlotId> = columns.iter().map(|(slot, _)| *slot).collect();
        builder.keep_apart(&slots, apart.into_iter());
        Ok(())
    }

    /// A column of one name in several tables, all of one type.
    fn laid(
        &mut self,
        builder: &mut Builder,
        laid: &Laid<'_>,
        name: &str,
        places: &[Option<ColumnId>],
    ) -> Resolved<SlotId> {
        let mut ty = Type::Blank;
        let mut worth: Option<Worth> = None;
        let mut tracked = true;
        for (at, place) in places.iter().enumerate() {
            let Some(place) = place else { continue };
            let column = self.columns_of(laid.tables[at])[place.0].clone();
            // Exact numbers of other places become those with the most.
            let common = ty.common(column.ty);
            let exact = ty.scale().is_some() && column.ty.scale().is_some();
            if ty != Type::Blank && column.ty != Type::Blank && column.ty != ty && !exact {
                let table = laid.names[at];
                let diagnostic = Diagnostic::new(
                    DiagnosticKind::Type,
                    table.span,
                    format!("`{name}` is {ty} before, and {} in `{}`", column.ty, table.text),
                );
                let name = plan_name(name);
                return self
                    .wrong(diagnostic.help(format!("say in the input:  read {name} as {ty}")));
            }
            ty = common.unwrap_or(column.ty);
            worth = Some(worth.map_or(column.worth, |worth| worth.with(column.worth)));
            tracked &= column.tracked;
        }
        let slot = builder.slot(ty, worth.unwrap_or_default(), 0);
        let named = Named { base_name: Some(name.to_owned()), ..Named::new(name, 0, slot) };
        if tracked {
            builder.tracked.push(named.clone());
        }
        builder.names.push(named);
        Ok(slot)
    }
}
