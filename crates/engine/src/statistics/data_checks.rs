//! What is wrong with the data of a star: keys, links, calendars, and what determines what.

use crate::error::EngineError;
use crate::operators::members::Key;
use crate::storage::star::Star;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::cmp::Ordering;
use vembra_plan::{Code, ColumnId, Finding, LinkId, Scalar, Severity, TableDef, TableId, TableKind};

/// How much it matters that keys are in no row of a table, and what to do. A table made from facts has no row for what has no facts: that
/// need be no fault of the data.
pub fn orphans_told(target: &TableDef) -> (Severity, String) {
    let name = &target.name;
    if target.kind == TableKind::Derived {
        let help =
            format!("such rows are listed as (unknown); {name} has rows only for what its query finds");
        return (Severity::Note, help);
    }
    let help = format!("such rows are listed as (unknown); add the missing rows to {name}, or fix the key");
    (Severity::Warning, help)
}

impl Star {
    /// What is wrong with keys, links and calendars.
    ///
    /// # Errors
    /// When a value of a computed column cannot be worked out.
    pub fn findings(&self) -> Result<Vec<Finding>, EngineError> {
        let mut findings = self.all_key_findings()?;
        for link in self.schema().link_ids() {
            self.link_findings(link, &mut findings)?;
        }
        Ok(findings)
    }

    /// What is wrong with the keys of dimensions: the part of [`Star::findings`] that no answer can do with.
    ///
    /// # Errors
    /// When a value of a computed column cannot be worked out.
    pub fn all_key_findings(&self) -> Result<Vec<Finding>, EngineError> {
        let mut findings = Vec::new();
        for table in self.schema().table_ids() {
            if !self.schema().table(table).key.is_empty() {
                self.key_findings(table, &mut findings)?;
            }
        }
        Ok(findings)
    }

    fn finding(&self, code: Code, column: ColumnId, row: usize) -> Finding {
        let def = self.schema().column(column);
        let table = self.table(def.table);
        Finding {
            line: table.and_then(|t| t.line(row)),
            column: Some(def.name.clone()),
            ..Finding::new(
                code,
                table.map_or_else(String::new, |t| t.file(row).to_owned()),
                String::new(),
                String::new(),
            )
        }
    }

    fn key_findings(&self, table: TableId, findings: &mut Vec<Finding>) -> Result<(), EngineError> {
        let def = self.schema().table(table);
        if matches!(def.kind, TableKind::Calendar { .. }) {
            return Ok(());
        }
        if let [only] = def.key.as_slice()
            && self.column(*only)?.dictionary().len() == self.rows(table)
        {
            // As many different texts as rows.
            return Ok(());
        }
        let keys: Result<Vec<Key>, EngineError> = def.key.iter().map(|c| self.column_key(*c)).collect();
        let keys = keys?;
        let (mut twice, mut missing) = (Vec::new(), Vec::new());
        let mut seen: HashMap<Vec<u32>, usize, FixedState> = HashMap::default();
        // A key of one column has a place per code.
        let mut first: Vec<Option<usize>> = match keys.as_slice() {
            [only] => vec![None; only.members.codes()],
            _ => Vec::new(),
        };
        for row in 0..self.rows(table) {
            if keys.iter().any(|k| k.code(row) == k.members.none()) {
                missing.push(row);
                continue;
            }
            let earlier = match keys.as_slice() {
                [only] => {
                    let place = &mut first[only.code(row) as usize];
                    let earlier = *place;
                    *place = earlier.or(Some(row));
                    earlier
                }
                several => {
                    let earlier = *seen.entry(several.iter().map(|k| k.code(row)).collect()).or_insert(row);
                    Some(earlier).filter(|e| *e != row)
                }
            };
            twice.extend(earlier.map(|e| (e, row)));
        }
        let shown = |row: usize| -> Result<String, EngineError> {
            let parts: Result<Vec<String>, EngineError> =
                def.key.iter().map(|c| Ok(self.column(*c)?.scalar(row).literal())).collect();
            Ok(parts?.join(", "))
        };
        if let Some((first, second)) = twice.first() {
            let before = self.table(table).and_then(|t| t.line(*first));
            let earlier = before.map_or_else(String::new, |line| format!(", first in line {line}"));
            findings.push(Finding {
                message: format!("the key {} stands twice{earlier}{}", shown(*second)?, others(twice.len())),
                help: format!("keep one row per key of {}, or add a column to its key", def.name),
                ..self.finding(Code::V501, def.key[0], *second)
            });
        }
        if let Some(first) = missing.first() {
            findings.push(Finding {
                message: format!("a row has no key{}", others(missing.len())),
                help: "no fact can reach such a row; fill in the key or remove the row".to_owned(),
                ..self.finding(Code::V502, def.key[0], *first)
            });
        }
        Ok(())
    }

