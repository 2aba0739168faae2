//! The languages of readers.

/// The languages (ISO 639-1) in which answers, pictures and pages have words: each has a file of them.
pub const LANGUAGES: [&str; 7] = ["en", "de", "es", "fr", "it", "nl", "pl"];
