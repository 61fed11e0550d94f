//! Where C code runs: in this process, or, once a [`Runner`] is installed, wherever that takes it.
//!
//! Untrusted bytes and C libraries meet only through the jobs in here. The core runs nothing by
//! itself: a program that handles other people's files installs a runner that keeps child
//! processes, each of which answers with [`perform`].

use std::sync::OnceLock;

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::extras::Extras;
use super::jpeg::{DctScale, Pixels};
use super::{CodecError, avif, gif, jpeg, jpeg_copy, png, webp, webp_motion};
use crate::chroma::Chroma;
use crate::colour::Inks;
use crate::encode::Encoding;
use crate::format::Format;
use crate::geometry::Size;
use crate::motion::{Frame, Motion};
use crate::orientation::Orientation;
use crate::palette::Reduced;
use crate::raster::{Channels, Raster};
use crate::source::Source;
use crate::units::Bytes;

/// Runs jobs somewhere else.
pub trait Runner: Send + Sync {
    /// The answer to `job`, whose bytes stand in `parts`; it may take `memory`.
    ///
    /// # Errors
    /// [`Broken`] where there is none, for whatever reason.
    fn run(&self, job: &Job, parts: &[&[u8]], memory: Bytes) -> Result<Answer, Broken>;
}

static RUNNER: OnceLock<Box<dyn Runner>> = OnceLock::new();

/// Sends every job to `runner` from now on; a second runner is not taken.
pub fn install(runner: Box<dyn Runner>) -> bool {
    RUNNER.set(runner).is_ok()
}

/// A codec broke down: this costs one picture, which should not be tried again and again.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum Broken {
    /// The process ended in the middle.
    #[error(
        "the codec crashed on this picture and nothing was made of it; export it again with \
         another program"
    )]
    Crashed,
    /// It wanted more memory than such a picture can need.
    #[error("the codec wanted more than {0} for this picture and was ended; export it again")]
    Memory(Bytes),
    /// It did not come to an end in so many seconds of work.
    #[error("the codec was ended after {0} s without a result; export the picture again")]
    Time(u64),
    /// It could not be started.
    #[error("no codec process could be started ({0})")]
    NotStarted(String),
}

/// What is asked for; the bytes that it is about go beside it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum Job {
    /// The pixels of a JPEG at a scale.
    DecodeJpeg(DctScale),
    /// A JPEG with the same coefficients.
    CopyJpeg {
        /// The tag's value of its turn.
        orientation: u8,
        /// What it carries.
        carries: Carries,
    },
    /// What stands before the pixels of an AVIF.
    ReadAvif,
    /// The pixels of an AVIF.
    DecodeAvif,
    /// The frames of a WebP, so many at most.
    DecodeWebpMotion(u32),
    /// A file.
    Encode {
        /// The pixels' shape.
        shape: Shape,
        /// How they are encoded.
        encoding: Encoding,
        /// At which resolution colour is kept, where there is a choice.
        chroma: Chroma,
        /// What it carries.
        carries: Carries,
    },
    /// A file of several pictures.
    EncodeMotion {
        /// Each picture's shape and time in milliseconds.
        frames: Vec<(Shape, u16)>,
        /// How often they are shown.
        loops: u16,
        /// How they are encoded.
        encoding: Encoding,
        /// What it carries.
        carries: Carries,
    },
}

/// Which blocks follow the pixels, in this order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Carries {
    icc: bool,
    xmp: bool,
}

/// The shape of a raster's bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Shape {
    width: u32,
    height: u32,
    has_alpha: bool,
}

impl Shape {
    fn of(raster: &Raster) -> Self {
        let Size { width, height } = raster.size();
        Self { width, height, has_alpha: raster.channels() == Channels::Rgba }
    }

    const fn size(self) -> Size {
        Size::new(self.width, self.height)
    }

    const fn channels(self) -> Channels {
        if self.has_alpha { Channels::Rgba } else { Channels::Rgb }
    }

    fn raster(self, data: &[u8]) -> Raster {
        Raster::new(self.size(), self.channels(), data.to_vec())
    }
}

/// What comes back: words, and bytes.
#[derive(Debug, Clone, PartialEq)]
pub struct Answer {
    /// What the bytes are, or why there are none.
    pub reply: Reply,
    /// The bytes.
    pub bytes: Vec<u8>,
}

/// What came of a job.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum Reply {
    /// A file.
    File,
    /// Pixels.
    Pixels(Shape),
    /// Pixels in four inks.
    Inks(Shape),
    /// The pixels of frames of one shape, each with its time in milliseconds.
    Frames(Shape, Vec<u16>),
    /// What an AVIF's header says.
    Avif(Box<avif::Told>),
    /// The file ends too early.
    Truncated(Source),
    /// The file is damaged.
    Damaged(Source, String),
    /// No file could be made.
    Failed(Format, String),
}

impl Answer {
    const fn words(reply: Reply) -> Self {
        Self { reply, bytes: Vec::new() }
    }

