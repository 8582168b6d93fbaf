#![no_main]

#[path = "../../tests/fuzzed/checks.rs"]
mod checks;

libfuzzer_sys::fuzz_target!(|data: &[u8]| checks::pins(data));
