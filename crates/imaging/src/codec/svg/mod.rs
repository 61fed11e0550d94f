//! SVG through resvg: cleaning, the size it has by itself, and drawing at any size.

mod allowed;
mod clean;
mod style;

use std::sync::{Arc, LazyLock};

use resvg::tiny_skia::{Pixmap, Transform};
use resvg::usvg::{ImageHrefResolver, ImageKind, Options, Tree, fontdb};

pub use clean::clean;
pub(crate) use clean::escape;

use super::error::guarded;
use super::{CodecError, Header, jpeg, png, simple};
use crate::fonts;
use crate::raster::{Channels, Raster};
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::source_format;
use brisk_margin_core::source_format::{Content, SourceFormat};

pub(crate) const NAMESPACE: &str = "http://www.w3.org/2000/svg";
pub(crate) const XLINK: &str = "http://www.w3.org/1999/xlink";
/// The most pixels of a picture inside a drawing.
const MOST_EMBEDDED: u64 = 16_000_000;

/// The fonts of every text in a drawing, so that it looks the same on every machine.
static FONTS: LazyLock<Arc<fontdb::Database>> = LazyLock::new(|| {
    let mut database = fontdb::Database::new();
    for file in fonts::FILES {
        database.load_font_source(fontdb::Source::Binary(Arc::new(file)));
    }
    for set in [
        fontdb::Database::set_sans_serif_family,
        fontdb::Database::set_monospace_family,
        fontdb::Database::set_cursive_family,
        fontdb::Database::set_fantasy_family,
    ] {
        set(&mut database, fonts::SANS);
    }
    database.set_serif_family(fonts::SERIF);
    Arc::new(database)
});

/// Reads the size of the drawing `data`, as CSS would show it where nothing else is said.
///
/// # Errors
/// [`CodecError::Damaged`] where it is no well-formed drawing, or one that unpacks without end.
pub fn header(data: &[u8]) -> Result<Header, CodecError> {
    let size = tree(data)?.size();
    let side = |length: f32| (length.round() as u32).max(1);
    Ok(Header::plain(Size::new(side(size.width()), side(size.height())), true))
}

/// Draws the part `crop` of the drawing `data`, in pixels of its own size, at the size `output`.
///
/// # Errors
/// [`CodecError::Damaged`].
pub fn draw(data: &[u8], crop: Rect, output: Size) -> Result<Raster, CodecError> {
    let tree = tree(data)?;
    guarded(
        || {
            let mut pixels = Pixmap::new(output.width, output.height)
                .ok_or_else(|| damaged("there is no room for its pixels"))?;
            let scale = |to: u32, from: u32| to as f32 / from as f32;
            let (x, y) = (scale(output.width, crop.width), scale(output.height, crop.height));
            let shift = Transform::from_translate(-(crop.x as f32), -(crop.y as f32));
            resvg::render(&tree, shift.post_scale(x, y), &mut pixels.as_mut());
            let straight = pixels.pixels().iter().flat_map(|pixel| {
                let colour = pixel.demultiply();
                [colour.red(), colour.green(), colour.blue(), colour.alpha()]
            });
            Ok(Raster::new(output, Channels::Rgba, straight.collect()))
        },
        damaged,
    )
}

fn tree(data: &[u8]) -> Result<Tree, CodecError> {
    let clean = clean(data)?;
    guarded(
        || {
            let options = Options {
                font_family: fonts::SANS.to_owned(),
                fontdb: Arc::clone(&FONTS),
                image_href_resolver: ImageHrefResolver {
                    resolve_data: Box::new(embedded),
                    resolve_string: Box::new(|_, _| None),
                },
                ..Options::default()
            };
            Tree::from_str(&clean, &options).map_err(damaged)
        },
        damaged,
    )
}