    fn file(bytes: Vec<u8>) -> Self {
        Self { reply: Reply::File, bytes }
    }

    fn frames(frames: Vec<Frame>) -> Self {
        let Some(first) = frames.first() else {
            return Self::words(Reply::Truncated(Source::Webp));
        };
        let shape = Shape::of(&first.raster);
        let millis = frames.iter().map(|frame| frame.millis).collect();
        let bytes = frames.into_iter().flat_map(|frame| frame.raster.into_data()).collect();
        Self { reply: Reply::Frames(shape, millis), bytes }
    }

    fn pixels(raster: Raster) -> Self {
        Self { reply: Reply::Pixels(Shape::of(&raster)), bytes: raster.into_data() }
    }
}

impl From<CodecError> for Answer {
    fn from(error: CodecError) -> Self {
        Self::words(match error {
            CodecError::Truncated(source) => Reply::Truncated(source),
            CodecError::Damaged { format, detail } => Reply::Damaged(format, detail),
            CodecError::Encode { format, detail } => Reply::Failed(format, detail),
            CodecError::Unsupported { format, flavour } => {
                Reply::Damaged(format, flavour.to_owned())
            }
            CodecError::Broken(broken) => Reply::Damaged(Source::Jpeg, broken.to_string()),
        })
    }
}

/// Does `job` on `parts` here and now.
pub fn perform(job: &Job, parts: &[&[u8]]) -> Answer {
    let part = |n: usize| parts.get(n).copied().unwrap_or_default();
    let carried = |carries: &Carries, from: usize| Extras {
        icc: carries.icc.then(|| part(from).to_vec()),
        xmp: carries.xmp.then(|| part(from + usize::from(carries.icc)).to_vec()),
    };
    let answer = match job {
        Job::DecodeJpeg(scale) => jpeg::pixels(part(0), *scale).map(|pixels| match pixels {
            Pixels::Rgb(raster) => Answer::pixels(raster),
            Pixels::Inks(size, inks) => {
                let shape = Shape { width: size.width, height: size.height, has_alpha: true };
                Answer { reply: Reply::Inks(shape), bytes: inks }
            }
        }),
        Job::CopyJpeg { orientation, carries } => {
            let turn = Orientation::from_exif((*orientation).into());
            jpeg_copy::copy(part(0), turn, &carried(carries, 1)).map(Answer::file)
        }
        Job::ReadAvif => {
            avif::header(part(0)).map(|told| Answer::words(Reply::Avif(Box::new(told))))
        }
        Job::DecodeAvif => avif::decode(part(0)).map(Answer::pixels),
        Job::DecodeWebpMotion(most) => webp_motion::decode(part(0), *most).map(Answer::frames),
        Job::Encode { shape, encoding, chroma, carries } => {
            encoded(&shape.raster(part(0)), *encoding, *chroma, &carried(carries, 1))
                .map(Answer::file)
        }
        Job::EncodeMotion { frames, loops, encoding, carries } => {
            let pictures = frames.iter().enumerate().map(|(n, (shape, millis))| Frame {
                raster: shape.raster(part(n)),
                millis: *millis,
            });
            let motion = Motion { frames: pictures.collect(), loops: *loops };
            encoded_motion(&motion, *encoding, &carried(carries, frames.len())).map(Answer::file)
        }
    };
    answer.unwrap_or_else(Answer::from)
}

fn encoded(
    raster: &Raster,
    encoding: Encoding,
    chroma: Chroma,
    extras: &Extras,
) -> Result<Vec<u8>, CodecError> {
    match encoding {
        Encoding::Jpeg(quality) => jpeg::encode(raster, quality.get(), chroma, extras),
        Encoding::Webp(quality) => webp::encode(raster, quality.get(), chroma, extras),
        Encoding::WebpLossless => webp::encode_lossless(raster, extras),
        Encoding::Avif(quality) => avif::encode(raster, quality.get(), chroma, extras),
        Encoding::Png => png::encode(raster, extras),
        Encoding::PngPalette(colours) => match Reduced::new(raster, colours.get()) {
            Some(reduced) => png::encode_palette(&reduced, extras),
            None => Err(CodecError::Encode {
                format: Format::Png,
                detail: "half transparent pixels need all the colours there are".to_owned(),
            }),
        },
        Encoding::Gif => gif::encode(raster),
    }
}

fn encoded_motion(
    motion: &Motion,
    encoding: Encoding,
    extras: &Extras,
) -> Result<Vec<u8>, CodecError> {
    match encoding {
        Encoding::Webp(quality) => webp_motion::encode(motion, Some(quality.get()), extras),
        Encoding::WebpLossless => webp_motion::encode(motion, None, extras),
        Encoding::Gif => gif::encode_motion(motion),
        other => Err(CodecError::Encode {
            format: other.format(),
            detail: "files in this format do not move".to_owned(),
        }),
    }
}

