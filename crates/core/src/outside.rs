//! Encoders from outside: programs that a site names to make files in a format, or lighter files than we do.

use std::collections::BTreeSet;
use std::str::FromStr;
use std::time::Duration;

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::cache_key::CacheKey;
use crate::encoding::{Encoding, Quality};
use crate::format::Format;
use crate::outside_encoding::{EncoderKey, OutsideEncoding};

/// What an encoder gets and gives, as words of its command line name it.
const PLACES: [&str; 4] = ["in", "out", "quality", "effort"];

/// A program that makes files of a format.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct OutsideEncoder {
    /// What the site calls it; one name is never twice in a site.
    pub name: String,
    /// The program, with its whole path.
    pub program: String,
    /// The format that it makes.
    pub makes: Format,
    /// The file that it gets.
    pub takes: Takes,
    /// Its words for a file at a quality.
    pub arguments: Arguments,
    /// Its words for a file without loss, where it makes such.
    pub lossless: Option<Arguments>,
    /// How it keeps a JPEG as it is in fewer bytes, where it can.
    pub transcoding: Option<Transcoding>,
    /// The lowest quality that it takes, from 1.
    pub lowest: u8,
    /// The highest, up to 100.
    pub highest: u8,
    /// How hard it tries, on its own scale: what stands for `{effort}`.
    pub effort: u8,
    /// How long it may take for a file.
    pub seconds: u16,
}

/// The files that programs get.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum Takes {
    /// PNG, with transparency where there is some.
    #[default]
    Png,
    /// PPM (Netpbm, P6), which has none.
    Ppm,
}

impl Takes {
    /// The extension of such files.
    pub const fn extension(self) -> &'static str {
        match self {
            Self::Png => "png",
            Self::Ppm => "ppm",
        }
    }
}

/// A way there and back: a JPEG in another coat, from which the same JPEG comes again.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Transcoding {
    /// The words of the encoder's program that make a file of a JPEG.
    pub there: Arguments,
    /// The program that makes the JPEG again, with its whole path.
    pub back_program: String,
    /// Its words.
    pub back: Arguments,
}

/// The words of a command, with places for what changes from file to file. They are given as they stand: there is no
/// shell, and nothing is quoted.
///
/// ```
/// use brisk_margin_core::outside::Arguments;
///
/// let words: Arguments = "--quality {quality} {in} {out}".parse()?;
/// assert_eq!(words.filled("a.png", "b.jxl", Some(80), 7), ["--quality", "80", "a.png", "b.jxl"]);
/// assert!("{in} {size} {out}".parse::<Arguments>().is_err());
/// # Ok::<_, brisk_margin_core::outside::OutsideError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(value_type = String))]
pub struct Arguments(String);

impl Arguments {
    /// Whether they say how faithful a file is to be.
    pub fn have_quality(&self) -> bool {
        self.0.contains("{quality}")
    }

    /// The words for one file. A quality that nobody asks for stands as nothing.
    pub fn filled(
        &self,
        input: &str,
        output: &str,
        quality: Option<u8>,
        effort: u8,
    ) -> Vec<String> {
        let quality = quality.map(|quality| quality.to_string()).unwrap_or_default();
        let filled = |word: &str| {
            let word = word.replace("{in}", input).replace("{out}", output);
            word.replace("{quality}", &quality).replace("{effort}", &effort.to_string())
        };
        self.0.split_whitespace().map(filled).collect()
    }
}

impl FromStr for Arguments {
    type Err = OutsideError;

    fn from_str(text: &str) -> Result<Self, OutsideError> {
        const LONGEST: usize = 500;
        if text.len() > LONGEST || text.chars().any(char::is_control) {
            return Err(OutsideError::Words);
        }
        let places: Vec<&str> = text
            .split('{')
            .skip(1)
            .map(|rest| rest.split_once('}').map_or(rest, |(place, _)| place))
            .collect();
        if let Some(unknown) = places.iter().find(|place| !PLACES.contains(place)) {
            return Err(OutsideError::Place((*unknown).to_owned()));
        }
        match ["in", "out"].iter().find(|place| !places.contains(place)) {
            Some(missing) => Err(OutsideError::Missing(missing)),
            None => Ok(Self(text.split_whitespace().collect::<Vec<_>>().join(" "))),
        }
    }
}

impl TryFrom<String> for Arguments {
    type Error = OutsideError;

