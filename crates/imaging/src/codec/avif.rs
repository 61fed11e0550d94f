//! AVIF through libavif with libaom: header, decoding, lossy encoding.

use std::ffi::CStr;

use libavif_sys as ffi;

use super::extras::Extras;
use super::{Blocks, CodecError, Header};
use crate::chroma::Chroma;
use crate::detail::detail;
use crate::effort::Effort;
use crate::raster::{Channels, Raster};
use brisk_margin_core::facts::MAX_PIXELS;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::orientation::Orientation;
use brisk_margin_core::source_format::SourceFormat;

/// Frequencies are quantised by how well they are seen, and what that loses is weighed so: files of
/// photographs get 2 to 5 % smaller at the same score (docs/decisions/0011).
const OPTIONS: [(&CStr, &CStr); 2] = [(c"enable-qm", c"1"), (c"dist-metric", c"qm-psnr")];

/// Only square blocks.
const SQUARE: [(&CStr, &CStr); 3] = [
    (c"enable-rect-partitions", c"0"),
    (c"enable-ab-partitions", c"0"),
    (c"enable-1to4-partitions", c"0"),
];

/// Above so much [`detail`], blocks that are not square save more than a slower search.
const TEXTURED: f64 = 11.0;

/// From this quality on, ten bits save more than they cost: 8 % of what is *fine*, 10 % above, in 1.2 of the time. Where
/// there is much detail files would get heavier by an eighth (docs/decisions/0034).
const DEEP: u8 = 74;

/// How a picture is encoded.
struct Way {
    /// Bits a channel.
    depth: u32,
    /// libaom's speed.
    speed: i32,
    /// How it looks for blocks.
    blocks: &'static [(&'static CStr, &'static CStr)],
}

impl Way {
    /// Speed 5 saves an eighth of the bytes of 6, in five to seven times the time, most of which goes into blocks that
    /// are not square. Without those it takes twice the time of 6, and saves 6 % where there is little detail; where
    /// there is much of it, files would get heavier.
    ///
    /// Drafts have speed 9, which takes a tenth of the time (docs/decisions/0029).
    fn of(raster: &Raster, quality: u8, effort: Effort) -> Self {
        let textured = detail(raster) > TEXTURED;
        let depth = if quality >= DEEP && !textured { 10 } else { 8 };
        let (speed, blocks): (_, &[_]) = match effort {
            Effort::Draft => (9, &[]),
            Effort::Full if textured => (6, &[]),
            Effort::Full => (5, &SQUARE),
        };
        Self { depth, speed, blocks }
    }
}

/// By how much more a draft of `raster` lacks of a score of 100 than the file, as a logarithm: means over the sets of
/// docs/decisions/0029, from which single pictures differ by 0.04 or so, smooth gradients by more.
pub fn draft_lacks_more(raster: &Raster) -> f64 {
    if detail(raster) > TEXTURED { 0.10 } else { 0.17 }
}

/// By what factor drafts of `raster` say too much of the bytes that colours at full resolution take beside those at
/// half, at the same score (docs/decisions/0035): less than means over pictures, as what is gained elsewhere comes to more.
pub fn draft_overrates_half(raster: &Raster) -> f64 {
    if detail(raster) > TEXTURED { 1.01 } else { 1.045 }
}

/// A file's header, and whether its colours are Display P3 without a profile that says so.
#[derive(Debug, Clone, PartialEq)]
pub struct AvifHeader {
    /// What stands before the pixels.
    pub header: Header,
    /// Whether the code points (ITU-T H.273) name the primaries of Display P3.
    pub is_p3: bool,
}

