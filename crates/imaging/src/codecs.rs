//! Where codecs run: in this process, or in processes of their own that a [`RemoteCodec`] keeps.
//!
//! Untrusted bytes are read in [`Job`]s only. A program that handles other people's
//! files hands in a [`RemoteCodec`], whose processes answer with [`job::perform`].

use std::sync::Arc;
use std::time::Duration;

use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::facts::PictureFacts;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::units::Bytes;

use crate::chroma::Chroma;
use crate::codec::CodecError;
use crate::codec::error::CodecFailure;
use crate::codec::extras::Extras;
use crate::codec::jpeg::DctScale;
use crate::effort::Effort;
use crate::job::{self, Answer, Carries, Job, Reply, Shape};
use crate::lossless::LosslessError;
use crate::motion::{Frame, Motion};
use crate::picture_error::PictureError;
use crate::raster::Raster;
use crate::reading::{self, Opened};

/// Does jobs in another process.
pub trait RemoteCodec: Send + Sync {
    /// The answer to `job`, whose bytes stand in `parts`; it may take `memory`.
    ///
    /// # Errors
    /// [`CodecFailure`] where there is none, for whatever reason.
    fn run(&self, job: &Job, parts: &[&[u8]], memory: Bytes) -> Result<Answer, CodecFailure>;

    /// What a program from outside makes of a file.
    ///
    /// # Errors
    /// [`CodecFailure::Program`] with what it said, else as [`Self::run`].
    fn run_program(&self, call: &ProgramCall<'_>) -> Result<Vec<u8>, CodecFailure>;

    /// The programs from outside that it runs, with their whole paths.
    fn programs(&self) -> &[String];

    /// Ends what it does, and begins nothing more: whoever waits gets a [`CodecFailure`].
    fn end(&self);

    /// What of its protection does not hold, in words; nothing where all of it does.
    fn weakness(&self) -> Option<String>;
}

/// A call of a program that makes one file of another.
#[derive(Debug)]
pub struct ProgramCall<'a> {
    /// What the site calls it.
    pub name: &'a str,
    /// The program, with its whole path.
    pub program: &'a str,
    /// Its words, in which both files are called by their names alone.
    pub arguments: Vec<String>,
    /// What it reads: a name, and the bytes.
    pub input: (&'a str, &'a [u8]),
    /// The name of what it writes.
    pub output: &'a str,
    /// How long it may take.
    pub patience: Duration,
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

    /// Ends what is done elsewhere, for a process that ends; nothing is done there afterwards.
    pub fn end(&self) {
        if let Some(remote) = &self.0 {
            remote.end();
        }
    }

    /// The programs from outside that are run, with their whole paths.
    pub fn programs(&self) -> &[String] {
        self.0.as_ref().map_or(&[], |remote| remote.programs())
    }

    /// What of the protection against hostile files does not hold, in words; nothing where all of it
    /// does.
    pub fn weakness(&self) -> Option<String> {
        match &self.0 {
            Some(remote) => remote.weakness(),
            None => Some("files are read in the process that serves".to_owned()),
        }
    }

    fn run(&self, job: &Job, parts: &[&[u8]], memory: Bytes) -> Result<Answer, CodecError> {
        match &self.0 {
            Some(remote) => Ok(remote.run(job, parts, memory)?),
            None => Ok(job::perform(job, parts.iter().map(|&part| part.into()).collect())),
        }
    }

    /// What a program from outside makes of a file.
    ///
    /// # Errors
    /// Those of [`RemoteCodec::run_program`]; in this process no program is run.
    pub(crate) fn run_program(&self, call: &ProgramCall<'_>) -> Result<Vec<u8>, CodecFailure> {
        match &self.0 {
            Some(remote) => remote.run_program(call),
            None => Err(CodecFailure::NotStarted("no programs are run here".to_owned())),
        }
    }