    fn try_from(text: String) -> Result<Self, OutsideError> {
        text.parse()
    }
}

impl From<Arguments> for String {
    fn from(arguments: Arguments) -> Self {
        arguments.0
    }
}

impl OutsideEncoder {
    /// Longest that a program may be given for one file.
    pub const MOST_SECONDS: u16 = 300;

    /// Its key.
    pub fn key(&self) -> EncoderKey {
        let nameless = Self { name: String::new(), ..self.clone() };
        let digits = CacheKey::of(&nameless);
        EncoderKey::beginning(&digits)
    }

    /// The qualities that it takes, the lowest first.
    pub fn qualities(&self) -> impl Iterator<Item = Quality> {
        let taken = self.lowest..=self.highest;
        Quality::all_whole().filter(move |quality| taken.contains(&quality.whole()))
    }

    /// How it makes a file at `quality`, which is rounded to one that it takes.
    pub fn encoding(&self, quality: Quality) -> Encoding {
        let nearest = |taken: &Quality| (taken.get() - quality.get()).abs();
        let nearest = self.qualities().min_by(|a, b| nearest(a).total_cmp(&nearest(b)));
        self.encoded(Some(nearest.unwrap_or(quality.rounded())))
    }

    /// How it makes a file without loss, where it does.
    pub fn without_loss(&self) -> Option<Encoding> {
        self.lossless.as_ref().map(|_| self.encoded(None))
    }

    fn encoded(&self, quality: Option<Quality>) -> Encoding {
        Encoding::Outside(OutsideEncoding { makes: self.makes, by: self.key(), quality })
    }

    /// How long it may take for a file.
    pub const fn patience(&self) -> Duration {
        Duration::from_secs(self.seconds as u64)
    }

    /// The programs that it runs.
    pub fn programs(&self) -> impl Iterator<Item = &str> {
        let back = self.transcoding.as_ref().map(|transcoding| transcoding.back_program.as_str());
        [self.program.as_str()].into_iter().chain(back)
    }

    /// Checks what it says of itself.
    ///
    /// # Errors
    /// [`OutsideError`] with what to say instead.
    pub fn check(&self) -> Result<(), OutsideError> {
        const LONGEST: usize = 40;
        let name = self.name.trim();
        if name.is_empty() || name.chars().count() > LONGEST || name.chars().any(char::is_control) {
            return Err(OutsideError::Name);
        }
        if self.makes.is_lossy() && !self.arguments.have_quality() {
            return Err(OutsideError::NoQuality(self.makes));
        }
        if !self.makes.is_lossy() {
            return Err(OutsideError::Lossless(self.makes));
        }
        if !(1..=100).contains(&self.lowest) || !(self.lowest..=100).contains(&self.highest) {
            return Err(OutsideError::Qualities);
        }
        if !(1..=Self::MOST_SECONDS).contains(&self.seconds) {
            return Err(OutsideError::Seconds(self.seconds));
        }
        match self.programs().find(|program| !program.starts_with('/')) {
            Some(program) => Err(OutsideError::Path(program.to_owned())),
            None => Ok(()),
        }
    }
}

/// Checks a site's encoders together.
///
/// # Errors
/// As [`OutsideEncoder::check`], and [`OutsideError::Twice`] and [`OutsideError::Many`].
pub fn check_all(encoders: &[OutsideEncoder]) -> Result<(), OutsideError> {
    const MOST: usize = 10;
    if encoders.len() > MOST {
        return Err(OutsideError::Many(MOST));
    }
    let mut names = BTreeSet::new();
    for encoder in encoders {
        encoder.check()?;
        if !names.insert(encoder.name.trim().to_lowercase()) {
            return Err(OutsideError::Twice(encoder.name.clone()));
        }
    }
    Ok(())
}