/// Reads the header of `data`; no pixel memory is taken.
///
/// # Errors
/// [`CodecError::Truncated`] or [`CodecError::Damaged`].
pub fn header(data: &[u8]) -> Result<AvifHeader, CodecError> {
    let decoder = Decoder::parse(data)?;
    // SAFETY: parsing succeeded, so that the image is set, and it lives as long as the decoder.
    let (image, frames) = unsafe { (&*(*decoder.0).image, (*decoder.0).imageCount) };
    let header = Header {
        frames: frames.clamp(1, 10_000) as u32,
        turned: Some(turn(image)),
        icc: copy(&image.icc),
        blocks: Blocks { exif: copy(&image.exif), xmp: copy(&image.xmp), iptc: None },
        ..Header::plain(
            Size::new(image.width, image.height),
            // SAFETY: as above.
            unsafe { (*decoder.0).alphaPresent } != 0,
        )
    };
    const P3_PRIMARIES: u32 = 12;
    Ok(AvifHeader { header, is_p3: u32::from(image.colorPrimaries) == P3_PRIMARIES })
}

/// Decodes the first picture of `data` to 8 bits a channel, as stored.
///
/// # Errors
/// [`CodecError::Truncated`] or [`CodecError::Damaged`].
pub fn decode(data: &[u8]) -> Result<Raster, CodecError> {
    let decoder = Decoder::parse(data)?;
    // SAFETY: the decoder and its image are set after parsing; the pixel buffer has the rows that
    // `rgb` tells of, and outlives the call that fills it.
    unsafe {
        decoded(ffi::avifDecoderNextImage(decoder.0))?;
        let image = &*(*decoder.0).image;
        let size = Size::new(image.width, image.height);
        let has_alpha = (*decoder.0).alphaPresent != 0;
        let channels = if has_alpha { Channels::Rgba } else { Channels::Rgb };
        let mut rgb = std::mem::zeroed();
        ffi::avifRGBImageSetDefaults(&mut rgb, image);
        rgb.depth = 8;
        rgb.format = if has_alpha { ffi::AVIF_RGB_FORMAT_RGBA } else { ffi::AVIF_RGB_FORMAT_RGB };
        rgb.alphaPremultiplied = 0;
        let stride = size.width as usize * channels.count();
        let mut pixels = vec![0; stride * size.height as usize];
        rgb.pixels = pixels.as_mut_ptr();
        rgb.rowBytes = u32::try_from(stride).map_err(damaged)?;
        decoded(ffi::avifImageYUVToRGB(image, &mut rgb))?;
        Ok(Raster::new(size, channels, pixels))
    }
}

/// How the container turns its pixels: first anti-clockwise, then mirrored (ISO/IEC 23000-22,
/// 7.3.6.7).
fn turn(image: &ffi::avifImage) -> Orientation {
    let has = |flag| image.transformFlags & flag != 0;
    let left = if has(ffi::AVIF_TRANSFORM_IROT) { image.irot.angle % 4 } else { 0 };
    if !has(ffi::AVIF_TRANSFORM_IMIR) {
        return Orientation::new(false, (4 - left) % 4);
    }
    // A mirror after a turn to the left is a turn to the right after the mirror.
    let upside_down = if image.imir.axis == 0 { 2 } else { 0 };
    Orientation::new(true, (left + upside_down) % 4)
}

fn copy(block: &ffi::avifRWData) -> Option<Vec<u8>> {
    // SAFETY: the library keeps `size` bytes at `data` for as long as the image lives.
    (block.size > 0).then(|| unsafe { std::slice::from_raw_parts(block.data, block.size) }.to_vec())
}

/// The library's decoder, freed with it.
struct Decoder<'a>(*mut ffi::avifDecoder, std::marker::PhantomData<&'a [u8]>);

impl<'a> Decoder<'a> {
    fn parse(data: &'a [u8]) -> Result<Self, CodecError> {
        // SAFETY: the decoder is checked for null, its fields are plain settings, and it does not
        // outlive the data that it reads.
        unsafe {
            let decoder = Self(ffi::avifDecoderCreate(), std::marker::PhantomData);
            if decoder.0.is_null() {
                return Err(damaged("out of memory"));
            }
            (*decoder.0).codecChoice = ffi::AVIF_CODEC_CHOICE_AOM;
            (*decoder.0).maxThreads = 1;
            (*decoder.0).imageSizeLimit = MAX_PIXELS as u32;
            // Files of common cameras and editors break the lesser rules.
            (*decoder.0).strictFlags = ffi::AVIF_STRICT_DISABLED as _;
            decoded(ffi::avifDecoderSetIOMemory(decoder.0, data.as_ptr(), data.len()))?;
            decoded(ffi::avifDecoderParse(decoder.0))?;
            Ok(decoder)
        }
    }
}

