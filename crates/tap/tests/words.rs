//! Plain words: what a person reads, in the program and in the documentation, uses the terms of `docs/glossary.md`.

use std::fs;
use std::path::{Path, PathBuf};

/// Words and phrases that were given up. Those with blanks around them stand alone.
const OLD: [&str; 32] = [
    "as it comes",
    "as it came",
    "as they came",
    "refused",
    "not taken in",
    " least ",
    " rises",
    " falls",
    "pass by",
    "passed by",
    "let go of",
    "lets go of",
    "at hand",
    "to hand",
    "really",
    "doctor",
    "complain",
    "reads like",
    "further up",
    " behind it",
    "by itself",
    "heard while",
    "families",
    "bare number",
    "stacked",
    "do it again",
    "done again",
    "numbers change",
    "of the middle",
    "anew",
    "saying",
    "what comes is",
];

fn files(folder: &Path, ending: &str, out: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap().flatten().map(|entry| entry.path()) {
        if entry.is_dir() {
            files(&entry, ending, out);
        } else if entry.extension().is_some_and(|end| end == ending) {
            out.push(entry);
        }
    }
}

/// The texts in quotes of a line of code, without its comment.
fn quoted(line: &str) -> Vec<&str> {
    if line.trim_start().starts_with("//") {
        return Vec::new();
    }
    line.split('"').skip(1).step_by(2).collect()
}

fn wrong(text: &str) -> Option<&'static str> {
    // What stands at the beginning or the end of a text stands alone too.
    let padded = format!(" {} ", text.to_lowercase()).replace("at least", "");
    OLD.into_iter().find(|old| padded.contains(old))
}

#[test]
fn no_text_of_the_program_uses_a_word_that_was_given_up() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut found = Vec::new();
    for part in ["core", "io", "plot", "boards", "tap"] {
        let mut sources = Vec::new();
        files(&root.join("crates").join(part).join("src"), "rs", &mut sources);
        // A person never reads tests, nor the words of older formats.
        let is_read = |path: &&PathBuf| {
            let name = path.file_name().unwrap().to_string_lossy().into_owned();
            !name.ends_with("tests.rs") && name != "migrate.rs"
        };
        for path in sources.iter().filter(is_read) {
            let text = fs::read_to_string(path).unwrap();
            let code = text.split("#[cfg(test)]\nmod tests").next().unwrap();
            for (number, line) in code.lines().enumerate() {
                for text in quoted(line).into_iter().filter(|text| text.contains(' ')) {
                    found.extend(
                        wrong(text).map(|old| format!("{}:{}: '{old}' in: {text}", path.display(), number + 1)),
                    );
                }
            }
        }
    }
    assert!(found.is_empty(), "words that docs/glossary.md has given up:\n{}", found.join("\n"));
}

#[test]
fn no_page_of_the_documentation_uses_one_either() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut pages = vec![root.join("README.md")];
    files(&root.join("docs"), "md", &mut pages);
    let mut found = Vec::new();
    for page in pages.iter().filter(|page| !page.ends_with("glossary.md")) {
        for (number, line) in fs::read_to_string(page).unwrap().lines().enumerate() {
            found.extend(wrong(line).map(|old| format!("{}:{}: '{old}' in: {line}", page.display(), number + 1)));
        }
    }
    assert!(found.is_empty(), "words that docs/glossary.md has given up:\n{}", found.join("\n"));
}
