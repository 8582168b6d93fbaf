//! Inputs that fuzzing found, or that came near to faults, replayed. `fuzz/README.md` says how to look for more.

mod checks;

use std::path::Path;

#[test]
fn what_was_found_once_holds() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/fuzzed/found");
    for (name, check) in [
        ("framer", checks::framer as fn(&[u8])),
        ("splitter", checks::splitter),
        ("frames", checks::frames),
        ("frames_text", checks::frames_text),
        ("pins", checks::pins),
        ("formula", checks::formula),
        ("bench", checks::bench),
    ] {
        let inputs: Vec<_> = std::fs::read_dir(folder.join(name)).unwrap().flatten().collect();
        assert!(!inputs.is_empty(), "no inputs for {name}");
        for input in inputs {
            println!("{}", input.path().display());
            check(&std::fs::read(input.path()).unwrap());
        }
    }
}