impl Drop for Decoder<'_> {
    fn drop(&mut self) {
        if !self.0.is_null() {
            // SAFETY: created by `avifDecoderCreate` and freed once.
            unsafe { ffi::avifDecoderDestroy(self.0) }
        }
    }
}

fn damaged(detail: impl ToString) -> CodecError {
    CodecError::Damaged { format: SourceFormat::Avif, detail: detail.to_string() }
}

fn decoded(result: ffi::avifResult) -> Result<(), CodecError> {
    match result {
        ffi::AVIF_RESULT_TRUNCATED_DATA => Err(CodecError::Truncated(SourceFormat::Avif)),
        _ => told(result).map_err(damaged),
    }
}

/// Encodes `raster` as an AVIF of 8 or 10 bits at `quality` (1 to 100), alpha kept, colour kept as `chroma`
/// says, with `effort` and `extras`.
pub fn encode(
    raster: &Raster,
    quality: u8,
    chroma: Chroma,
    effort: Effort,
    extras: &Extras,
) -> Result<Vec<u8>, CodecError> {
    let way = Way::of(raster, quality, effort);
    let image = Image::new(raster, chroma, way.depth)?;
    image.carry(extras)?;
    // SAFETY: each pointer is checked before use and lives as long as the guard that frees it;
    // the encoder's fields are plain settings.
    unsafe {
        let encoder = Encoder(ffi::avifEncoderCreate());
        if encoder.0.is_null() {
            return Err(failed("out of memory"));
        }
        (*encoder.0).codecChoice = ffi::AVIF_CODEC_CHOICE_AOM;
        (*encoder.0).quality = i32::from(quality);
        (*encoder.0).qualityAlpha = i32::from(quality);
        (*encoder.0).speed = way.speed;
        // Whoever waits for one picture waits a third less. With any number of threads but one the bytes are
        // the same, so that it is never left to the machine.
        (*encoder.0).maxThreads = 2;
        for &(key, value) in OPTIONS.iter().chain(way.blocks) {
            let (key, value) = (key.as_ptr(), value.as_ptr());
            check(ffi::avifEncoderSetCodecSpecificOption(encoder.0, key, value))?;
        }
        let mut output = Output(ffi::avifRWData { data: std::ptr::null_mut(), size: 0 });
        check(ffi::avifEncoderWrite(encoder.0, image.0, &mut output.0))?;
        Ok(std::slice::from_raw_parts(output.0.data, output.0.size).to_vec())
    }
}

fn failed(detail: impl ToString) -> CodecError {
    CodecError::Encode { format: Format::Avif, detail: detail.to_string() }
}

fn check(result: ffi::avifResult) -> Result<(), CodecError> {
    told(result).map_err(failed)
}

/// The library's own words for what went wrong.
fn told(result: ffi::avifResult) -> Result<(), String> {
    if result == ffi::AVIF_RESULT_OK {
        return Ok(());
    }
    // SAFETY: the library returns a static, null-terminated text for every result.
    let text = unsafe { CStr::from_ptr(ffi::avifResultToString(result)) };
    Err(text.to_string_lossy().into_owned())
}

/// The library's picture, freed with it.
struct Image(*mut ffi::avifImage);