    /// What `file` says before its pixels.
    ///
    /// # Errors
    /// [`PictureError`].
    pub(crate) fn open(&self, file: &[u8]) -> Result<Opened, PictureError> {
        reading::format_of(file)?;
        let Answer { reply, bytes } = self.run(&Job::Open, &[file], reading_memory(file))?;
        match reply {
            Reply::Opened(opened, has_icc) if opened.is_sound() => {
                Ok(Opened { icc: has_icc.then_some(bytes), ..*opened })
            }
            Reply::NotTaken(error) => Err(error),
            reply => Err(refused(reply).into()),
        }
    }

    /// The pixels of `file` as a browser shows them, turned as its metadata say; nothing is told of
    /// what is no picture.
    pub fn shown_size(&self, file: &[u8]) -> Option<Size> {
        match self.run(&Job::ShowSize, &[file], reading_memory(file)).ok()?.reply {
            Reply::Shown(size) => size.filter(|size| size.width > 0 && size.height > 0),
            _ => None,
        }
    }

    /// Whether every byte of `file` can be read.
    ///
    /// # Errors
    /// [`CodecError::Truncated`], [`CodecError::Damaged`] or [`CodecError::CodecFailure`].
    pub fn verify(&self, facts: &PictureFacts, file: &[u8]) -> Result<(), CodecError> {
        let memory = match facts.format {
            SourceFormat::Svg => drawing_memory(file, Size::new(64, 64)),
            _ => decoding_memory(facts, file),
        };
        match self.run(&Job::Verify(facts.format), &[file], memory)?.reply {
            Reply::Whole => Ok(()),
            reply => Err(refused(reply)),
        }
    }

    /// The pixels of `file` as stored, a JPEG's at `scale`; print colours are mixed by `icc`.
    ///
    /// # Errors
    /// [`CodecError::Truncated`] where the file ends before the last row is complete, else
    /// [`CodecError::Damaged`] or [`CodecError::CodecFailure`].
    pub(crate) fn pixels(
        &self,
        facts: &PictureFacts,
        file: &[u8],
        scale: DctScale,
        icc: Option<&[u8]>,
    ) -> Result<Raster, CodecError> {
        let job = Job::Decode { format: facts.format, scale, icc: icc.is_some() };
        let parts: Vec<&[u8]> = [file].into_iter().chain(icc).collect();
        let memory = match facts.format {
            SourceFormat::Svg => drawing_memory(file, facts.size),
            _ => decoding_memory(facts, file),
        };
        raster(self.run(&job, &parts, memory)?)
    }

    /// Brings `raster` from the colours of the profile `icc`, or from Display P3, to sRGB.
    ///
    /// # Errors
    /// [`CodecError::CodecFailure`].
    pub(crate) fn to_srgb(
        &self,
        raster: &mut Raster,
        icc: Option<&[u8]>,
    ) -> Result<(), CodecError> {
        let shape = Shape::of(raster);
        let job = Job::ToSrgb { shape, icc: icc.is_some() };
        let parts: Vec<&[u8]> = [raster.data()].into_iter().chain(icc).collect();
        let answer = self.run(&job, &parts, conversion_memory(&parts))?;
        match answer.reply {
            Reply::Pixels(same) if same == shape && fits(shape, &answer.bytes) => {
                raster.data_mut().copy_from_slice(&answer.bytes);
                Ok(())
            }
            reply => Err(refused(reply)),
        }
    }

    /// The same for light of 16 bits a sample, `each` samples a pixel.
    ///
    /// # Errors
    /// [`CodecError::CodecFailure`].
    pub(crate) fn light_to_srgb(
        &self,
        light: &mut [u16],
        each: usize,
        icc: Option<&[u8]>,
    ) -> Result<(), CodecError> {
        let bytes: Vec<u8> = light.iter().flat_map(|sample| sample.to_le_bytes()).collect();
        let job = Job::LightToSrgb { each, icc: icc.is_some() };
        let parts: Vec<&[u8]> = [bytes.as_slice()].into_iter().chain(icc).collect();
        let answer = self.run(&job, &parts, conversion_memory(&parts))?;
        match answer.reply {
            Reply::Light if answer.bytes.len() == bytes.len() => {
                let (samples, _) = answer.bytes.as_chunks();
                for (to, &from) in light.iter_mut().zip(samples) {
                    *to = u16::from_le_bytes(from);
                }
                Ok(())
            }
            reply => Err(refused(reply)),
        }
    }

