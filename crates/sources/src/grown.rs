//! A text to which lines were added: only those are read, where that gives the very table that reading all of it would.

use crate::loaded::{ColumnOptions, Loaded, ReadOptions};
use std::fs::File;
use std::io::{BufRead, BufReader, Read, Seek, SeekFrom};
use std::path::Path;
use vembra_engine::{Column, Lines, Table, TableColumn};
use vembra_plan::Type;

/// How many bytes are looked at before the place from which a text has grown.
const BEHIND: u64 = 3;

/// The table of a file that had the rows of `before` in its first bytes, and has more behind them. None where reading it whole might say
/// anything else: a packed or recoded text, lines within values, other types, anything that has to be reported.
pub fn read_grown(file: &Path, bytes: u64, before: &Loaded, options: &ReadOptions) -> Option<Loaded> {
    let Lines::From(first) = before.table.lines else { return None };
    // How fields are written is remembered for the whole of a file.
    if options.parts || options.encoding.is_some() || !before.findings.is_empty() || before.table.rows == 0 {
        return None;
    }
    let text = header_and_more(file, bytes, options)?;
    let name = file.display().to_string();
    let read = |options: &ReadOptions| Some(crate::read_bytes(&name, &text, options)).filter(is_plain);
    let mut more = read(options)?;
    let fixed = texts_again(&before.table, &more.table)?;
    if !fixed.is_empty() {
        let mut again = options.clone();
        for name in fixed {
            let known = again.column(&name).cloned().unwrap_or_default();
            again.columns.retain(|c| c.name != name);
            again.columns.push(ColumnOptions { name, ty: Some(Type::Text), ..known });
        }
        more = read(&again)?;
    }
    let rows = before.table.rows + more.table.rows;
    let (origin, lines) = (name.clone(), Lines::From(first));
    let mut table = Table { rows, origin, lines, ..Table::default() };
    for ((name, before), (_, more)) in before.table.columns.iter().zip(&more.table.columns) {
        let parts = vec![Column::clone(before.get().ok()?), Column::clone(more.here()?)];
        table.columns.push((name.clone(), TableColumn::from(Column::concat(before.ty(), parts)?)));
    }
    Some(Loaded { table, findings: Vec::new() })
}

/// Whether nothing is to be reported, and each line is a row.
fn is_plain(loaded: &Loaded) -> bool {
    loaded.findings.is_empty() && matches!(loaded.table.lines, Lines::From(_))
}

/// The columns that are texts before and look like something else in the new lines alone. None if the columns do not go together.
fn texts_again(before: &Table, more: &Table) -> Option<Vec<String>> {
    if !before.columns.iter().map(|(name, _)| name).eq(more.columns.iter().map(|(name, _)| name)) {
        return None;
    }
    let mut fixed = Vec::new();
    for ((name, before), (_, more)) in before.columns.iter().zip(&more.columns) {
        let has_none = more.missing() == more.len();
        match (before.ty(), more.ty()) {
            _ if before.missing() == before.len() && !has_none => return None,
            (before, more) if before == more || has_none => {}
            (Type::Decimal(_), Type::Integer) => {}
            (Type::Decimal(before), Type::Decimal(more)) if more <= before => {}
            (Type::Text, _) => fixed.push(name.clone()),
            _ => return None,
        }
    }
    Some(fixed)
}

/// The first line of a plain text, and what stands behind this many bytes.
fn header_and_more(file: &Path, bytes: u64, options: &ReadOptions) -> Option<Vec<u8>> {
    let mut reader = BufReader::new(File::open(file).ok()?);
    let mut text = Vec::new();
    reader.by_ref().take(1 << 16).read_until(b'\n', &mut text).ok()?;
    let is_text = std::str::from_utf8(&text).is_ok() && text.ends_with(b"\n") && !text.contains(&0);
    if !is_text || text.contains(&b'"') || bytes < text.len() as u64 + BEHIND {
        return None;
    }
    let length = reader.get_ref().metadata().ok()?.len();
    options.memory.check_more((length - bytes).saturating_mul(2)).ok()?;
    reader.seek(SeekFrom::Start(bytes - BEHIND)).ok()?;
    let mut last = [0; BEHIND as usize];
    reader.read_exact(&mut last).ok()?;
    // The last line was whole, and none was empty: such lines are passed over, and would not be counted.
    if last[2] != b'\n' || last[1] == b'\n' || last == *b"\n\r\n" {
        return None;
    }
    reader.read_to_end(&mut text).ok()?;
    Some(text)
}

#[cfg(test)]
mod tests {
    use super::read_grown;
    use crate::{ReadOptions, read_table};
    use std::io::Write;

    /// Rows whose types change with their number, in several ways.
    fn line(seed: u64, at: u64) -> String {
        let odd = seed.is_multiple_of(7) && at > 60;
        let code = if seed.is_multiple_of(5) && at.is_multiple_of(40) {
            format!("{:03}", at % 9)
        } else {
            (at % 90).to_string()
        };
        let amount = match (seed % 3, at % 4) {
            (0, _) => format!("{}", at * seed % 1_000),
            (1, _) | (2, 0) => format!("{}.{}", at % 70, at % 10),
            (_, _) => format!("{}.25", at % 70),
        };
        let day = if odd { "soon".to_owned() } else { format!("2024-0{}-1{}", at % 9 + 1, at % 9) };
        let mixed = if at.is_multiple_of(25) { "x" } else { "7" };
        let empty = if seed.is_multiple_of(4) && at > 80 { "1" } else { "" };
        let quoted = if seed.is_multiple_of(11) && at > 90 { "\"a\nb\"" } else { "a b" };
        let blank = if seed.is_multiple_of(13) && at == 50 { "\n" } else { "" };
        format!("{code},{amount},{day},{mixed},{empty},{quoted}\n{blank}")
    }

    #[test]
    fn a_text_that_grew_reads_as_the_whole_of_it() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("t.csv");
        let options = ReadOptions::default();
        let (mut grown, mut whole) = (0, 0);
        for seed in 1..160_u64 {
            let cut = 20 + seed * 31 % 79;
            let mut text = "code,amount,day,mixed,empty,quoted\n".to_owned();
            (0..cut).for_each(|at| text.push_str(&line(seed, at)));
            std::fs::write(&path, &text).unwrap();
            let before = read_table(&path, &options);
            let more: String = (cut..120).map(|at| line(seed, at)).collect();
            std::fs::File::options().append(true).open(&path).unwrap().write_all(more.as_bytes()).unwrap();
            let Some(found) = read_grown(&path, text.len() as u64, &before, &options) else {
                whole += 1;
                continue;
            };
            grown += 1;
            let wanted = read_table(&path, &options);
            assert!(wanted.findings.is_empty(), "{seed}: {:?}", wanted.findings);
            assert_eq!((found.table.rows, &found.table.origin), (wanted.table.rows, &wanted.table.origin));
            for ((name, found), (_, wanted)) in found.table.columns.iter().zip(&wanted.table.columns) {
                assert_eq!(found.get().unwrap().encoded(), wanted.get().unwrap().encoded(), "{seed}: {name}");
            }
            for row in 0..wanted.table.rows {
                assert_eq!(found.table.line(row), wanted.table.line(row), "{seed}: {row}");
            }
        }
        assert!(grown > 30 && whole > 30, "{grown} grown, {whole} to be read whole");
    }
}
