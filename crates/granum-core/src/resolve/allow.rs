//! `allow KIND "why"`: warnings that were looked at.

use std::ops::Range;

use super::Resolved;
use super::plan::Allowance;
use super::scope::Resolver;
use crate::lang::{AllowTree, Diagnostic, DiagnosticKind, nearest};
use crate::table::TableId;
use crate::tally::MISTAKES;

/// The kind that a stack allows, and nothing else does.
const OF_STACKS: &str = "repeated-rows";

/// What an `allow` stands behind.
pub(super) struct Behind {
    pub table: Option<TableId>,
    /// In words.
    pub step: String,
    /// The warnings of the plan that it brought, so far.
    pub warnings: Range<usize>,
    /// The steps of the table that it became.
    pub steps: Range<usize>,
}

impl Resolver<'_> {
    /// Notes what is allowed. What no warning is called is an error.
    pub(super) fn allowances(&mut self, allow: &[AllowTree], behind: &Behind) -> Resolved<()> {
        for allow in allow {
            let known = MISTAKES.iter().copied().filter(|kind| *kind != OF_STACKS);
            self.must_be_kind(allow, &known.collect::<Vec<_>>())?;
            self.plan.allowances.push(Allowance {
                table: behind.table,
                step: behind.step.clone(),
                kind: allow.kind.text.clone(),
                reason: allow.reason.text.clone(),
                warnings: behind.warnings.clone(),
                steps: behind.steps.clone(),
            });
        }
        Ok(())
    }

    /// Why rows may stand in a stack twice, if that is said.
    pub(super) fn stack_allows(
        &mut self,
        table: TableId,
        step: &str,
        allow: &[AllowTree],
    ) -> Resolved<Option<String>> {
        let mut reason = None;
        for allow in allow {
            self.must_be_kind(allow, &[OF_STACKS])?;
            reason = Some(allow.reason.text.clone());
            self.plan.allowances.push(Allowance {
                table: Some(table),
                step: step.to_owned(),
                kind: OF_STACKS.into(),
                reason: allow.reason.text.clone(),
                warnings: 0..0,
                steps: 0..0,
            });
        }
        Ok(reason)
    }

    fn must_be_kind(&mut self, allow: &AllowTree, known: &[&str]) -> Resolved<()> {
        let kind = &allow.kind;
        if !known.contains(&kind.text.as_str()) {
            let help = match nearest(&kind.text, known.iter().copied()) {
                Some(near) => format!("did you mean `{near}`?"),
                None => format!("here can be allowed: {}", known.join(", ")),
            };
            let message = format!("no warning that can arise here is called `{}`", kind.text);
            return self.wrong(
                Diagnostic::new(DiagnosticKind::UnknownName, kind.span, message).help(help),
            );
        }
        if allow.reason.text.trim().is_empty() {
            let message = "what is allowed needs a reason";
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Syntax, allow.reason.span, message)
                    .help("say why it is no mistake here; the verdict shows it"),
            );
        }
        Ok(())
    }
}
