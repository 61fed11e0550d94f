//! Delivery by address: which file answers a request that names a picture and a slot or a width.

use crate::format::Format;
use crate::units::{Bytes, Density};

/// A file that may answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Deliverable {
    /// Its format.
    pub format: Format,
    /// Its pixels across.
    pub width: u32,
    /// Its weight.
    pub bytes: Bytes,
}

/// The formats that a client reads, by its `Accept` header (RFC 9110, 12.5.1).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reads(Vec<Format>);

impl Reads {
    /// What `accept` says. Formats that every browser reads need not be named, and the others are read only
    /// where they are: `image/*` and `*/*` are sent by clients that know neither WebP nor AVIF.
    ///
    /// ```
    /// use brisk_margin_core::delivery::Reads;
    /// use brisk_margin_core::format::Format;
    ///
    /// let reads = Reads::accepted("image/avif;q=0, image/webp, */*;q=0.8");
    /// assert!(reads.format(Format::Webp) && reads.format(Format::Jpeg) && !reads.format(Format::Avif));
    /// ```
    pub fn accepted(accept: &str) -> Self {
        let named = |format: Format| {
            accept.split(',').any(|range| {
                let mut parts = range.split(';').map(str::trim);
                let kind = parts.next().unwrap_or_default();
                let refused = parts.any(|parameter| {
                    let weight = parameter.strip_prefix("q=").or(parameter.strip_prefix("Q="));
                    weight.is_some_and(|weight| weight.parse::<f64>().is_ok_and(|q| q <= 0.0))
                });
                kind.eq_ignore_ascii_case(format.media_type()) && !refused
            })
        };
        let reads = |format: &Format| format.is_universal() || named(*format);
        Self(Format::ALL.into_iter().filter(reads).collect())
    }

    /// Whether `format` is read.
    pub fn format(&self, format: Format) -> bool {
        self.0.contains(&format)
    }
}

/// What a request tells of the screen that it is for, by client hints (Responsive Image Client Hints).
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Screen {
    /// Device pixels per CSS pixel.
    pub density: Option<Density>,
    /// The device pixels across that the picture is shown in.
    pub width: Option<u32>,
    /// The viewport's width in CSS pixels.
    pub viewport: Option<u32>,
}

/// Widths that a request may ask for, in pixels.
const MOST: f64 = 16_384.0;

impl Screen {
    /// What the values of the three hints say; one that is no number, or out of range, says nothing.
    pub fn hinted(density: Option<&str>, width: Option<&str>, viewport: Option<&str>) -> Self {
        let number = |text: Option<&str>| text?.trim().parse::<f64>().ok();
        let pixels = |text| {
            let pixels = number(text).filter(|pixels| (1.0..=MOST).contains(pixels))?;
            Some(pixels.ceil() as u32)
        };
        let density = number(density).and_then(|density| Density::new(density).ok());
        Self { density, width: pixels(width), viewport: pixels(viewport) }
    }

    /// The device pixels across to be filled at an address that says `css` pixels: those that the request
    /// tells, or else as many as its density makes of them, 1 where it tells none.
    pub fn of_css(&self, css: u32) -> u32 {
        let density = self.density.unwrap_or(Density::ONE);
        self.width.unwrap_or_else(|| (f64::from(css) * density.get()).ceil() as u32)
    }
}

/// Which of `files` answers a client that `reads` some formats and fills `wanted` device pixels across: the lightest
/// that has enough of them, or else the widest there is. Nothing where it reads none of them.
pub fn chosen(files: &[Deliverable], wanted: u32, reads: &Reads) -> Option<usize> {
    let read = || files.iter().enumerate().filter(|(_, file)| reads.format(file.format));
    let enough = read().filter(|(_, file)| file.width >= wanted);
    let lightest = enough.min_by_key(|(_, file)| (file.bytes, file.width));
    let widest = || read().max_by_key(|(_, file)| (file.width, std::cmp::Reverse(file.bytes)));
    lightest.or_else(widest).map(|(n, _)| n)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn file(format: Format, width: u32, bytes: u64) -> Deliverable {
        Deliverable { format, width, bytes: Bytes(bytes) }
    }

    #[test]
    fn formats_that_not_all_read_have_to_be_named() {
        let read = |accept: &str| Reads::accepted(accept).0;
        let old = [Format::Jpeg, Format::Png, Format::Gif];
        for accept in ["", "*/*", "image/*", "image/webp;q=0", "image/avifx"] {
            assert_eq!(read(accept), old, "{accept}");
        }
        assert_eq!(read("image/AVIF , image/webp;q=0.5,*/*"), Format::OWN);
        assert_eq!(read("image/avif, image/webp, image/jxl"), Format::ALL);
    }

    #[test]
    fn the_lightest_file_that_is_wide_enough_answers() {
        let files = [
            file(Format::Avif, 400, 9_000),
            file(Format::Avif, 800, 20_000),
            file(Format::Jpeg, 400, 18_000),
            file(Format::Jpeg, 800, 41_000),
        ];
        let given = |wanted, accept| chosen(&files, wanted, &Reads::accepted(accept));
        assert_eq!(given(400, "image/avif,*/*"), Some(0));
        assert_eq!(given(401, "image/avif,*/*"), Some(1));
        assert_eq!(given(300, "*/*"), Some(2));
        assert_eq!(given(3_000, "*/*"), Some(3), "the widest there is");
        assert_eq!(chosen(&files[..2], 300, &Reads::accepted("*/*")), None);
    }

    #[test]
    fn hints_are_numbers_or_nothing() {
        let screen = Screen::hinted(Some("2.0"), Some(" 812.4"), Some("390"));
        assert_eq!(screen.width, Some(813));
        assert_eq!((screen.density, screen.viewport), (Density::new(2.0).ok(), Some(390)));
        let nonsense = Screen::hinted(Some("NaN"), Some("-4"), Some("1e9"));
        assert_eq!(nonsense, Screen::default());
        assert_eq!(nonsense.of_css(320), 320);
        assert_eq!(Screen { width: None, ..screen }.of_css(320), 640);
    }

    proptest! {
        #[test]
        fn nobody_gets_a_format_that_they_do_not_read_or_a_blurred_file_without_need(
            files in prop::collection::vec(
                (prop::sample::select(Format::ALL.to_vec()), 1u32..4_000, 1u64..1_000_000), 1..20),
            wanted in 1u32..4_000,
            accept in prop::sample::select(vec!["*/*", "image/webp", "image/avif,image/webp"]),
        ) {
            let files: Vec<_> = files.into_iter().map(|(f, w, b)| file(f, w, b)).collect();
            let reads = Reads::accepted(accept);
            let read: Vec<_> = files.iter().filter(|file| reads.format(file.format)).collect();
            let given = chosen(&files, wanted, &reads).map(|n| files[n]);
            prop_assert_eq!(given.is_none(), read.is_empty());
            let Some(given) = given else { return Ok(()) };
            prop_assert!(reads.format(given.format));
            let enough: Vec<_> = read.iter().filter(|file| file.width >= wanted).collect();
            match enough.is_empty() {
                true => prop_assert!(read.iter().all(|file| file.width <= given.width)),
                false => prop_assert!(
                    given.width >= wanted && enough.iter().all(|file| file.bytes >= given.bytes)
                ),
            }
        }
    }
}
