//! Drawings: an SVG in fewer bytes.

use std::fmt::Write;

use roxmltree::{Document, Node};

use crate::codec::CodecError;
use crate::codec::svg;
use crate::codec::svg::{NAMESPACE, XLINK};
use crate::metric::QualityMetric;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::grade::Score;
use brisk_margin_core::source_format::SourceFormat;

/// The drawing `data` as [`svg::clean`] leaves it, in fewer bytes: without blanks between elements, with
/// numbers of paths and places to a thousandth, and empty elements closed at once. It is drawn and
/// compared; where it would look another way, it is only cleaned.
///
/// # Errors
/// As [`svg::clean`].
///
/// ```
/// use brisk_margin_imaging::drawing::minified;
///
/// let drawing = br#"<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9">
///     <rect width="9.00000" height="9" onclick="alert(1)"/>
/// </svg>"#;
/// let small = minified(drawing)?;
/// assert!(small.len() < drawing.len() && !small.contains("onclick"));
/// # Ok::<_, Box<dyn std::error::Error>>(())
/// ```
pub fn minified(data: &[u8]) -> Result<String, CodecError> {
    let cleaned = svg::clean(data)?;
    let document = Document::parse(&cleaned)
        .map_err(|error| CodecError::told(SourceFormat::Svg, error.to_string()))?;
    let mut small = String::with_capacity(cleaned.len());
    write_small(document.root_element(), false, &mut small);
    let same = looks_the_same(&cleaned, &small).unwrap_or(false);
    Ok(if same { small } else { cleaned })
}

/// Whether nobody would see that two drawings are not the same one.
fn looks_the_same(a: &str, b: &str) -> Option<bool> {
    let size = svg::header(a.as_bytes()).ok()?.size;
    let scale = f64::from(LOOKED_AT) / f64::from(size.width.max(size.height));
    let side = |length: u32| ((f64::from(length) * scale).round() as u32).max(1);
    let output = Size::new(side(size.width), side(size.height));
    let draw = |drawing: &str| svg::draw(drawing.as_bytes(), Rect::whole(size), output).ok();
    let score = QualityMetric::new(draw(a)?).ok()?.score(&draw(b)?).ok()?;
    Some(score >= UNSEEN)
}

/// The long side at which a drawing is held against its original, in pixels.
const LOOKED_AT: u32 = 1_024;
/// Where nobody sees a difference. Pixels on edges that fall another way stay above this, a curve
/// that became another one does not.
const UNSEEN: Score = Score(90.0);

fn write_small(node: Node<'_, '_>, keeps_blanks: bool, out: &mut String) {
    let name = node.tag_name().name();
    out.push('<');
    out.push_str(name);
    if node.parent().is_some_and(|parent| parent.is_root()) {
        let _ = write!(out, " xmlns=\"{NAMESPACE}\"");
        let links = node.descendants().flat_map(|node| node.attributes());
        if links.into_iter().any(|attribute| attribute.namespace() == Some(XLINK)) {
            let _ = write!(out, " xmlns:xlink=\"{XLINK}\"");
        }
    }
    for attribute in node.attributes() {
        let prefix = match attribute.namespace() {
            Some(XLINK) => "xlink:",
            Some(_) => "xml:",
            None => "",
        };
        let _ = write!(out, " {prefix}{}=\"", attribute.name());
        match attribute.name() {
            "d" | "points" | "transform" | "gradientTransform" | "patternTransform" => {
                svg::escape(&shorter_numbers(attribute.value()), true, out);
            }
            _ => svg::escape(attribute.value(), true, out),
        }
        out.push('"');
    }
    // Blanks are part of words, and of nothing else.
    let keeps_blanks = keeps_blanks || ["text", "style", "title", "desc"].contains(&name);
    let mut inside = String::new();
    for child in node.children() {
        if child.is_element() && child.tag_name().name() != "metadata" {
            write_small(child, keeps_blanks, &mut inside);
        } else if let Some(text) =
            child.text().filter(|t| child.is_text() && (keeps_blanks || !t.trim().is_empty()))
        {
            svg::escape(text, false, &mut inside);
        }
    }
    if inside.is_empty() {
        out.push_str("/>");
    } else {
        let _ = write!(out, ">{inside}</{name}>");
    }
}

