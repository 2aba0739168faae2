//! What the library advises, in the words of the command: an option instead of a call.

/// Calls that messages of the library name, and what does the same here.
const OPTIONS: [(&str, &str); 6] = [
    ("`SessionBuilder::cache`", "--cache"),
    ("`SessionBuilder::memory`", "--memory"),
    ("`SessionBuilder::allow_outside`", "--allow-outside"),
    ("`QueryBuilder::given`", "--given"),
    ("`Session::diagnostics`", "vembra check"),
    ("`Stage::Sql`", "--emit sql"),
];

/// A message with options in the places of calls.
pub(crate) fn in_options(text: &str) -> String {
    OPTIONS.iter().fold(text.to_owned(), |text, (call, option)| text.replace(call, option))
}

#[cfg(test)]
mod tests {
    use super::in_options;
    use std::path::Path;

    #[test]
    fn every_call_that_a_message_of_the_library_names_has_an_option() {
        let mut calls = 0;
        for line in lines_of_the_library() {
            for call in line.split('`').skip(1).step_by(2).filter(|c| c.contains("Builder::")) {
                calls += 1;
                let said = in_options(&format!("`{call}`"));
                assert!(said.starts_with("--"), "{call} has no option: {line}");
            }
        }
        assert!(calls >= 3, "{calls}");
    }

    #[test]
    fn no_message_of_the_library_names_an_option() {
        let is_option = |word: &str| {
            word.strip_prefix("--").is_some_and(|w| w.starts_with(|c: char| c.is_ascii_lowercase()))
        };
        for line in lines_of_the_library() {
            let named = line.split('"').skip(1).step_by(2).any(|text| text.split([' ', '`']).any(is_option));
            assert!(!named, "{line}");
        }
    }

    /// All lines of the library's texts but comments.
    fn lines_of_the_library() -> Vec<String> {
        let mut found = Vec::new();
        for library in ["syntax", "plan", "model", "engine", "reference", "sources", "draw", "vembra"] {
            texts(&Path::new(env!("CARGO_MANIFEST_DIR")).join("..").join(library).join("src"), &mut found);
        }
        found
    }

    fn texts(folder: &Path, found: &mut Vec<String>) {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                texts(&path, found);
            } else if path.extension().is_some_and(|e| e == "rs") {
                let text = std::fs::read_to_string(&path).unwrap();
                found.extend(text.lines().filter(|l| !l.trim_start().starts_with("//")).map(str::to_owned));
            }
        }
    }
}
