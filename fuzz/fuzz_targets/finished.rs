#![no_main]
libfuzzer_sys::fuzz_target!(|bytes: &[u8]| kiln_fuzz::exercise("finished")(bytes));
