#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| granum_fuzz::expressions(data));
