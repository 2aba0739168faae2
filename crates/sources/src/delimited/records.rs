//! The lines of the records of a file.

use vembra_engine::Lines;

/// The line of each record; one number is enough as long as records take one line each.
#[derive(Debug, Default)]
pub(crate) struct LineNumbers {
    pub(crate) rows: usize,
    listed: Option<Vec<u64>>,
    first: u64,
    pub(crate) last: Option<u64>,
}

impl LineNumbers {
    pub(crate) fn push(&mut self, line: u64) {
        if self.rows == 0 {
            self.first = line;
        }
        let expected = self.first + self.rows as u64;
        if line != expected && self.listed.is_none() {
            self.listed = Some((0..self.rows as u64).map(|at| self.first + at).collect());
        }
        if let Some(listed) = &mut self.listed {
            listed.push(line);
        }
        self.rows += 1;
        self.last = Some(line);
    }

    /// The lines of all parts, one behind the other.
    pub(crate) fn of<'p>(parts: impl Iterator<Item = &'p Self>) -> Self {
        let mut all = Self::default();
        for part in parts.filter(|p| p.rows > 0) {
            let follows = all.rows == 0 || part.first == all.first + all.rows as u64;
            if all.rows == 0 {
                all.first = part.first;
            }
            if all.listed.is_none() && (part.listed.is_some() || !follows) {
                all.listed = Some((0..all.rows as u64).map(|at| all.first + at).collect());
            }
            if let Some(listed) = &mut all.listed {
                match &part.listed {
                    Some(own) => listed.extend(own),
                    None => listed.extend((0..part.rows as u64).map(|at| part.first + at)),
                }
            }
            all.rows += part.rows;
            all.last = part.last;
        }
        all
    }

    pub(crate) fn finish(self) -> Lines {
        match self.listed {
            Some(lines) => Lines::Listed(lines),
            None => Lines::From(self.first),
        }
    }
}
