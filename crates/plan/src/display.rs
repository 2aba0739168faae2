//! The text form of plans: one node a line, names from ids.

use crate::date_range::DateStep;
use crate::expr::{ColumnRef, Expr, KeyFrom, Lookup, RowLeaf};
use crate::graph::{Aggregate, Graph, KeptRule, Node, NodeKind, Scan, WindowOrder};
use crate::query::{List, Query, SortKey, TotalsPlace};
use std::fmt;

impl fmt::Display for ColumnRef {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for link in &self.path {
            write!(f, "{link}>")?;
        }
        write!(f, "{}", self.column)
    }
}

impl fmt::Display for Lookup {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}[", self.node)?;
        for (at, key) in self.keys.iter().enumerate() {
            let comma = if at > 0 { ", " } else { "" };
            match &key.from {
                KeyFrom::Row(expr) => write!(f, "{comma}{} = {expr}", key.key)?,
                KeyFrom::Cell => write!(f, "{comma}{}", key.key)?,
            }
        }
        f.write_str("]")
    }
}

impl fmt::Display for RowLeaf {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Column(column) => column.fmt(f),
            Self::Lookup(lookup) => lookup.fmt(f),
        }
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
        for (at, key) in self.keys.iter().enumerate() {
            write!(f, "{}{} = {}", if at == 0 { " keys " } else { ", " }, key.key, key.expr)?;
            if let Some(kept) = &key.kept {
                write!(f, " kept {kept}")?;
            }
        }
        for bridge in &self.bridges {
            f.write_str(" over ")?;
            bridge.path.iter().try_for_each(|link| write!(f, "{link}>"))?;
            write!(f, "<{}", bridge.link)?;
            if !bridge.filter.is_empty() {
                f.write_str(" where ")?;
                list(f, &bridge.filter)?;
            }
            for key in &bridge.keys {
                let splits = if key.splits { "" } else { " for choices" };
                write!(f, ", {} = {}{splits}", key.key, key.expr)?;
            }
        }
        for choice in &self.choices {
            write!(f, " chosen by {}", choice.node)?;
            if let Some(rest) = choice.rest {
                write!(f, " with rest of {rest}")?;
            }
        }
        if !self.given.is_empty() {
            f.write_str(" given ")?;
            list(f, &self.given)?;
        }
        if let Some(during) = &self.during {
            f.write_str(" during ")?;
            steps(f, &during.steps)?;
        }
        self.aggregates.iter().try_for_each(|a| write!(f, "\n    {a}"))
    }
}

fn steps(f: &mut fmt::Formatter<'_>, steps: &[DateStep]) -> fmt::Result {
    for (at, step) in steps.iter().enumerate() {
        f.write_str(if at == 0 { "(" } else { ", " })?;
        match step {
            DateStep::Position(keys) => {
                f.write_str("at")?;
                keys.iter().try_for_each(|(key, _)| write!(f, " {key}"))?;
            }
            DateStep::Where(conditions) => {
                f.write_str("where ")?;
                list(f, conditions)?;
            }
            DateStep::DateRange(date_range) => write!(f, "{date_range:?}")?,
        }
    }
    f.write_str(")")
}

impl fmt::Display for Node {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.kind {
            NodeKind::Literal(value) => f.write_str(&value.literal())?,
            NodeKind::Call(function, args) => {
                write!(f, "{function:?}(")?;
                list(f, args)?;
                f.write_str(")")?;
            }
            NodeKind::Aggregate(scan, index) => write!(f, "{scan}.{index}")?,
            NodeKind::Fold(fold) => {
                write!(f, "{}({}", fold.function.name(), fold.value)?;
                if let Some(by) = fold.by {
                    write!(f, " by {by}")?;
                }
                if let Some(condition) = fold.condition {
                    write!(f, " where {condition}")?;
                }
                f.write_str(") over ")?;
                list(f, &fold.over)?;
                f.write_str(" of ")?;
                list(f, &fold.domain)?;
            }
            NodeKind::StandsOn => f.write_str("stands on")?,
            NodeKind::Member(key) => write!(f, "member of {key}")?,
            NodeKind::Edge { last, steps: to, .. } => {
                f.write_str(if *last { "last day " } else { "first day " })?;
                steps(f, to)?;
            }
            NodeKind::Derive { inner, key, away, from, .. } => {
                write!(f, "{inner} at {key} from")?;
                from.iter().try_for_each(|finer| write!(f, " {}", finer.key))?;
                away.iter().try_for_each(|(node, key)| write!(f, ", else {node} at {key}"))?;
            }
            NodeKind::At { inner, key, member } => write!(f, "{inner} at {key} = {member}")?,
            NodeKind::OnlyAt(inner, keys) => write!(f, "{inner} only at {keys:?}")?,
            NodeKind::Window(window) => {
                write!(f, "{:?}({}", window.function, window.value)?;
                match &window.order {
                    WindowOrder::Key(key) => write!(f, " by {key}")?,
                    WindowOrder::Figure { node, descending } => {
                        write!(f, " by {node}{}", if *descending { " descending" } else { "" })?;
                    }
                }
                f.write_str(" among ")?;
                list(f, &window.among)?;
                f.write_str(")")?;
            }
            NodeKind::Kept(kept) => {
                match &kept.rule {
                    KeptRule::Having(node) => write!(f, "having {node}")?,
                    KeptRule::Top { count, by, key, ties, smallest } => write!(
                        f,
                        "{} {count} {key} by {by}{}",
                        if *smallest { "bottom" } else { "top" },
                        if *ties { " with ties" } else { "" }
                    )?,
                }
                f.write_str(" of ")?;
                list(f, &kept.domain)?;
            }
        }
        f.write_str(" on {")?;
        list(f, &self.keys)?;
        write!(f, "}}: {}", self.ty)
    }
}

impl fmt::Display for Graph {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (at, key) in self.keys.iter().enumerate() {
            writeln!(f, "k{at} = {}: {}", key.name, key.ty)?;
        }
        for (at, scan) in self.scans.iter().enumerate() {
            writeln!(f, "s{at} = {scan}")?;
        }
        for (at, node) in self.nodes.iter().enumerate() {
            writeln!(f, "n{at} = {node}")?;
        }
        Ok(())
    }
}

impl fmt::Display for Query {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.graph.fmt(f)?;
        for (at, axis) in self.axes.iter().enumerate() {
            let side = if at < self.row_axes { "row" } else { "column" };
            write!(f, "{side} {}: {} = {} of {}", axis.name, axis.ty, axis.member, axis.home)?;
            if let Some(opened) = &axis.opened {
                write!(f, " below {}", opened.in_words())?;
            }
            writeln!(f)?;
        }
        for output in &self.outputs {
            writeln!(f, "show {} = {}", output.name, output.node)?;
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
        if self.keep_empty {
            f.write_str("keep empty\n")?;
        }
        if self.figures != crate::FiguresPlace::default() {
            writeln!(f, "figures {:?}", self.figures)?;
        }
        for (side, place) in [("rows", self.totals_on_rows), ("columns", self.totals_on_columns)] {
            if let Some(place) = place {
                let place = if place == TotalsPlace::First { "first" } else { "last" };
                writeln!(f, "totals on {side} {place}")?;
            }
        }
        Ok(())
    }
}

impl fmt::Display for List {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.graph.fmt(f)?;
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