    fn link_findings(&self, link: LinkId, findings: &mut Vec<Finding>) -> Result<(), EngineError> {
        let def = self.schema().link(link);
        let (source, target) = (self.schema().link_source(link), self.schema().link_target(link));
        let numbers = self.link_rows(link)?;
        let unknown = self.rows(target) + 1;
        let mut orphans: Vec<usize> =
            (0..self.rows(source)).filter(|row| numbers.get(*row) == unknown).collect();
        if def.as_of.is_some() {
            self.without_told(def.from[0], &mut orphans)?;
        }
        // Several links to one table would say the same of it.
        let is_first = |until: ColumnId| {
            let until_of = |l: &LinkId| self.schema().link(*l).as_of.and_then(|as_of| as_of.until);
            self.schema().link_ids().find(|l| until_of(l) == Some(until)) == Some(link)
        };
        if let Some(until) = def.as_of.and_then(|as_of| as_of.until).filter(|until| is_first(*until)) {
            self.span_findings(&def.to, until, findings)?;
        }
        let Some(first) = orphans.first() else { return Ok(()) };
        if def.as_of.is_some() {
            let values: Result<Vec<String>, EngineError> =
                def.from.iter().map(|c| Ok(self.column(*c)?.scalar(*first).literal())).collect();
            let name = &self.schema().table(target).name;
            findings.push(Finding {
                message: format!(
                    "no row of {name} holds for {}{}",
                    values?.join(" on "),
                    others(orphans.len())
                ),
                help: format!(
                    "such rows are listed as (unknown); add rows to {name} that hold then, or fix the key"
                ),
                ..self.finding(Code::V503, def.from[0], *first)
            });
            return Ok(());
        }
        let value = self.column(def.from[0])?.scalar(*first).literal();
        let target_def = self.schema().table(target);
        let (code, message, help) = if matches!(target_def.kind, TableKind::Calendar { .. }) {
            let help = format!("widen {} so that it covers all dates", target_def.name);
            (Code::V504, format!("{value} is outside {}{}", target_def.name, others(orphans.len())), help)
        } else {
            let (_, help) = orphans_told(target_def);
            (
                Code::V503,
                format!("{value} is in no row of {}{}", target_def.name, others(orphans.len())),
                help,
            )
        };
        findings.push(Finding {
            message,
            help,
            severity: orphans_told(target_def).0,
            ..self.finding(code, def.from[0], *first)
        });
        Ok(())
    }

    /// Leaves out rows of which another link says already that their key leads nowhere.
    fn without_told(&self, key: ColumnId, orphans: &mut Vec<usize>) -> Result<(), EngineError> {
        for link in self.schema().link_ids().filter(|l| self.schema().link(*l).from == [key]) {
            let (numbers, unknown) = (self.link_rows(link)?, self.rows(self.schema().link_target(link)) + 1);
            orphans.retain(|row| numbers.get(*row) != unknown);
        }
        Ok(())
    }

