//! JPEG without loss: the same coefficients in a smaller file.
//!
//! Scans are made progressive and their codes fitted anew; no coefficient changes, so that every
//! decoder sees the same picture.

use std::ffi::{c_ulong, c_void};
use std::mem::MaybeUninit;
use std::{ptr, slice};

use mozjpeg_sys as ffi;

use super::error::guarded;
use super::extras::Extras;
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
        for (marker, body) in jpeg::markers(extras, orientation) {
            let length = u32::try_from(body.len()).expect("markers are short");
            ffi::jpeg_write_marker(&mut target.info, marker.into(), body.as_ptr(), length);
        }
        ffi::jpeg_finish_compress(&mut target.info);
        ffi::jpeg_finish_decompress(&mut source.0);
    }
    target.take()
}

fn errors() -> Box<ffi::jpeg_error_mgr> {
    // SAFETY: plain data, of which the call sets every field that is used.
    let mut errors: Box<ffi::jpeg_error_mgr> = Box::new(unsafe { std::mem::zeroed() });
    // SAFETY: as above.
    unsafe { ffi::jpeg_std_error(&mut errors) };
    errors.error_exit = Some(unwind);
    errors.emit_message = Some(warning);
    errors
}

/// Ends the library's work by unwinding, since it must not go on.
unsafe extern "C-unwind" fn unwind(info: &mut ffi::jpeg_common_struct) {
    // SAFETY: the library sets its error manager before anything can fail.
    let code = unsafe { info.err.as_ref() }.map_or(0, |errors| errors.msg_code);
    std::panic::resume_unwind(Box::new(format!("the decoder's error {code}")));
}

/// A warning, at level -1, means that data are damaged or missing: a copy would lack them too.
unsafe extern "C-unwind" fn warning(_: &mut ffi::jpeg_common_struct, level: i32) {
    if level < 0 {
        std::panic::resume_unwind(Box::new("data are missing".to_owned()));
    }
}

struct Decoder(Box<ffi::jpeg_decompress_struct>);

impl Decoder {
    fn new(errors: &mut ffi::jpeg_error_mgr) -> Self {
        let mut info = Box::<ffi::jpeg_decompress_struct>::new(zeroed());
        info.common.err = errors;
        // SAFETY: the struct is zeroed with its error manager set, as the library asks.
        unsafe { ffi::jpeg_create_decompress(&mut *info) };
        Self(info)
    }
}

impl Drop for Decoder {
    fn drop(&mut self) {
        // SAFETY: created in `new` and destroyed once.
        unsafe { ffi::jpeg_destroy_decompress(&mut self.0) }
    }
}

struct Encoder {
    info: Box<ffi::jpeg_compress_struct>,
    bytes: *mut u8,
    length: c_ulong,
}

impl Encoder {
    fn new(errors: &mut ffi::jpeg_error_mgr) -> Self {
        let mut info = Box::<ffi::jpeg_compress_struct>::new(zeroed());
        info.common.err = errors;
        // SAFETY: as for the decoder.
        unsafe { ffi::jpeg_create_compress(&mut *info) };
        Self { info, bytes: ptr::null_mut(), length: 0 }
    }

    fn take(&self) -> Vec<u8> {
        if self.bytes.is_null() {
            return Vec::new();
        }
        // SAFETY: the library wrote `length` bytes there, which live until the guard is dropped.
        unsafe { slice::from_raw_parts(self.bytes, self.length as usize) }.to_vec()
    }
}

impl Drop for Encoder {
    fn drop(&mut self) {
        unsafe extern "C" {
            fn free(memory: *mut c_void);
        }
        // SAFETY: created in `new` and destroyed once; the buffer came from the C allocator, and
        // freeing null is allowed.
        unsafe {
            ffi::jpeg_destroy_compress(&mut self.info);
            free(self.bytes.cast());
        }
    }
}

fn zeroed<T>() -> T {
    // SAFETY: only used for the library's structs, which are plain data and pointers.
    unsafe { MaybeUninit::zeroed().assume_init() }
}
