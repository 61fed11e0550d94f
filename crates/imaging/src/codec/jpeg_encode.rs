//! JPEG encoding through mozjpeg, with tables and a weighing of rate of our own.

use std::slice;

use mozjpeg_sys as ffi;

use super::CodecError;
use super::error::guarded;
use super::extras::Extras;
use super::jpeg::markers;
use super::jpeg_library::{Encoder, errors};
use super::jpeg_tables::{RATE, tables};
use crate::chroma::Chroma;
use crate::raster::Raster;
use brisk_margin_core::encoding::Quality;
use brisk_margin_core::format::Format;
use brisk_margin_core::orientation::Orientation;

/// Encodes `raster` as a progressive JPEG at `quality` with `extras`; transparency turns
/// white, and colour is kept as `chroma` says.
///
/// # Errors
/// [`CodecError::Encode`].
pub fn encode(
    raster: &Raster,
    quality: Quality,
    chroma: Chroma,
    extras: &Extras,
) -> Result<Vec<u8>, CodecError> {
    let failed = |detail: String| CodecError::Encode { format: Format::Jpeg, detail };
    guarded(|| Ok(encoded(&raster.flattened([255; 3]), quality, chroma, extras)), failed)
}

fn encoded(opaque: &Raster, quality: Quality, chroma: Chroma, extras: &Extras) -> Vec<u8> {
    let mut errors = errors();
    let mut file = Encoder::new(&mut errors);
    let (size, info) = (opaque.size(), &mut file.info);
    // SAFETY: the struct was created and is destroyed with its guard; the library sets up as many
    // components as are read here; tables and rows outlive the calls that read them; errors unwind.
    unsafe {
        (info.image_width, info.image_height) = (size.width, size.height);
        (info.in_color_space, info.input_components) = (ffi::J_COLOR_SPACE::JCS_RGB, 3);
        ffi::jpeg_set_defaults(info);
        ffi::jpeg_simple_progression(info);
        ffi::jpeg_c_set_bool_param(info, ffi::JBOOLEAN_OPTIMIZE_SCANS, 1);
        ffi::jpeg_c_set_float_param(info, ffi::JFLOAT_LAMBDA_LOG_SCALE1, RATE[0]);
        ffi::jpeg_c_set_float_param(info, ffi::JFLOAT_LAMBDA_LOG_SCALE2, RATE[1]);
        let components = slice::from_raw_parts_mut(info.comp_info, 3);
        let pixels = match chroma {
            Chroma::Full => 1,
            Chroma::Half => 2,
        };
        for (n, component) in components.iter_mut().enumerate() {
            component.quant_tbl_no = n as i32;
            // How many samples light has for each of colour.
            let samples = if n == 0 { pixels } else { 1 };
            (component.h_samp_factor, component.v_samp_factor) = (samples, samples);
        }
        for (n, table) in tables(quality).iter().enumerate() {
            ffi::jpeg_add_quant_table(info, n as i32, table.as_ptr(), 100, 1);
        }
        ffi::jpeg_mem_dest(info, &mut file.bytes, &mut file.length);
        ffi::jpeg_start_compress(info, 1);
        file.write_markers(&markers(extras, Orientation::UPRIGHT));
        for row in opaque.data().chunks_exact(opaque.stride()) {
            ffi::jpeg_write_scanlines(&mut file.info, [row.as_ptr()].as_ptr(), 1);
        }
        ffi::jpeg_finish_compress(&mut file.info);
    }
    file.take()
}