/// `text` with its decimal numbers to a thousandth, and without blanks that part nothing. Numbers
/// with an exponent stay as they are.
fn shorter_numbers(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text.trim();
    while let Some(first) = rest.chars().next() {
        let number = rest.len() - rest.trim_start_matches(|c: char| c.is_ascii_digit()).len();
        let fraction = rest[number..].strip_prefix('.').map(|after| {
            after.len() - after.trim_start_matches(|c: char| c.is_ascii_digit()).len()
        });
        let is_number = number > 0 || fraction.is_some_and(|digits| digits > 0);
        if is_number {
            let length = number + fraction.map_or(0, |digits| digits + 1);
            let has_exponent = rest[length..].starts_with(['e', 'E']);
            // Flags of an arc may stand right before a number: those are left alone.
            let has_flags = number > 1 && rest.starts_with('0');
            if out.ends_with(|c: char| c.is_ascii_digit()) {
                out.push(' ');
            }
            match rest[..length].parse::<f64>() {
                Ok(value) if !has_exponent && !has_flags && fraction.is_some() => {
                    let text = format!("{value:.3}");
                    out.push_str(text.trim_end_matches('0').trim_end_matches('.'));
                }
                _ => out.push_str(&rest[..length]),
            }
            rest = &rest[length..];
        } else if first.is_whitespace() || first == ',' {
            rest = rest.trim_start_matches(|c: char| c.is_whitespace() || c == ',');
            if out.ends_with(')') {
                out.push(' ');
            }
        } else {
            out.push(first);
            rest = &rest[first.len_utf8()..];
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    const HEAD: &str = r#"<svg xmlns="http://www.w3.org/2000/svg" width="40" height="20""#;

    #[test]
    fn a_drawing_gets_smaller_and_looks_the_same() {
        let drawing = format!(
            r##"<?xml version="1.0"?><!-- drawn by hand -->
            {HEAD} viewBox="0 0 40 20">
              <metadata>kept by an editor</metadata>
              <g transform="translate( 1.000000 , 2.500000 ) scale(1.0)">
                <path d="M 0.123456789,1.5 L 10.000001 , 2 L -3.25 4.5e1 Z" fill="#206080"></path>
                <text x="2" y="16">two <tspan>words</tspan> here</text>
              </g>
            </svg>"##
        );
        let small = minified(drawing.as_bytes()).unwrap();
        assert!(small.len() < svg::clean(drawing.as_bytes()).unwrap().len() * 3 / 4, "{small}");
        let path = r#"d="M0.123 1.5L10 2L-3.25 4.5e1Z""#;
        assert!(small.contains(path), "{small}");
        assert!(small.contains(r#"transform="translate(1 2.5) scale(1)""#), "{small}");
        assert!(small.contains("two <tspan>words</tspan> here"), "{small}");
        assert!(!small.contains("metadata") && !small.contains("xlink"), "{small}");
        assert_eq!(minified(small.as_bytes()).unwrap(), small, "again changes nothing");
    }

    #[test]
    fn numbers_that_stand_close_stay_apart() {
        for (long, short) in [
            ("M.5.5 1.5-.25", "M0.5 0.5 1.5-0.25"),
            ("M1e-5 2.0004", "M1e-5 2"),
            ("M0,0 a1.25,1.25 0 0 1 1,0", "M0 0a1.25 1.25 0 0 1 1 0"),
            ("rotate(10.00) translate(1 2)", "rotate(10) translate(1 2)"),
        ] {
            assert_eq!(shorter_numbers(long), short);
        }
    }

    #[test]
    fn a_drawing_that_would_look_another_way_is_only_cleaned() {
        // The flags of an arc stand together; read as numbers they would make another curve.
        let arc = r##"<path fill="none" stroke="#000" d="M5 10a4 4 0 0110.5 0.50"/>"##;
        let drawing = format!("{HEAD}>  {arc}  </svg>");
        let small = minified(drawing.as_bytes()).unwrap();
        let same = looks_the_same(&svg::clean(drawing.as_bytes()).unwrap(), &small);
        assert_eq!(same, Some(true), "{small}");
    }
}