    /// The part `crop` of the drawing `file`, in pixels of its own size, at the size `output`.
    ///
    /// # Errors
    /// [`CodecError::Damaged`] or [`CodecError::CodecFailure`].
    pub fn draw(&self, file: &[u8], crop: Rect, output: Size) -> Result<Raster, CodecError> {
        let drawn = self.run(&Job::Draw { crop, output }, &[file], drawing_memory(file, output))?;
        raster(drawn).and_then(|raster| match raster.size() == output {
            true => Ok(raster),
            false => Err(CodecFailure::Crashed.into()),
        })
    }

    /// The drawing `file` as it is served; see [`minified`](crate::drawing::minified).
    ///
    /// # Errors
    /// [`CodecError::Damaged`] or [`CodecError::CodecFailure`].
    pub(crate) fn minified(&self, file: &[u8]) -> Result<String, CodecError> {
        const LOOKED_AT: Size = Size::new(1_024, 1_024);
        let text = made(self.run(&Job::Minify, &[file], drawing_memory(file, LOOKED_AT))?)?;
        String::from_utf8(text).map_err(|_| CodecFailure::Crashed.into())
    }

    /// A copy of `file` without loss; see [`copied`](crate::lossless::copied).
    ///
    /// # Errors
    /// [`LosslessError`].
    pub(crate) fn copy(
        &self,
        facts: &PictureFacts,
        file: &[u8],
        xmp: Option<&[u8]>,
    ) -> Result<Vec<u8>, LosslessError> {
        let parts: Vec<&[u8]> = [file].into_iter().chain(xmp).collect();
        // Both are decoded to be compared, and one is encoded.
        let memory = Bytes(decoding_memory(facts, file).get() * 2 + facts.size.pixels() * 40);
        let answer = self.run(&Job::Copy { xmp: xmp.is_some() }, &parts, memory)?;
        match answer.reply {
            Reply::NotCopied(error) => Err(error),
            _ => Ok(made(answer)?),
        }
    }

