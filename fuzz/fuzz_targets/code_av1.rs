#![no_main]
libfuzzer_sys::fuzz_target!(init: kiln_fuzz::prepare(), |bytes: &[u8]| kiln_fuzz::exercise("code_av1")(bytes));
