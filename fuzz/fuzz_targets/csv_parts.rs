#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| granum_fuzz::csv_parts(data));
