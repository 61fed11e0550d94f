//! Jobs for codecs: what is done with untrusted bytes, as plain values that can be sent to another
//! process, and how one is done.

use std::borrow::Cow;

use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::source_format::SourceFormat;
use serde::{Deserialize, Serialize};

use crate::chroma::Chroma;
use crate::codec::extras::Extras;
use crate::codec::jpeg::DctScale;
use crate::codec::{CodecError, avif, gif, jpeg, png, svg, webp, webp_motion};
use crate::colour;
use crate::drawing::minified;
use crate::effort::Effort;
use crate::lossless::{self, LosslessError};
use crate::motion::{Frame, Motion};
use crate::palette::Reduced;
use crate::picture_error::PictureError;
use crate::raster::{Channels, Raster};
use crate::reading::{self, Opened};

/// What is asked for; the bytes that it is about go beside it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum Job {
    /// What a file says before its pixels.
    Open,
    /// The size that a browser would show a file at.
    ShowSize,
    /// Whether a file is whole.
    Verify(SourceFormat),
    /// The pixels of a file as stored, a JPEG's at a scale.
    Decode {
        /// Its format.
        format: SourceFormat,
        /// At which scale.
        scale: DctScale,
        /// Whether its colour profile stands beside it.
        icc: bool,
    },
    /// The frames of a file, so many at most.
    DecodeMotion(SourceFormat, u32),
    /// Pixels in sRGB instead of the colours of a profile that stands beside them, or of Display P3.
    ToSrgb {
        /// The pixels' shape.
        shape: Shape,
        /// Whether a profile stands beside them.
        icc: bool,
    },
    /// The same for light of 16 bits a sample, little endian.
    LightToSrgb {
        /// Samples of a pixel: 3 or 4.
        each: usize,
        /// Whether a profile stands beside it.
        icc: bool,
    },
    /// A part of a drawing.
    Draw {
        /// The part, in pixels of its own size.
        crop: Rect,
        /// The size it is drawn at.
        output: Size,
    },
    /// A drawing in fewer bytes.
    Minify,
    /// A copy of a file without loss, with an XMP packet where one stands beside it.
    Copy {
        /// Whether one does.
        xmp: bool,
    },
    /// A file.
    Encode {
        /// The pixels' shape.
        shape: Shape,
        /// How they are encoded.
        encoding: Encoding,
        /// At which resolution colour is kept, where there is a choice.
        chroma: Chroma,
        /// How long the encoder looks, where there is a choice.
        effort: Effort,
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

impl Job {
    /// Whether a file is made, and trying makes it smaller.
    pub const fn makes_a_file(&self) -> bool {
        matches!(self, Self::Copy { .. } | Self::Encode { .. } | Self::EncodeMotion { .. })
    }
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
    pub fn raster(self, data: Vec<u8>) -> Raster {
        Raster::new(self.size(), self.channels(), data)
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
    /// Light of 16 bits a sample, little endian.
    Light,
    /// The pixels of frames of one shape, each with its time in milliseconds, and how often they
    /// are shown.
    Frames(Shape, Vec<u16>, u16),
    /// What a file says before its pixels; the bytes are its colour profile, where it has one.
    Opened(Box<Opened>, bool),
    /// At which size a file would be shown; nothing where it is no picture.
    Shown(Option<Size>),
    /// Nothing is wrong.
    Whole,
    /// The file is not taken.
    NotTaken(PictureError),
    /// There is no copy.
    NotCopied(LosslessError),
    /// The codec did not do it.
    Refused(CodecError),
}

impl Answer {
    const fn words(reply: Reply) -> Self {
        Self { reply, bytes: Vec::new() }
    }

    fn file(bytes: Vec<u8>) -> Self {
        Self { reply: Reply::File, bytes }
    }

    fn frames(Motion { frames, loops }: Motion) -> Self {
        let shape = Shape::of(&frames[0].raster);
        let millis = frames.iter().map(|frame| frame.millis).collect();
        let bytes = frames.into_iter().flat_map(|frame| frame.raster.into_data()).collect();
        Self { reply: Reply::Frames(shape, millis, loops), bytes }
    }

    fn opened(mut opened: Opened) -> Self {
        let icc = opened.icc.take();
        let reply = Reply::Opened(Box::new(opened), icc.is_some());
        Self { reply, bytes: icc.unwrap_or_default() }
    }

    fn pixels(raster: Raster) -> Self {
        Self { reply: Reply::Pixels(Shape::of(&raster)), bytes: raster.into_data() }
    }
}

impl From<CodecError> for Answer {
    fn from(error: CodecError) -> Self {
        Self::words(Reply::Refused(error))
    }
}

/// Does `job` on `parts` here and now. Pixels are copied only where they are borrowed.
pub fn perform(job: &Job, parts: Vec<Cow<'_, [u8]>>) -> Answer {
    let part = |n: usize| parts.get(n).map(AsRef::as_ref).unwrap_or_default();
    let carried = |carries: &Carries, from: usize| Extras {
        icc: carries.icc.then(|| part(from).to_vec()),
        xmp: carries.xmp.then(|| part(from + usize::from(carries.icc)).to_vec()),
    };
    let file = part(0);
    let answer = match job {
        Job::Open => {
            return reading::open(file)
                .map_or_else(|error| Answer::words(Reply::NotTaken(error)), Answer::opened);
        }
        Job::ShowSize => Ok(Answer::words(Reply::Shown(reading::shown_size(file)))),
        Job::Verify(format) => reading::verify(*format, file).map(|()| Answer::words(Reply::Whole)),
        Job::Decode { format, scale, icc } => {
            reading::pixels(*format, file, *scale, icc.then(|| part(1))).map(Answer::pixels)
        }
        Job::DecodeMotion(format, most) => {
            reading::motion(*format, file, *most).map(Answer::frames)
        }
        Job::ToSrgb { shape, icc } => {
            let profile = colour::profile(icc.then(|| part(1)));
            let mut raster = shape.raster(first(parts));
            profile.inspect(|profile| profile.convert(&mut raster));
            Ok(Answer::pixels(raster))
        }
        Job::LightToSrgb { each, icc } => {
            let (samples, _) = part(0).as_chunks();
            let mut light: Vec<u16> = samples.iter().map(|&two| u16::from_le_bytes(two)).collect();
            let profile = colour::profile(icc.then(|| part(1)));
            profile.inspect(|profile| profile.convert_light(&mut light, *each));
            let bytes = light.into_iter().flat_map(u16::to_le_bytes).collect();
            Ok(Answer { reply: Reply::Light, bytes })
        }
        Job::Draw { crop, output } => svg::draw(file, *crop, *output).map(Answer::pixels),
        Job::Minify => minified(file).map(|text| Answer::file(text.into_bytes())),
        Job::Copy { xmp } => {
            return lossless::copied(file, xmp.then(|| part(1).to_vec()))
                .map_or_else(|error| Answer::words(Reply::NotCopied(error)), Answer::file);
        }
        Job::Encode { shape, encoding, chroma, effort, carries } => {
            let extras = carried(carries, 1);
            let raster = shape.raster(first(parts));
            encoded(&raster, *encoding, (*chroma, *effort), &extras).map(Answer::file)
        }
        Job::EncodeMotion { frames, loops, encoding, carries } => {
            let pictures = frames.iter().enumerate().map(|(n, (shape, millis))| Frame {
                raster: shape.raster(part(n).to_vec()),
                millis: *millis,
            });
            let motion = Motion { frames: pictures.collect(), loops: *loops };
            encoded_motion(&motion, *encoding, &carried(carries, frames.len())).map(Answer::file)
        }
    };
    answer.unwrap_or_else(Answer::from)
}

fn first(mut parts: Vec<Cow<'_, [u8]>>) -> Vec<u8> {
    if parts.is_empty() { Vec::new() } else { parts.swap_remove(0).into_owned() }
}

fn encoded(
    raster: &Raster,
    encoding: Encoding,
    (chroma, effort): (Chroma, Effort),
    extras: &Extras,
) -> Result<Vec<u8>, CodecError> {
    match encoding {
        Encoding::Jpeg(quality) => jpeg::encode(raster, quality, chroma, extras),
        Encoding::Webp(quality) => webp::encode(raster, quality, chroma, extras),
        Encoding::WebpLossless => webp::encode_lossless(raster, effort, extras),
        Encoding::Avif(quality) | Encoding::AvifFullChroma(quality) => {
            avif::encode(raster, quality.whole(), chroma, effort, extras)
        }
        Encoding::Png => png::encode(raster, extras),
        Encoding::WebpPalette(palette) => {
            webp::encode_lossless(&Reduced::new(raster, palette).raster(), effort, extras)
        }
        Encoding::PngPalette(palette) => {
            png::encode_palette(&Reduced::new(raster, palette), extras)
        }
        Encoding::Gif => gif::encode(raster),
        // Programs from outside are none of the jobs that codecs do.
        Encoding::Outside(how) => Err(CodecError::Encode {
            format: how.makes,
            detail: "only an encoder from outside makes it".to_owned(),
        }),
    }
}

fn encoded_motion(
    motion: &Motion,
    encoding: Encoding,
    extras: &Extras,
) -> Result<Vec<u8>, CodecError> {
    match encoding {
        Encoding::Webp(quality) => webp_motion::encode(motion, Some(quality), extras),
        Encoding::WebpLossless => webp_motion::encode(motion, None, extras),
        Encoding::Gif => gif::encode_motion(motion),
        other => Err(CodecError::Encode {
            format: other.format(),
            detail: "files in this format do not move".to_owned(),
        }),
    }
}
