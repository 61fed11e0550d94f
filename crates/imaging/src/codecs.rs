//! Where C code runs: in this process, or in processes of its own that a [`RemoteCodec`] keeps.
//!
//! Untrusted bytes and C libraries meet only in [`Job`]s. A program that handles other people's
//! files hands in a [`RemoteCodec`], whose processes answer with [`job::perform`].

use std::sync::Arc;

use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::orientation::Orientation;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::units::Bytes;

use crate::chroma::Chroma;
use crate::codec::avif::AvifHeader;
use crate::codec::error::CodecFailure;
use crate::codec::extras::Extras;
use crate::codec::jpeg::DctScale;
use crate::codec::{CodecError, animation, jpeg, simple};
use crate::colour::Inks;
use crate::job::{self, Answer, Carries, Job, Reply, Shape};
use crate::motion::{Frame, Motion};
use crate::raster::{Channels, Raster};

/// Does jobs in another process.
pub trait RemoteCodec: Send + Sync {
    /// The answer to `job`, whose bytes stand in `parts`; it may take `memory`.
    ///
    /// # Errors
    /// [`CodecFailure`] where there is none, for whatever reason.
    fn run(&self, job: &Job, parts: &[&[u8]], memory: Bytes) -> Result<Answer, CodecFailure>;
}

/// The way to the codecs. Clones lead the same way.
///
/// ```
/// use brisk_margin_core::encoding::{Encoding, Quality};
/// use brisk_margin_core::format::Format;
/// use brisk_margin_core::geometry::Size;
/// use brisk_margin_imaging::codec::extras::Extras;
/// use brisk_margin_imaging::codecs::Codecs;
/// use brisk_margin_imaging::raster::{Channels, Raster};
///
/// let codecs = Codecs::in_process();
/// let grey = Raster::new(Size::new(8, 8), Channels::Rgb, vec![128; 8 * 8 * 3]);
/// let file = codecs.encode(&grey, Encoding::Webp(Quality::USUAL), &Extras::default())?;
/// assert_eq!(codecs.decode(Format::Webp, &file)?.size(), Size::new(8, 8));
/// # Ok::<_, Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone)]
pub struct Codecs(Option<Arc<dyn RemoteCodec>>);

impl std::fmt::Debug for Codecs {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(if self.0.is_some() { "Codecs(remote)" } else { "Codecs(in process)" })
    }
}

impl Codecs {
    /// Every job is done in this process: for files that we made ourselves, and for tests.
    pub const fn in_process() -> Self {
        Self(None)
    }

    /// Every job is done by `remote`.
    pub fn remote(remote: Arc<dyn RemoteCodec>) -> Self {
        Self(Some(remote))
    }

    fn run(&self, job: &Job, parts: &[&[u8]], memory: Bytes) -> Result<Answer, CodecError> {
        match &self.0 {
            Some(remote) => Ok(remote.run(job, parts, memory)?),
            None => Ok(job::perform(job, parts)),
        }
    }

    /// The pixels of a JPEG at `scale`; print colours are mixed by `inks`.
    ///
    /// # Errors
    /// [`CodecError::Truncated`] where the file ends before the last row is complete, else
    /// [`CodecError::Damaged`] or [`CodecError::CodecFailure`].
    pub fn decode_jpeg(
        &self,
        file: &[u8],
        scale: DctScale,
        inks: &Inks,
    ) -> Result<Raster, CodecError> {
        // Three samples a pixel as decoded, and two bytes for each of up to four coefficients.
        let memory = Bytes(jpeg::pixel_count(file) * 12 + file.len() as u64 * 2);
        let Answer { reply, bytes } = self.run(&Job::DecodeJpeg(scale), &[file], memory)?;
        match reply {
            Reply::Pixels(shape) if fits(shape, &bytes) => {
                Ok(Raster::new(shape.size(), shape.channels(), bytes))
            }
            Reply::Inks(shape) if fits(shape, &bytes) => {
                Ok(Raster::new(shape.size(), Channels::Rgb, inks.mix(&bytes)))
            }
            reply => Err(refused(reply)),
        }
    }

