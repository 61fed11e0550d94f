//! JPEG without loss: the same coefficients in a smaller file.
//!
//! Scans are made progressive and their codes fitted anew; no coefficient changes, so that every
//! decoder sees the same picture.

use std::ffi::c_ulong;

use mozjpeg_sys as ffi;

use super::error::guarded;
use super::extras::Extras;
use super::jpeg_library::{Decoder, Encoder, errors};
use super::{CodecError, jpeg};
use brisk_margin_core::orientation::Orientation;

/// `data` with the same coefficients and without its markers, but for `extras` and for the turn
/// that it needs to be upright.
///
/// # Errors
/// [`CodecError::Damaged`] where `data` cannot be read to its end.
pub fn copy(data: &[u8], orientation: Orientation, extras: &Extras) -> Result<Vec<u8>, CodecError> {
    guarded(|| Ok(recode(data, orientation, extras)), jpeg::damaged)
}

fn recode(data: &[u8], orientation: Orientation, extras: &Extras) -> Vec<u8> {
    let mut errors = errors();
    let mut source = Decoder::new(&mut errors);
    let mut target = Encoder::new(&mut errors);
    // SAFETY: both structs were created and are destroyed with their guards; the memory that is
    // read and written outlives the calls; errors unwind and never return.
    unsafe {
        ffi::jpeg_mem_src(&mut source.0, data.as_ptr(), data.len() as c_ulong);
        ffi::jpeg_read_header(&mut source.0, 1);
        let coefficients = ffi::jpeg_read_coefficients(&mut source.0);
        ffi::jpeg_copy_critical_parameters(&source.0, &mut target.info);
        target.info.optimize_coding = 1;
        ffi::jpeg_simple_progression(&mut target.info);
        ffi::jpeg_mem_dest(&mut target.info, &mut target.bytes, &mut target.length);
        ffi::jpeg_write_coefficients(&mut target.info, coefficients);
        target.write_markers(&jpeg::markers(extras, orientation));
        ffi::jpeg_finish_compress(&mut target.info);
        ffi::jpeg_finish_decompress(&mut source.0);
    }
    target.take()
}