    /// Rows that end before they begin, and rows of one key that hold on the same day.
    fn span_findings(
        &self,
        key: &[ColumnId],
        until: ColumnId,
        findings: &mut Vec<Finding>,
    ) -> Result<(), EngineError> {
        let Some((since, about)) = key.split_last() else { return Ok(()) };
        let (starts, ends) = (self.column(*since)?, self.column(until)?);
        let about: Result<Vec<_>, EngineError> = about.iter().map(|c| self.column(*c)).collect();
        let about = about?;
        let table = self.schema().column(*since).table;
        let (mut backward, mut spans) = (Vec::new(), Vec::new());
        for row in 0..self.rows(table) {
            let (start, end) = (starts.scalar(row), ends.scalar(row));
            if start.is_null() {
                continue;
            }
            if !end.is_null() && end.compare(&start).is_lt() {
                backward.push(row);
                continue;
            }
            let of: Vec<Scalar> = about.iter().map(|column| column.scalar(row)).collect();
            spans.push((of, start, end, row));
        }
        spans.sort_by(|a, b| {
            let keys = a.0.iter().zip(&b.0).map(|(x, y)| x.compare(y)).find(|order| order.is_ne());
            keys.unwrap_or(Ordering::Equal).then_with(|| a.1.compare(&b.1))
        });
        let is_same = |a: &[Scalar], b: &[Scalar]| a.iter().zip(b).all(|(x, y)| x.compare(y).is_eq());
        // What has no end ends where the next begins.
        let overlaps: Vec<(usize, usize)> = spans
            .windows(2)
            .filter(|w| is_same(&w[0].0, &w[1].0) && !w[0].2.is_null() && w[0].2.compare(&w[1].1).is_gt())
            .map(|w| (w[0].3, w[1].3))
            .collect();
        if let Some(row) = backward.first() {
            findings.push(Finding {
                message: format!(
                    "the row ends on {}, before it begins{}",
                    ends.scalar(*row),
                    others(backward.len())
                ),
                help: "fix one of the two days: the row never holds".to_owned(),
                ..self.finding(Code::V508, until, *row)
            });
        }
        if let Some((earlier, later)) = overlaps.first() {
            let (end, start) = (ends.scalar(*earlier), starts.scalar(*later));
            let before = self.table(table).and_then(|t| t.line(*earlier));
            let before =
                before.map_or_else(|| "another row".to_owned(), |line| format!("the row in line {line}"));
            findings.push(Finding {
                message: format!(
                    "the row begins on {start}, when {before} with its key holds until {end}{}",
                    others(overlaps.len())
                ),
                help: "from then on the later row is taken; let the earlier one end where it begins"
                    .to_owned(),
                ..self.finding(Code::V507, *since, *later)
            });
        }
        Ok(())
    }

    /// A row of `finer` whose member stands with another member of `coarser` elsewhere: the two rows.
    ///
    /// # Errors
    /// When a value of a computed column cannot be worked out.
    pub fn undetermined(
        &self,
        finer: ColumnId,
        coarser: ColumnId,
    ) -> Result<Option<(usize, usize)>, EngineError> {
        let (fine, coarse) = (self.column_key(finer)?, self.column_key(coarser)?);
        let mut first: Vec<Option<(u32, usize)>> = vec![None; fine.members.codes()];
        for row in 0..fine.numbers.len() {
            let (at, code) = (fine.code(row), coarse.code(row));
            if at == fine.members.none() {
                continue;
            }
            match first[at as usize] {
                Some((seen, earlier)) if seen != code => return Ok(Some((earlier, row))),
                Some(_) => {}
                None => first[at as usize] = Some((code, row)),
            }
        }
        Ok(None)
    }
}

fn others(count: usize) -> String {
    match count {
        0 | 1 => String::new(),
        2 => " (and 1 other row like it)".to_owned(),
        n => format!(" (and {} other rows like it)", n - 1),
    }
}