impl Image {
    fn new(raster: &Raster, chroma: Chroma, depth: u32) -> Result<Self, CodecError> {
        let format = match chroma {
            Chroma::Full => ffi::AVIF_PIXEL_FORMAT_YUV444,
            Chroma::Half => ffi::AVIF_PIXEL_FORMAT_YUV420,
        };
        let size = raster.size();
        let stride = u32::try_from(raster.stride()).map_err(failed)?;
        // SAFETY: the image is checked for null; `rgb` points at the raster's rows, which are
        // only read, and is not used after the call.
        unsafe {
            let image = Self(ffi::avifImageCreate(size.width, size.height, depth, format));
            if image.0.is_null() {
                return Err(failed("out of memory"));
            }
            // sRGB, told by its code points (ITU-T H.273) since no profile is written.
            (*image.0).colorPrimaries = ffi::AVIF_COLOR_PRIMARIES_BT709 as _;
            (*image.0).transferCharacteristics = ffi::AVIF_TRANSFER_CHARACTERISTICS_SRGB as _;
            (*image.0).matrixCoefficients = ffi::AVIF_MATRIX_COEFFICIENTS_BT601 as _;
            let mut rgb = std::mem::zeroed();
            ffi::avifRGBImageSetDefaults(&mut rgb, image.0);
            rgb.depth = 8;
            rgb.format = match raster.channels() {
                Channels::Rgb => ffi::AVIF_RGB_FORMAT_RGB,
                Channels::Rgba => ffi::AVIF_RGB_FORMAT_RGBA,
            };
            rgb.pixels = raster.data().as_ptr().cast_mut();
            rgb.rowBytes = stride;
            check(ffi::avifImageRGBToYUV(image.0, &rgb))?;
            Ok(image)
        }
    }
}

impl Image {
    /// Puts `extras` into the file to be.
    fn carry(&self, extras: &Extras) -> Result<(), CodecError> {
        // SAFETY: the image is set, and the library copies what it is given.
        unsafe {
            if let Some(icc) = &extras.icc {
                check(ffi::avifImageSetProfileICC(self.0, icc.as_ptr(), icc.len()))?;
            }
            if let Some(xmp) = &extras.xmp {
                check(ffi::avifImageSetMetadataXMP(self.0, xmp.as_ptr(), xmp.len()))?;
            }
        }
        Ok(())
    }
}

impl Drop for Image {
    fn drop(&mut self) {
        if !self.0.is_null() {
            // SAFETY: created in `new` and freed once.
            unsafe { ffi::avifImageDestroy(self.0) }
        }
    }
}

struct Encoder(*mut ffi::avifEncoder);

impl Drop for Encoder {
    fn drop(&mut self) {
        if !self.0.is_null() {
            // SAFETY: created by `avifEncoderCreate` and freed once.
            unsafe { ffi::avifEncoderDestroy(self.0) }
        }
    }
}

struct Output(ffi::avifRWData);

impl Drop for Output {
    fn drop(&mut self) {
        // SAFETY: the library filled it or left it empty; freeing either is allowed.
        unsafe { ffi::avifRWDataFree(&mut self.0) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn depth(raster: &Raster, quality: u8) -> u32 {
        let extras = Extras::default();
        let file = encode(raster, quality, Chroma::Half, Effort::Draft, &extras).unwrap();
        let decoder = Decoder::parse(&file).unwrap();
        // SAFETY: parsing succeeded, so that the image is set, and it lives as long as the decoder.
        unsafe { (*(*decoder.0).image).depth }
    }

    #[test]
    fn ten_bits_are_for_high_qualities_of_what_has_little_detail() {
        let of = |shade: &dyn Fn(u32) -> u8| {
            let data = (0..64 * 64).flat_map(|n| [shade(n); 3]).collect();
            Raster::new(Size::new(64, 64), Channels::Rgb, data)
        };
        let sky = of(&|n| (n / 64 * 3) as u8);
        let gravel = of(&|n| (n.wrapping_mul(2_654_435_761) >> 24) as u8);
        assert_eq!([depth(&sky, 60), depth(&sky, 80)], [8, 10]);
        assert_eq!([depth(&gravel, 60), depth(&gravel, 80)], [8, 8]);
    }
}