/// Has `job` done, elsewhere or here.
fn ask(job: &Job, parts: &[&[u8]], memory: Bytes) -> Result<Answer, CodecError> {
    match RUNNER.get() {
        Some(runner) => Ok(runner.run(job, parts, memory)?),
        None => Ok(perform(job, parts)),
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
            Broken::Crashed.into()
        }
    }
}

/// The pixels of a JPEG at `scale`; print colours are mixed by `inks`.
///
/// # Errors
/// [`CodecError::Truncated`] where the file ends before the last row is complete, else
/// [`CodecError::Damaged`] or [`CodecError::Broken`].
pub fn decode_jpeg(file: &[u8], scale: DctScale, inks: &Inks) -> Result<Raster, CodecError> {
    // Three samples a pixel as decoded, and two bytes for each of up to four coefficients.
    let memory = Bytes(jpeg::pixel_count(file) * 12 + file.len() as u64 * 2);
    let Answer { reply, bytes } = ask(&Job::DecodeJpeg(scale), &[file], memory)?;
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

/// A child's word is not taken for the length of what it sends.
fn fits(shape: Shape, bytes: &[u8]) -> bool {
    shape.size().pixels() * shape.channels().count() as u64 == bytes.len() as u64
}

/// A JPEG with the same coefficients as `file`; see [`jpeg_copy::copy`].
///
/// # Errors
/// [`CodecError::Damaged`] where the file cannot be read to its end.
pub fn copy_jpeg(
    file: &[u8],
    orientation: Orientation,
    extras: &Extras,
) -> Result<Vec<u8>, CodecError> {
    let (carries, blocks) = carried(extras);
    let job = Job::CopyJpeg { orientation: orientation.to_exif(), carries };
    let parts: Vec<&[u8]> = [file].into_iter().chain(blocks).collect();
    let memory = Bytes(jpeg::pixel_count(file) * 12 + file.len() as u64 * 4);
    made(ask(&job, &parts, memory)?)
}

/// What stands before the pixels of an AVIF.
///
/// # Errors
/// [`CodecError::Truncated`], [`CodecError::Damaged`] or [`CodecError::Broken`].
pub fn read_avif(file: &[u8]) -> Result<avif::Told, CodecError> {
    match ask(&Job::ReadAvif, &[file], Bytes(file.len() as u64 * 4))?.reply {
        Reply::Avif(told) => Ok(*told),
        reply => Err(refused(reply)),
    }
}

/// The pixels of the first picture of an AVIF.
///
/// # Errors
/// [`CodecError::Truncated`], [`CodecError::Damaged`] or [`CodecError::Broken`].
pub fn decode_avif(file: &[u8]) -> Result<Raster, CodecError> {
    let size = read_avif(file)?.header.size;
    // Planes of up to 16 bits in the decoder's frames, and the result.
    let memory = Bytes(size.pixels() * 30 + file.len() as u64 * 2);
    let Answer { reply, bytes } = ask(&Job::DecodeAvif, &[file], memory)?;
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
/// [`CodecError::Truncated`], [`CodecError::Damaged`] or [`CodecError::Broken`].
pub fn decode_webp_motion(file: &[u8], size: Size, count: u32) -> Result<Vec<Frame>, CodecError> {
    // Each frame as it goes out, and the two that the decoder works on.
    let memory = Bytes(size.pixels() * 4 * (2 * u64::from(count) + 4) + file.len() as u64 * 2);
    let Answer { reply, bytes } = ask(&Job::DecodeWebpMotion(count), &[file], memory)?;
    match reply {
        Reply::Frames(shape, millis) if shape.size() == size => {
            let each = shape.size().pixels() as usize * shape.channels().count();
            if each == 0 || bytes.len() != each * millis.len() {
                return Err(Broken::Crashed.into());
            }
            let frame = |(pixels, millis)| Frame { raster: shape.raster(pixels), millis };
            Ok(bytes.chunks_exact(each).zip(millis).map(frame).collect())
        }
        reply => Err(refused(reply)),
    }
}

/// `raster` as a file.
///
/// # Errors
/// [`CodecError::Encode`] or [`CodecError::Broken`].
pub fn encode(raster: &Raster, encoding: Encoding, extras: &Extras) -> Result<Vec<u8>, CodecError> {
    let chroma = match encoding {
        Encoding::Jpeg(quality) => Chroma::for_jpeg(raster, quality.get()),
        Encoding::Avif(_) | Encoding::Webp(_) => Chroma::for_video_codecs(raster),
        _ => Chroma::Full,
    };
    let (carries, blocks) = carried(extras);
    let job = Job::Encode { shape: Shape::of(raster), encoding, chroma, carries };
    let parts: Vec<&[u8]> = [raster.data()].into_iter().chain(blocks).collect();
    made(ask(&job, &parts, memory(encoding, raster.size().pixels()))?)
}

/// `motion` as a file.
///
/// # Errors
/// [`CodecError::Encode`] or [`CodecError::Broken`].
pub fn encode_motion(
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
    made(ask(&job, &parts, Bytes(pixels * 16 + (64 << 20)))?)
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