    /// A JPEG with the same coefficients as `file`; see [`jpeg_copy::copy`].
    ///
    /// # Errors
    /// [`CodecError::Damaged`] where the file cannot be read to its end.
    pub fn copy_jpeg(
        &self,
        file: &[u8],
        orientation: Orientation,
        extras: &Extras,
    ) -> Result<Vec<u8>, CodecError> {
        let (carries, blocks) = carried(extras);
        let job = Job::CopyJpeg { orientation: orientation.to_exif(), carries };
        let parts: Vec<&[u8]> = [file].into_iter().chain(blocks).collect();
        let memory = Bytes(jpeg::pixel_count(file) * 12 + file.len() as u64 * 4);
        made(self.run(&job, &parts, memory)?)
    }

    /// What stands before the pixels of an AVIF.
    ///
    /// # Errors
    /// [`CodecError::Truncated`], [`CodecError::Damaged`] or [`CodecError::CodecFailure`].
    pub fn read_avif(&self, file: &[u8]) -> Result<AvifHeader, CodecError> {
        match self.run(&Job::ReadAvif, &[file], Bytes(file.len() as u64 * 4))?.reply {
            Reply::Avif(told) => Ok(*told),
            reply => Err(refused(reply)),
        }
    }

    /// The pixels of the first picture of an AVIF.
    ///
    /// # Errors
    /// [`CodecError::Truncated`], [`CodecError::Damaged`] or [`CodecError::CodecFailure`].
    pub fn decode_avif(&self, file: &[u8]) -> Result<Raster, CodecError> {
        let size = self.read_avif(file)?.header.size;
        // Planes of up to 16 bits in the decoder's frames, and the result.
        let memory = Bytes(size.pixels() * 30 + file.len() as u64 * 2);
        let Answer { reply, bytes } = self.run(&Job::DecodeAvif, &[file], memory)?;
        match reply {
            Reply::Pixels(shape) if fits(shape, &bytes) => {
                Ok(Raster::new(shape.size(), shape.channels(), bytes))
            }
            reply => Err(refused(reply)),
        }
    }

    /// The frames of a WebP whose canvas is of `size`, each as it is shown: `count` at most.
    ///
    /// # Errors
    /// [`CodecError::Truncated`], [`CodecError::Damaged`] or [`CodecError::CodecFailure`].
    fn decode_webp_motion(
        &self,
        file: &[u8],
        size: Size,
        count: u32,
    ) -> Result<Vec<Frame>, CodecError> {
        // Each frame as it goes out, and the two that the decoder works on.
        let memory = Bytes(size.pixels() * 4 * (2 * u64::from(count) + 4) + file.len() as u64 * 2);
        let Answer { reply, bytes } = self.run(&Job::DecodeWebpMotion(count), &[file], memory)?;
        match reply {
            Reply::Frames(shape, millis) if shape.size() == size => {
                let each = shape.size().pixels() as usize * shape.channels().count();
                if each == 0 || bytes.len() != each * millis.len() {
                    return Err(CodecFailure::Crashed.into());
                }
                let frame = |(pixels, millis)| Frame { raster: shape.raster(pixels), millis };
                Ok(bytes.chunks_exact(each).zip(millis).map(frame).collect())
            }
            reply => Err(refused(reply)),
        }
    }

    /// `raster` as a file, as it is.
    ///
    /// # Errors
    /// [`CodecError::Encode`] or [`CodecError::CodecFailure`].
    pub(crate) fn encode_pixels(
        &self,
        raster: &Raster,
        encoding: Encoding,
        extras: &Extras,
    ) -> Result<Vec<u8>, CodecError> {
        let chroma = match encoding {
            Encoding::Jpeg(quality) => Chroma::for_jpeg(raster, quality.get()),
            Encoding::Avif(_) | Encoding::Webp(_) => Chroma::for_video_codecs(raster),
            _ => Chroma::Full,
        };
        let (carries, blocks) = carried(extras);
        let job = Job::Encode { shape: Shape::of(raster), encoding, chroma, carries };
        let parts: Vec<&[u8]> = [raster.data()].into_iter().chain(blocks).collect();
        made(self.run(&job, &parts, memory(encoding, raster.size().pixels()))?)
    }

