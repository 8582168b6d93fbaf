//! What is promised about building: the oldest Rust, the notices, the texts made from the command line.

#![allow(missing_docs)]

use std::path::Path;
use std::process::Command;

fn root() -> &'static Path {
    Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../.."))
}

fn read(name: &str) -> String {
    std::fs::read_to_string(root().join(name)).unwrap()
}

fn cargo(arguments: &[&str]) -> String {
    let output = Command::new(env!("CARGO")).args(arguments).current_dir(root()).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap()
}

/// Every library of the lock file builds with the Rust that the program says it needs, and so do the texts say.
#[test]
fn the_oldest_rust_is_the_one_that_is_stated() {
    let host = format!("{}-unknown-linux-gnu", std::env::consts::ARCH);
    let metadata = cargo(&["metadata", "--format-version", "1", "--locked", "--filter-platform", &host]);
    let metadata: serde_json::Value = serde_json::from_str(&metadata).unwrap();
    let number = |version: &str| {
        let mut parts = version.split('.').map(|part| part.parse::<u32>().unwrap());
        (parts.next().unwrap(), parts.next().unwrap_or(0))
    };
    let packages = || metadata["packages"].as_array().unwrap().iter();
    let wanted = |package: &serde_json::Value| package["rust_version"].as_str().map(number);
    let own = packages().find(|package| package["name"] == "amber-tap").and_then(wanted).unwrap();
    for package in packages() {
        assert!(wanted(package).is_none_or(|wanted| wanted <= own), "{} wants {:?}", package["name"], wanted(package));
    }
    let stated = format!("{}.{}", own.0, own.1);
    assert!(read("README.md").contains(&format!("of {stated} or newer")));
    assert!(read("scripts/needs.sh").contains(&format!("RUST={stated}\n")));
}

#[test]
fn every_library_stands_in_the_notices() {
    let notices = read("NOTICES.md");
    let tree = cargo(&["tree", "-e", "normal", "--prefix", "none", "-f", "{p}", "-p", "amber-tap", "--locked"]);
    for name in tree.lines().filter_map(|line| line.split(' ').next()).filter(|name| !name.starts_with("amber-")) {
        let stands = notices.split([' ', ',', '|']).any(|word| word == name);
        assert!(name.is_empty() || stands, "NOTICES.md lacks {name}");
    }
}

#[test]
fn the_manual_page_and_the_completions_know_every_command() {
    let printed = |arguments: &[&str]| {
        let output = Command::new(env!("CARGO_BIN_EXE_amber-tap")).args(arguments).output().unwrap();
        assert!(output.status.success());
        String::from_utf8(output.stdout).unwrap()
    };
    let (manual, help) = (printed(&["man"]), printed(&["--help"]));
    let commands = help.lines().skip_while(|line| *line != "Commands:").skip(1).take_while(|line| !line.is_empty());
    let names: Vec<&str> = commands.filter_map(|line| line.strip_prefix("  ")?.split(' ').next()).collect();
    assert!(names.contains(&"mend") && names.len() > 10, "{names:?}");
    for shell in ["bash", "zsh", "fish"] {
        let completions = printed(&["completions", shell]);
        assert!(names.iter().all(|name| completions.contains(name)), "{shell}");
    }
    assert!(manual.contains("\\-\\-baud BAUD") && manual.contains("End after so many rows"), "options stand in it");
    let guide = read("docs/guide.md") + &read("README.md");
    for name in names.iter().filter(|name| !name.is_empty()) {
        assert!(*name == "help" || manual.contains(&format!("amber\\-tap {name}")), "the manual page lacks {name}");
        assert!(*name == "help" || guide.contains(&format!("amber-tap {name}")), "the texts lack {name}");
    }
}
