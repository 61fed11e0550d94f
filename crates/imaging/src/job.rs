//! Jobs for codecs: what C code is asked to do with untrusted bytes, as plain values that can be
//! sent to another process, and how one is done.

use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::orientation::Orientation;
use brisk_margin_core::source_format::SourceFormat;
use serde::{Deserialize, Serialize};

use crate::chroma::Chroma;
use crate::codec::avif::AvifHeader;
use crate::codec::extras::Extras;
use crate::codec::jpeg::{DctScale, Pixels};
use crate::codec::{CodecError, avif, gif, jpeg, jpeg_copy, png, webp, webp_motion};
use crate::motion::{Frame, Motion};
use crate::palette::Reduced;
use crate::raster::{Channels, Raster};

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
    /// A colour profile.
    pub icc: bool,
    /// An XMP packet.
    pub xmp: bool,
}

/// The shape of a raster's bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Shape {
    width: u32,
    height: u32,
    has_alpha: bool,
}

impl Shape {
    /// That of `raster`.
    pub fn of(raster: &Raster) -> Self {
        let Size { width, height } = raster.size();
        Self { width, height, has_alpha: raster.channels() == Channels::Rgba }
    }

    /// Pixels across and down.
    pub const fn size(self) -> Size {
        Size::new(self.width, self.height)
    }

    /// With alpha or without.
    pub const fn channels(self) -> Channels {
        if self.has_alpha { Channels::Rgba } else { Channels::Rgb }
    }

    /// Its pixels as a raster.
    pub fn raster(self, data: &[u8]) -> Raster {
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
    Avif(Box<AvifHeader>),
    /// The file ends too early.
    Truncated(SourceFormat),
    /// The file is damaged.
    Damaged(SourceFormat, String),
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
            return Self::words(Reply::Truncated(SourceFormat::Webp));
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
            CodecError::CodecFailure(broken) => {
                Reply::Damaged(SourceFormat::Jpeg, broken.to_string())
            }
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
