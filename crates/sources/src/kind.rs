//! What the first bytes of a file say that it is.

/// So many bytes tell whether a file is text.
const KIND_BYTES: usize = 4_096;

/// What the first bytes of a file say that it is, if that is no text, and what to do. Letters alone say nothing: a table may have a
/// column ORCHARD.
pub(crate) fn kind_of_file(bytes: &[u8]) -> Option<(&'static str, &'static str)> {
    const UNPACK: &str = "unpack it first";
    const EXPORT: &str = "export the table as CSV";
    let kinds: [(&[u8], &str, &str); 14] = [
        (&[0x1f, 0x8b], "compressed with gzip", "unpack it first: gunzip"),
        (&[0x28, 0xb5, 0x2f, 0xfd], "compressed with zstd", "unpack it first: unzstd"),
        (b"BZh", "compressed with bzip2", UNPACK),
        (&[0xfd, b'7', b'z', b'X', b'Z', 0], "compressed with xz", UNPACK),
        (b"7z\xbc\xaf\x27\x1c", "an archive", UNPACK),
        (b"PAR1", "a Parquet file", EXPORT),
        (b"ARROW1", "an Arrow file", EXPORT),
        (b"Obj\x01", "an Avro file", EXPORT),
        (b"ORC", "an ORC file", EXPORT),
        (b"SQLite format 3\0", "a SQLite database", EXPORT),
        (
            b"PK\x03\x04",
            "a spreadsheet or another zip archive",
            "save the sheet as CSV, or unpack the archive",
        ),
        (&[0xd0, 0xcf, 0x11, 0xe0], "a spreadsheet of an old kind", "save the sheet as CSV"),
        (b"%PDF-", "a PDF", EXPORT),
        (&[0x89, b'P', b'N', b'G'], "a picture", EXPORT),
    ];
    let is_text = std::str::from_utf8(bytes.get(..KIND_BYTES).unwrap_or(bytes))
        .map_or_else(|e| e.error_len().is_none(), |_| true)
        && !bytes.iter().take(KIND_BYTES).any(|b| *b < b' ' && !b"\t\r\n".contains(b));
    let found =
        kinds.iter().find(|(start, what, _)| bytes.starts_with(start) && (!is_text || *what == "a PDF"));
    found.map(|(_, what, help)| (*what, *help))
}

/// Whether a text is JSON: an object a line, or a list of them.
pub(crate) fn is_json(text: &str) -> bool {
    let text = text.trim_start();
    let behind = |start: char| text.strip_prefix(start).map(str::trim_start);
    behind('{').is_some_and(|t| t.starts_with(['"', '}']))
        || behind('[').is_some_and(|t| t.starts_with(['{', '[', ']']))
}
