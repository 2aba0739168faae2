//! What the first bytes of a file say that it is.

/// A format of tables.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    /// Delimited text, packed or not.
    Delimited,
    /// Objects as JSON, one a line.
    JsonLines,
    Parquet,
    /// Arrow IPC, as a file or as a stream.
    Arrow,
    /// A workbook.
    Workbook,
    Sqlite,
    /// No table: what it is, and what to do.
    Other(&'static str, &'static str),
}

impl Kind {
    /// The format in words.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Delimited => "delimited text",
            Self::JsonLines => "JSON lines",
            Self::Parquet => "Parquet files",
            Self::Arrow => "Arrow files",
            Self::Workbook => "workbooks",
            Self::Sqlite => "SQLite databases",
            Self::Other(what, _) => what,
        }
    }

    /// The feature that brings its reader.
    pub(crate) fn feature(self) -> &'static str {
        match self {
            Self::Delimited | Self::JsonLines | Self::Other(..) => "csv",
            Self::Parquet => "parquet",
            Self::Arrow => "arrow",
            Self::Workbook => "xlsx",
            Self::Sqlite => "sqlite",
        }
    }
}

const UNPACK: &str = "unpack it first";
const EXPORT: &str = "export the table as CSV or Parquet";

/// What a file is, by its first bytes. Letters alone say nothing: a table may have a column ORCHARD.
pub(crate) fn kind_of(start: &[u8]) -> Kind {
    let kinds: [(&[u8], Kind); 13] = [
        (b"BZh", Kind::Other("compressed with bzip2", UNPACK)),
        (&[0xfd, b'7', b'z', b'X', b'Z', 0], Kind::Other("compressed with xz", UNPACK)),
        (b"7z\xbc\xaf\x27\x1c", Kind::Other("an archive", UNPACK)),
        (b"PAR1", Kind::Parquet),
        (b"ARROW1", Kind::Arrow),
        (&[0xff, 0xff, 0xff, 0xff], Kind::Arrow),
        (b"Obj\x01", Kind::Other("an Avro file", EXPORT)),
        (b"ORC", Kind::Other("an ORC file", EXPORT)),
        (b"SQLite format 3\0", Kind::Sqlite),
        (b"PK\x03\x04", Kind::Workbook),
        (&[0xd0, 0xcf, 0x11, 0xe0], Kind::Workbook),
        (b"%PDF-", Kind::Other("a PDF", EXPORT)),
        (&[0x89, b'P', b'N', b'G'], Kind::Other("a picture", EXPORT)),
    ];
    let is_text = std::str::from_utf8(start).map_or_else(|e| e.error_len().is_none(), |_| true)
        && !start.iter().any(|b| *b < b' ' && !b"\t\r\n".contains(b));
    let fits = |(first, kind): &&(&[u8], Kind)| {
        start.starts_with(first) && (!is_text || matches!(kind, Kind::Other("a PDF", _)))
    };
    match kinds.iter().find(fits) {
        Some((_, kind)) => *kind,
        None if is_json(start) => Kind::JsonLines,
        None => Kind::Delimited,
    }
}

/// Whether a text is JSON: an object a line, or a list of them.
fn is_json(start: &[u8]) -> bool {
    let start = String::from_utf8_lossy(start);
    let text = start.trim_start_matches('\u{feff}').trim_start();
    let behind = |start: char| text.strip_prefix(start).map(str::trim_start);
    behind('{').is_some_and(|t| t.starts_with(['"', '}']))
        || behind('[').is_some_and(|t| t.starts_with(['{', '[', ']']))
}