/// A picture inside the drawing, unless it is too large to be unpacked.
fn embedded(kind: &str, data: Arc<Vec<u8>>, options: &Options<'_>) -> Option<ImageKind> {
    let header = match source_format::sniff(&data) {
        Content::Readable(SourceFormat::Jpeg) => jpeg::header(&data),
        Content::Readable(SourceFormat::Png) => png::header(&data),
        Content::Readable(source @ (SourceFormat::Gif | SourceFormat::Webp)) => {
            simple::header(source, &data)
        }
        _ => return None,
    };
    let small = header.ok()?.size.pixels() <= MOST_EMBEDDED;
    small.then(|| ImageHrefResolver::default_data_resolver()(kind, data, options))?
}

fn damaged(detail: impl ToString) -> CodecError {
    CodecError::Damaged { format: SourceFormat::Svg, detail: detail.to_string() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fmt::Write;

    const HEAD: &str = r#"<svg xmlns="http://www.w3.org/2000/svg" width="40" height="20""#;

    #[test]
    fn nothing_that_runs_or_reaches_out_is_left() {
        let drawing = format!(
            r##"<?xml-stylesheet href="http://elsewhere.example/a.css"?>{HEAD} onload="steal()">
            <script>steal()</script><style>@import "http://elsewhere.example/b.css";</style>
            <style>rect {{ fill: teal }}</style>
            <image href="http://elsewhere.example/c.png"/><use href="#dome"/>
            <a href="javascript:steal()"><rect id="dome" width="9" height="9"
              style="fill: u&#x72;l( 'http://elsewhere.example/d' )" onClick="steal()"/></a>
            <foreignObject><body xmlns="http://www.w3.org/1999/xhtml"/></foreignObject>
            <a><set attributeName="href" to="javascript:steal()"/></a>
            <g fill="url(#sky)" filter="url(//elsewhere.example/e)"/></svg>"##
        );
        let clean = clean(drawing.as_bytes()).unwrap();
        for bad in ["steal", "elsewhere", "script", "foreign", "import", "onload", "onClick"] {
            assert!(!clean.contains(bad), "{bad} in {clean}");
        }
        for good in ["fill:teal", r##"<use href="#dome">"##, r##"fill="url(#sky)""##, "id=\"dome\""]
        {
            assert!(clean.contains(good), "{good} not in {clean}");
        }
        assert_eq!(
            super::clean(clean.as_bytes()).unwrap(),
            clean,
            "cleaning again changes nothing"
        );
    }

    #[test]
    fn entities_that_unpack_without_end_are_refused() {
        let mut drawing = String::from("<!DOCTYPE svg [<!ENTITY a0 \"stars\">");
        for n in 1..12 {
            let inner = format!("&a{};", n - 1).repeat(10);
            let _ = write!(drawing, "<!ENTITY a{n} \"{inner}\">");
        }
        let _ = write!(drawing, "]>{HEAD}><text>&a11;</text></svg>");
        assert!(matches!(header(drawing.as_bytes()), Err(CodecError::Damaged { .. })));
    }

    #[test]
    fn a_drawing_is_sharp_at_any_size_and_text_is_drawn() {
        let drawing = format!(r##"{HEAD}><rect width="20" height="20" fill="#008080"/></svg>"##);
        let part = Rect { x: 10, y: 0, width: 20, height: 20 };
        let large = draw(drawing.as_bytes(), part, Size::new(400, 400)).unwrap();
        let pixel = |x: usize, y: usize| &large.data()[(y * 400 + x) * 4..][..4];
        assert_eq!(pixel(199, 200), [0, 128, 128, 255]);
        assert_eq!(pixel(200, 200)[3], 0);
        let words = format!(r#"{HEAD}><text x="2" y="16" font-size="16">Dome</text></svg>"#);
        let whole = Rect { x: 0, y: 0, width: 40, height: 20 };
        let drawn = draw(words.as_bytes(), whole, Size::new(40, 20)).unwrap();
        let ink = drawn.data().chunks_exact(4).filter(|pixel| pixel[3] > 128).count();
        assert!((40..400).contains(&ink), "{ink}");
    }
}
