#![no_main]

libfuzzer_sys::fuzz_target!(|data: &[u8]| brisk_margin_fuzz::archive(data));
