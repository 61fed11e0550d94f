//! mozjpeg's structs with guards that free them, for what its own crate does not offer.

use std::ffi::{c_ulong, c_void};
use std::mem::MaybeUninit;
use std::{ptr, slice};

use mozjpeg_sys as ffi;

/// What the library does about errors and warnings: it unwinds.
pub(super) fn errors() -> Box<ffi::jpeg_error_mgr> {
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
    std::panic::resume_unwind(Box::new(format!("the library's error {code}")));
}

/// A warning, at level -1, means that data are damaged or missing: a copy would lack them too.
unsafe extern "C-unwind" fn warning(_: &mut ffi::jpeg_common_struct, level: i32) {
    if level < 0 {
        std::panic::resume_unwind(Box::new("data are missing".to_owned()));
    }
}

/// The library's decoder, freed with it.
pub(super) struct Decoder(pub Box<ffi::jpeg_decompress_struct>);

impl Decoder {
    pub(super) fn new(errors: &mut ffi::jpeg_error_mgr) -> Self {
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

/// The library's encoder and the file that it writes, freed with it.
pub(super) struct Encoder {
    pub info: Box<ffi::jpeg_compress_struct>,
    pub bytes: *mut u8,
    pub length: c_ulong,
}

impl Encoder {
    pub(super) fn new(errors: &mut ffi::jpeg_error_mgr) -> Self {
        let mut info = Box::<ffi::jpeg_compress_struct>::new(zeroed());
        info.common.err = errors;
        // SAFETY: as for the decoder.
        unsafe { ffi::jpeg_create_compress(&mut *info) };
        Self { info, bytes: ptr::null_mut(), length: 0 }
    }

    /// Writes `markers`, each by its code.
    ///
    /// # Safety
    /// The library has begun to write, and no pixel yet.
    pub(super) unsafe fn write_markers(&mut self, markers: &[(u8, Vec<u8>)]) {
        for (marker, body) in markers {
            let length = u32::try_from(body.len()).expect("markers are short");
            // SAFETY: the body lives as long as the call, which reads so many bytes of it.
            unsafe {
                ffi::jpeg_write_marker(&mut self.info, (*marker).into(), body.as_ptr(), length);
            }
        }
    }

    /// What was written.
    pub(super) fn take(&self) -> Vec<u8> {
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
