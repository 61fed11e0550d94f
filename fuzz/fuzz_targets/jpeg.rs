#![no_main]

libfuzzer_sys::fuzz_target!(|data: &[u8]| {
    brisk_margin_fuzz::picture(brisk_margin_core::source_format::SourceFormat::Jpeg, data);
});
