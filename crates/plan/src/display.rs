//! The text form of plans: one node a line, names from ids.

use crate::expr::{AggregateRef, ColumnRef, Expr};
use crate::query::{Aggregate, List, Query, Scan, SortKey};
use std::fmt;

impl fmt::Display for ColumnRef {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for link in &self.path {
            write!(f, "{link}>")?;
        }
        write!(f, "{}", self.column)
    }
}

impl fmt::Display for AggregateRef {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}.{}", self.scan, self.index)
    }
}

impl<L: fmt::Display> fmt::Display for Expr<L> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Leaf(leaf) => leaf.fmt(f),
            Self::Literal(value) => f.write_str(&value.literal()),
            Self::Call { function, args, .. } => {
                write!(f, "{function:?}(")?;
                list(f, args)?;
                f.write_str(")")
            }
        }
    }
}

fn list<T: fmt::Display>(f: &mut fmt::Formatter<'_>, items: &[T]) -> fmt::Result {
    for (at, item) in items.iter().enumerate() {
        if at > 0 {
            f.write_str(", ")?;
        }
        item.fmt(f)?;
    }
    Ok(())
}

impl fmt::Display for Aggregate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}(", self.function.name())?;
        if let Some(value) = &self.value {
            value.fmt(f)?;
        }
        if let Some(by) = &self.by {
            write!(f, " by {by}")?;
        }
        if let Some(parameter) = &self.parameter {
            write!(f, ", {}", parameter.literal())?;
        }
        f.write_str(")")?;
        if !self.condition.is_empty() {
            f.write_str(" where ")?;
            list(f, &self.condition)?;
        }
        write!(f, ": {}", self.ty)
    }
}

impl fmt::Display for Scan {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "scan {}", self.table)?;
        if !self.filter.is_empty() {
            f.write_str(" where ")?;
            list(f, &self.filter)?;
        }
        if !self.keys.is_empty() {
            f.write_str(" keys ")?;
            list(f, &self.keys)?;
        }
        self.aggregates.iter().try_for_each(|a| write!(f, "\n    {a}"))
    }
}

impl fmt::Display for Query {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (at, scan) in self.scans.iter().enumerate() {
            writeln!(f, "s{at} = {scan}")?;
        }
        for (at, axis) in self.axes.iter().enumerate() {
            let side = if at < self.row_axes { "row" } else { "column" };
            writeln!(f, "{side} {}: {}", axis.name, axis.ty)?;
        }
        for output in &self.outputs {
            writeln!(f, "show {} = {}", output.name, output.expr)?;
        }
        for level in &self.levels {
            let hidden = if level.shown { "" } else { " hidden" };
            writeln!(f, "level {}+{}{hidden}", level.rows, level.columns)?;
        }
        for sort in &self.sort {
            let name = match sort.key {
                SortKey::Axis(at) => &self.axes[at].name,
                SortKey::Output(at) => &self.outputs[at].name,
            };
            writeln!(f, "sort {name}{}", if sort.descending { " descending" } else { "" })?;
        }
        Ok(())
    }
}

impl fmt::Display for List {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "list {}", self.table)?;
        if !self.filter.is_empty() {
            f.write_str(" where ")?;
            list(f, &self.filter)?;
        }
        for column in &self.columns {
            write!(f, "\n    {} = {}", column.name, column.expr)?;
        }
        for (expr, descending) in &self.sort {
            write!(f, "\nsort {expr}{}", if *descending { " descending" } else { "" })?;
        }
        if let Some(limit) = self.limit {
            write!(f, "\nlimit {limit}")?;
        }
        writeln!(f)
    }
}