    /// `raster` as a file, as it is, with `effort`.
    ///
    /// # Errors
    /// [`CodecError::Encode`] or [`CodecError::CodecFailure`].
    pub(crate) fn encode_pixels(
        &self,
        raster: &Raster,
        encoding: Encoding,
        effort: Effort,
        extras: &Extras,
    ) -> Result<Vec<u8>, CodecError> {
        let chroma = match encoding {
            Encoding::Jpeg(quality) => Chroma::for_jpeg(raster, quality),
            Encoding::Avif(quality) => Chroma::for_avif(raster, quality),
            Encoding::AvifFullChroma(_) => Chroma::Full,
            Encoding::Webp(_) => Chroma::for_webp(raster),
            _ => Chroma::Full,
        };
        let (carries, blocks) = carried(extras);
        let job = Job::Encode { shape: Shape::of(raster), encoding, chroma, effort, carries };
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

    /// The frames of `file`, each as it is shown, and how often they are.
    ///
    /// # Errors
    /// [`CodecError::Unsupported`] for formats whose frames are not read, else those of decoding.
    pub(crate) fn frames(&self, facts: &PictureFacts, file: &[u8]) -> Result<Motion, CodecError> {
        // Each frame as it goes out, and the two that the decoder works on.
        let frames = 2 * u64::from(facts.frames) + 4;
        let memory = Bytes(facts.size.pixels() * 4 * frames + file.len() as u64 * 2);
        let job = Job::DecodeMotion(facts.format, facts.frames);
        let Answer { reply, bytes } = self.run(&job, &[file], memory)?;
        match reply {
            Reply::Frames(shape, millis, loops) if shape.size() == facts.size => {
                let each = shape.size().pixels() as usize * shape.channels().count();
                if millis.is_empty() || bytes.len() != each * millis.len() {
                    return Err(CodecFailure::Crashed.into());
                }
                let frame = |(pixels, millis): (&[u8], u16)| Frame {
                    raster: shape.raster(pixels.to_vec()).without_idle_alpha(),
                    millis,
                };
                Ok(Motion {
                    frames: bytes.chunks_exact(each).zip(millis).map(frame).collect(),
                    loops,
                })
            }
            reply => Err(refused(reply)),
        }
    }

    /// The frames of `file`, which is of `format`, each as it is shown.
    ///
    /// # Errors
    /// Those of reading and decoding it.
    pub fn decode_motion(&self, format: SourceFormat, file: &[u8]) -> Result<Motion, CodecError> {
        self.frames(&self.made_facts(format, file)?, file)
    }

    /// The facts of `file`, which was made in `format`.
    pub(crate) fn made_facts(
        &self,
        format: SourceFormat,
        file: &[u8],
    ) -> Result<PictureFacts, CodecError> {
        match self.open(file) {
            Ok(opened) if opened.facts.format == format => Ok(opened.facts),
            Err(PictureError::Codec(error)) => Err(error),
            _ => Err(CodecError::Damaged { format, detail: "it is something else".to_owned() }),
        }
    }
}

fn raster(answer: Answer) -> Result<Raster, CodecError> {
    let Answer { reply, bytes } = answer;
    match reply {
        Reply::Pixels(shape) if fits(shape, &bytes) => {
            Ok(Raster::new(shape.size(), shape.channels(), bytes))
        }
        reply => Err(refused(reply)),
    }
}

/// What an answer means that is not the one that was asked for. Another kind of answer, or bytes
/// that do not fit their words, come from a process that went wrong.
fn refused(reply: Reply) -> CodecError {
    match reply {
        Reply::Refused(error) => error,
        _ => CodecFailure::Crashed.into(),
    }
}

/// A child's word is not taken for the length of what it sends.
fn fits(shape: Shape, bytes: &[u8]) -> bool {
    shape.size().pixels() * shape.channels().count() as u64 == bytes.len() as u64
}

/// What reading the header of `file` may take: a drawing becomes a tree of its elements.
fn reading_memory(file: &[u8]) -> Bytes {
    Bytes(file.len() as u64 * 60 + (64 << 20))
}

/// What decoding `file` may take, as the libraries do it.
fn decoding_memory(facts: &PictureFacts, file: &[u8]) -> Bytes {
    let each = match facts.format {
        // Three samples a pixel as decoded, and two bytes for each of up to four coefficients.
        SourceFormat::Jpeg => 12,
        // Planes of up to 16 bits in the decoder's frames, and the result.
        SourceFormat::Avif => 30,
        _ => 20,
    };
    Bytes(facts.size.pixels() * each + file.len() as u64 * 2 + (16 << 20))
}

/// What bringing pixels to sRGB may take: they come, are turned to samples, and go; tables of the
/// profile besides.
fn conversion_memory(parts: &[&[u8]]) -> Bytes {
    let bytes: usize = parts.iter().map(|part| part.len()).sum();
    Bytes(bytes as u64 * 6 + (64 << 20))
}

/// What drawing `file` at `output` may take: its tree, its pixels twice, and four groups within each
/// other that are laid on as a whole.
fn drawing_memory(file: &[u8], output: Size) -> Bytes {
    Bytes(reading_memory(file).get() + output.pixels() * 4 * 6 + (64 << 20))
}

/// What encoding so many pixels may take at most: guesses with room, not measured yet.
fn memory(encoding: Encoding, pixels: u64) -> Bytes {
    let each = match encoding {
        Encoding::Jpeg(_) => 40,
        Encoding::Webp(_) => 40,
        Encoding::WebpLossless | Encoding::WebpPalette(_) => 120,
        Encoding::Avif(_) | Encoding::AvifFullChroma(_) => 160,
        Encoding::Png | Encoding::PngPalette(_) | Encoding::Gif | Encoding::Outside(_) => 80,
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
