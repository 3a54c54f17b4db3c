#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| granum_fuzz::plan_text(data));
