//! Files that encoders from outside make, and JPEGs that they keep as they are in fewer bytes.

use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::format::Format;
use brisk_margin_core::outside::{Arguments, OutsideEncoder, Takes};
use brisk_margin_core::outside_encoding::OutsideEncoding;

use crate::codec::error::CodecFailure;
use crate::codec::extras::Extras;
use crate::codec::{CodecError, png};
use crate::codecs::{Codecs, ProgramCall};
use crate::encode::EncodeError;
use crate::own_colours::OwnColours;
use crate::raster::{Channels, Raster};

/// Who makes files: our own encoders, and a site's from outside.
#[derive(Debug, Clone, Copy)]
pub struct Encoders<'a> {
    /// Our own, and the decoders of everything.
    pub codecs: &'a Codecs,
    /// The site's.
    pub outside: &'a [OutsideEncoder],
}

impl<'a> From<&'a Codecs> for Encoders<'a> {
    fn from(codecs: &'a Codecs) -> Self {
        Self { codecs, outside: &[] }
    }
}

impl<'a> Encoders<'a> {
    /// Those from outside that make `format`.
    pub fn making(self, format: Format) -> impl Iterator<Item = &'a OutsideEncoder> {
        self.outside.iter().filter(move |encoder| encoder.makes == format)
    }

    /// Encodes `raster` as [`Codecs::encode`] does, or by the encoder from outside that `encoding` names.
    ///
    /// # Errors
    /// As [`Codecs::encode`]; [`EncodeError::NotSetUp`] where no encoder is meant.
    pub fn encode(
        self,
        raster: &Raster,
        encoding: Encoding,
        extras: &Extras,
    ) -> Result<Vec<u8>, EncodeError> {
        let Encoding::Outside(how) = encoding else {
            return self.codecs.encode(raster, encoding, extras);
        };
        how.makes.check_size(raster.size())?;
        let encoder = self.outside.iter().find(|encoder| encoder.key() == how.by);
        let encoder = encoder.ok_or(EncodeError::NotSetUp(how.makes))?;
        Ok(Program { codecs: self.codecs, encoder }.encoded(raster, how, extras)?)
    }

    /// `jpeg` in fewer bytes in `format`, by the first encoder that finds the way there, and back to every byte of it;
    /// nothing where none does.
    ///
    /// # Errors
    /// Those of the machine alone.
    pub fn transcoded(self, jpeg: &[u8], format: Format) -> Result<Option<Vec<u8>>, CodecFailure> {
        for encoder in self.making(format) {
            match (Program { codecs: self.codecs, encoder }).there_and_back(jpeg) {
                Ok(None) => {}
                Err(failure) if failure.is_transient() => return Err(failure),
                Ok(file) => return Ok(file),
                // Its kind of JPEG may be one that the program does not take.
                Err(_) => {}
            }
        }
        Ok(None)
    }
}

/// An encoder, and the way to run it.
struct Program<'a> {
    codecs: &'a Codecs,
    encoder: &'a OutsideEncoder,
}

impl Program<'_> {
    /// A program may drop a profile: where there is one, its pixels are brought to sRGB, which needs none.
    fn encoded(
        &self,
        raster: &Raster,
        how: OutsideEncoding,
        extras: &Extras,
    ) -> Result<Vec<u8>, CodecError> {
        let Some(icc) = &extras.icc else { return self.plain(raster, how, extras) };
        let mut converted = raster.clone();
        OwnColours::of_profile(self.codecs, icc).convert(&mut converted)?;
        self.plain(&converted, how, extras)
    }

    fn plain(
        &self,
        raster: &Raster,
        how: OutsideEncoding,
        extras: &Extras,
    ) -> Result<Vec<u8>, CodecError> {
        let encoder = self.encoder;
        let input = match encoder.takes {
            Takes::Png => {
                let carried = Extras { icc: None, xmp: extras.xmp.clone() };
                png::encode_fast_with(raster, &carried)?
            }
            Takes::Ppm => ppm(raster).ok_or_else(|| CodecFailure::Program {
                name: encoder.name.clone(),
                words: "PPM has no transparency: let it take PNG".to_owned(),
            })?,
        };
        let words = match (how.quality, &encoder.lossless) {
            (None, Some(lossless)) => lossless,
            _ => &encoder.arguments,
        };
        let quality = how.quality.map(|quality| quality.whole());
        let command = (encoder.program.as_str(), words);
        let input = (encoder.takes.extension(), input.as_slice());
        Ok(self.run(command, quality, input, how.makes.extension())?)
    }

    fn there_and_back(&self, jpeg: &[u8]) -> Result<Option<Vec<u8>>, CodecFailure> {
        let encoder = self.encoder;
        let Some(way) = &encoder.transcoding else { return Ok(None) };
        let extension = encoder.makes.extension();
        let there = (encoder.program.as_str(), &way.there);
        let file = self.run(there, None, ("jpg", jpeg), extension)?;
        let back = (way.back_program.as_str(), &way.back);
        let again = self.run(back, None, (extension, &file), "jpg")?;
        Ok((again == jpeg && file.len() < jpeg.len()).then_some(file))
    }

    /// What a command makes of an input with the extension `from`.
    fn run(
        &self,
        (program, words): (&str, &Arguments),
        quality: Option<u8>,
        (from, input): (&str, &[u8]),
        to: &str,
    ) -> Result<Vec<u8>, CodecFailure> {
        let (source, output) = (format!("in.{from}"), format!("out.{to}"));
        self.codecs.run_program(&ProgramCall {
            name: &self.encoder.name,
            program,
            arguments: words.filled(&source, &output, quality, self.encoder.effort),
            input: (&source, input),
            output: &output,
            patience: self.encoder.patience(),
        })
    }
}

/// `raster` as a PPM (Netpbm, P6, 8 bits); nothing where it is transparent.
fn ppm(raster: &Raster) -> Option<Vec<u8>> {
    if raster.channels() != Channels::Rgb {
        return None;
    }
    let head = format!("P6\n{} {}\n255\n", raster.size().width, raster.size().height);
    Some([head.as_bytes(), raster.data()].concat())
}