/// What no encoder can be.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum OutsideError {
    /// No name.
    #[error("give the encoder a name of 1 to 40 characters")]
    Name,
    /// A name that another one has.
    #[error("two encoders are called “{0}”; call one of them otherwise")]
    Twice(String),
    /// Too many.
    #[error("a site has {0} encoders from outside at most; remove one first")]
    Many(usize),
    /// Words that no command line has.
    #[error("a command has up to 500 characters, and no line breaks")]
    Words,
    /// Something in braces that is not known.
    #[error("“{{{0}}}” stands for nothing: use {{in}}, {{out}}, {{quality}} and {{effort}}")]
    Place(String),
    /// No file to read or to write.
    #[error("the words do not say where the file is: put {{{0}}} among them")]
    Missing(&'static str),
    /// A lossy format without a quality.
    #[error(
        "put {{quality}} among the words, so that a {0} file becomes as faithful as it must be"
    )]
    NoQuality(Format),
    /// A format that has no quality to search.
    #[error("{0} has no quality to search; choose a format that has one")]
    Lossless(Format),
    /// Qualities that are none.
    #[error("the qualities go from 1 to 100, the lowest first")]
    Qualities,
    /// A time that makes no sense.
    #[error("a program has 1 to 300 seconds for a file, not {0}")]
    Seconds(u16),
    /// A program without its path.
    #[error("“{0}” is no whole path: write it as in /usr/bin/encoder")]
    Path(String),
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn encoder() -> OutsideEncoder {
        OutsideEncoder {
            name: "Moor".to_owned(),
            program: "/usr/bin/moor".to_owned(),
            makes: Format::Jxl,
            takes: Takes::Png,
            arguments: "-q {quality} -e {effort} {in} {out}".parse().unwrap(),
            lossless: Some("-d 0 {in} {out}".parse().unwrap()),
            transcoding: None,
            lowest: 5,
            highest: 100,
            effort: 7,
            seconds: 30,
        }
    }

    #[test]
    fn a_key_changes_with_everything_but_the_name() {
        let key = encoder().key();
        assert_eq!(OutsideEncoder { name: "Fell".to_owned(), ..encoder() }.key(), key);
        assert_ne!(OutsideEncoder { effort: 8, ..encoder() }.key(), key);
        assert_ne!(OutsideEncoder { takes: Takes::Ppm, ..encoder() }.key(), key);
        let lowest = encoder().encoding(Quality::new(2).unwrap());
        assert_eq!(lowest.quality(), Some(Quality::new(5).unwrap()), "it takes no less");
        let encoding = encoder().encoding(Quality::new(80.4).unwrap());
        let written = serde_json::to_string(&encoding).unwrap();
        assert_eq!(serde_json::from_str::<Encoding>(&written).unwrap(), encoding);
        assert_eq!(encoding.to_string(), "JPEG XL 80");
        assert_eq!(encoder().without_loss().unwrap().to_string(), "JPEG XL, lossless");
    }

    #[test]
    fn what_is_wrong_with_an_encoder_is_told_with_its_mend() {
        assert_eq!(encoder().check(), Ok(()));
        let told = |wrong: OutsideEncoder| wrong.check().unwrap_err();
        assert_eq!(told(OutsideEncoder { name: " ".to_owned(), ..encoder() }), OutsideError::Name);
        assert_eq!(told(OutsideEncoder { seconds: 301, ..encoder() }), OutsideError::Seconds(301));
        let downwards = OutsideEncoder { lowest: 90, highest: 80, ..encoder() };
        assert_eq!(told(downwards), OutsideError::Qualities);
        let short = OutsideEncoder { program: "moor".to_owned(), ..encoder() };
        assert_eq!(told(short), OutsideError::Path("moor".to_owned()));
        let blind = OutsideEncoder { arguments: "{in} {out}".parse().unwrap(), ..encoder() };
        assert_eq!(told(blind), OutsideError::NoQuality(Format::Jxl));
        assert_eq!(
            told(OutsideEncoder { makes: Format::Gif, ..encoder() }),
            OutsideError::Lossless(Format::Gif)
        );
        let words = |text: &str| text.parse::<Arguments>().unwrap_err();
        assert_eq!(words("{in}"), OutsideError::Missing("out"));
        assert_eq!(words("{in} {out} {x}"), OutsideError::Place("x".to_owned()));
        assert_eq!(words("{in} {out}\n-x"), OutsideError::Words);
        let twice = [encoder(), OutsideEncoder { name: "moor".to_owned(), ..encoder() }];
        assert_eq!(check_all(&twice), Err(OutsideError::Twice("moor".to_owned())));
        assert_eq!(check_all(&vec![encoder(); 11]), Err(OutsideError::Many(10)));
    }

    proptest! {
        #[test]
        fn no_word_of_a_file_becomes_two(name in "[a-z {}-]{1,12}", quality in 1u8..=100) {
            let words: Arguments = "-q {quality} -o{out} {in}".parse().unwrap();
            prop_assert_eq!(words.filled(&name, "to", Some(quality), 1).len(), 4);
        }
    }
}