    /// `motion` as a file.
    ///
    /// # Errors
    /// [`CodecError::Encode`] or [`CodecError::CodecFailure`].
    pub fn encode_motion(
        &self,
        motion: &Motion,
        encoding: Encoding,
        extras: &Extras,
    ) -> Result<Vec<u8>, CodecError> {
        let (carries, blocks) = carried(extras);
        let frames = motion.frames.iter().map(|frame| (Shape::of(&frame.raster), frame.millis));
        let job =
            Job::EncodeMotion { frames: frames.collect(), loops: motion.loops, encoding, carries };
        let rasters = motion.frames.iter().map(|frame| frame.raster.data());
        let parts: Vec<&[u8]> = rasters.chain(blocks).collect();
        let pixels = motion.size().pixels() * motion.frames.len() as u64;
        made(self.run(&job, &parts, Bytes(pixels * 16 + (64 << 20)))?)
    }

    /// The frames of `data`, a file of `source`, each as it is shown, and how often they are.
    ///
    /// # Errors
    /// [`CodecError::Unsupported`] for formats whose frames are not read, else those of decoding.
    pub fn decode_motion(&self, source: SourceFormat, data: &[u8]) -> Result<Motion, CodecError> {
        match source {
            SourceFormat::Gif => animation::decode_gif(data),
            // By the library that browsers use: where a frame lies on another, its pixels come out
            // exactly.
            SourceFormat::Webp => {
                let size = simple::header(source, data)?.size;
                let frames = self.decode_webp_motion(data, size, animation::webp_frames(data))?;
                let bare = |Frame { raster, millis }| Frame {
                    raster: raster.without_idle_alpha(),
                    millis,
                };
                let frames = frames.into_iter().map(bare).collect();
                Ok(Motion { frames, loops: animation::webp_loops(data) })
            }
            format => Err(CodecError::Unsupported { format, flavour: "frames in a rare form" }),
        }
    }
}

/// What an answer means that is not the one that was asked for. Another kind of answer, or bytes
/// that do not fit their words, come from a process that went wrong.
fn refused(reply: Reply) -> CodecError {
    match reply {
        Reply::Truncated(source) => CodecError::Truncated(source),
        Reply::Damaged(format, detail) => CodecError::Damaged { format, detail },
        Reply::Failed(format, detail) => CodecError::Encode { format, detail },
        Reply::File | Reply::Pixels(_) | Reply::Inks(_) | Reply::Frames(..) | Reply::Avif(_) => {
            CodecFailure::Crashed.into()
        }
    }
}

/// A child's word is not taken for the length of what it sends.
fn fits(shape: Shape, bytes: &[u8]) -> bool {
    shape.size().pixels() * shape.channels().count() as u64 == bytes.len() as u64
}

/// What encoding so many pixels may take at most: guesses with room, not measured yet.
fn memory(encoding: Encoding, pixels: u64) -> Bytes {
    let each = match encoding {
        Encoding::Jpeg(_) => 40,
        Encoding::Webp(_) => 40,
        Encoding::WebpLossless => 120,
        Encoding::Avif(_) => 160,
        Encoding::Png | Encoding::PngPalette(_) | Encoding::Gif => 80,
    };
    Bytes(pixels * each + (32 << 20))
}

fn carried(extras: &Extras) -> (Carries, impl Iterator<Item = &[u8]>) {
    let carries = Carries { icc: extras.icc.is_some(), xmp: extras.xmp.is_some() };
    (carries, extras.icc.as_deref().into_iter().chain(extras.xmp.as_deref()))
}

fn made(answer: Answer) -> Result<Vec<u8>, CodecError> {
    match answer.reply {
        Reply::File => Ok(answer.bytes),
        reply => Err(refused(reply)),
    }
}
