//! Metadata: what a file tells of its picture, read as proposals for its description.
//!
//! EXIF 2.32, IPTC-IIM 4.2, and XMP part 1 with the Dublin Core and IPTC names. Where several
//! speak, XMP wins over IPTC and IPTC over EXIF, as the Metadata Working Group's guidelines say.

use exif::{In, Tag};
use roxmltree::{Document, Node, ParsingOptions};

use crate::codec::Blocks;
use brisk_margin_core::embedded::EmbeddedMetadata;
use brisk_margin_core::orientation::Orientation;

/// The longest value that is kept of a block, in characters.
const LONGEST: usize = 2_000;

/// Reads `blocks`; what cannot be read counts as silent.
pub fn read(blocks: &Blocks) -> EmbeddedMetadata {
    let mut told = EmbeddedMetadata::default();
    if let Some(exif) = exif_of(blocks) {
        take_exif(&mut told, &exif);
    }
    if let Some(iptc) = &blocks.iptc {
        take_iptc(&mut told, iptc);
    }
    if let Some(xmp) = &blocks.xmp {
        take_xmp(&mut told, xmp);
    }
    told
}

/// How the EXIF block says that the picture is turned. An unreadable block counts as none: it says
/// nothing about the pixels.
pub(crate) fn turn(blocks: &Blocks) -> Orientation {
    let exif = exif_of(blocks);
    let field = exif.as_ref().and_then(|exif| exif.get_field(Tag::Orientation, In::PRIMARY));
    Orientation::from_exif(field.and_then(|field| field.value.get_uint(0)).unwrap_or(1))
}

/// Whether the EXIF block speaks of where the picture was taken, readable or not.
pub(crate) fn has_location(blocks: &Blocks) -> bool {
    exif_of(blocks).is_some_and(|exif| exif.get_field(Tag::GPSLatitude, In::PRIMARY).is_some())
}

fn exif_of(blocks: &Blocks) -> Option<exif::Exif> {
    exif::Reader::new().read_raw(blocks.exif.clone()?).ok()
}

fn take_exif(told: &mut EmbeddedMetadata, exif: &exif::Exif) {
    let text = |tag| match &exif.get_field(tag, In::PRIMARY)?.value {
        exif::Value::Ascii(parts) => Some(text(parts.first()?)),
        _ => None,
    };
    set(&mut told.caption, text(Tag::ImageDescription));
    set(&mut told.creator, text(Tag::Artist));
    set(&mut told.licence, text(Tag::Copyright));
    set(&mut told.taken, text(Tag::DateTimeOriginal).or_else(|| text(Tag::DateTime)));
    set(&mut told.camera, text(Tag::Model));
    told.location = location(exif);
}

/// Records of the application section, each led by 0x1C, section, number and length.
fn take_iptc(told: &mut EmbeddedMetadata, mut rest: &[u8]) {
    while let [0x1C, section, number, high, low, after @ ..] = rest {
        let length = usize::from(u16::from_be_bytes([*high, *low]));
        let Some(value) = after.get(..length) else { return };
        let field = match (section, number) {
            (2, 5 | 105) => Some(&mut told.title),
            (2, 80) => Some(&mut told.creator),
            (2, 115) => Some(&mut told.source),
            (2, 116) => Some(&mut told.licence),
            (2, 120) => Some(&mut told.caption),
            _ => None,
        };
        if let Some(field) = field {
            set(field, Some(text(value)));
        }
        rest = &after[length..];
    }
}

fn take_xmp(told: &mut EmbeddedMetadata, packet: &[u8]) {
    const DC: &str = "http://purl.org/dc/elements/1.1/";
    const RIGHTS: &str = "http://ns.adobe.com/xap/1.0/rights/";
    const PLUS: &str = "http://ns.useplus.org/ldf/xmp/1.0/";
    let Ok(packet) = std::str::from_utf8(packet) else { return };
    let options = ParsingOptions { nodes_limit: 20_000, ..ParsingOptions::default() };
    let packet = packet.trim_matches(['\0', ' ', '\n', '\r', '\u{FEFF}']);
    let Ok(document) = Document::parse_with_options(packet, options) else { return };
    let value = |space, name| xmp_value(&document, space, name);
    set(&mut told.title, value(DC, "title"));
    set(&mut told.caption, value(DC, "description"));
    set(&mut told.creator, value(DC, "creator"));
    set(&mut told.licence, value(DC, "rights"));
    set(&mut told.source, value(DC, "source"));
    set(&mut told.licence, value(PLUS, "Licensor").or_else(|| value(RIGHTS, "UsageTerms")));
    set(&mut told.source, value(RIGHTS, "WebStatement"));
}

/// A property as an element, with or without a list inside, or as an attribute.
fn xmp_value(document: &Document<'_>, space: &str, name: &str) -> Option<String> {
    let words = |node: Node<'_, '_>| {
        let items = node.descendants().filter(|item| item.tag_name().name() == "li");
        let items: Vec<&str> = items.filter_map(|item| item.text()).map(str::trim).collect();
        if items.is_empty() { node.text().unwrap_or_default().to_owned() } else { items.join(", ") }
    };
    let element = document.descendants().find(|node| node.has_tag_name((space, name))).map(words);
    let attribute = || document.descendants().find_map(|node| node.attribute((space, name)));
    element.filter(|found| !found.trim().is_empty()).or_else(|| attribute().map(str::to_owned))
}

fn location(exif: &exif::Exif) -> Option<(f64, f64)> {
    let degrees = |tag, reference, negative: &str| {
        let exif::Value::Rational(parts) = &exif.get_field(tag, In::PRIMARY)?.value else {
            return None;
        };
        let [degrees, minutes, seconds] = parts.get(..3)? else { return None };
        let angle = degrees.to_f64() + minutes.to_f64() / 60.0 + seconds.to_f64() / 3600.0;
        let side = exif.get_field(reference, In::PRIMARY)?.display_value().to_string();
        angle.is_finite().then_some(if side.starts_with(negative) { -angle } else { angle })
    };
    let north = degrees(Tag::GPSLatitude, Tag::GPSLatitudeRef, "S")?;
    Some((north, degrees(Tag::GPSLongitude, Tag::GPSLongitudeRef, "W")?))
}

/// Old blocks are in the code page of the machine that wrote them; Latin-1 is the likeliest.
fn text(value: &[u8]) -> String {
    match std::str::from_utf8(value) {
        Ok(text) => text.to_owned(),
        Err(_) => value.iter().map(|&byte| char::from(byte)).collect(),
    }
}

fn set(field: &mut String, value: Option<String>) {
    let value = value.unwrap_or_default();
    let value = value.trim_matches(|c: char| c.is_whitespace() || c == '\0');
    if !value.is_empty() {
        *field = value.chars().filter(|&c| !c.is_control() || c == '\n').take(LONGEST).collect();
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use brisk_margin_core::credit::Credit;
    use brisk_margin_core::describe::Description;

    fn record(number: u8, value: &[u8]) -> Vec<u8> {
        let mut bytes = vec![0x1C, 2, number, 0, value.len() as u8];
        bytes.extend(value);
        bytes
    }

    #[test]
    fn the_newer_block_wins_and_the_older_one_fills_its_gaps() {
        let iptc = [record(80, b"Ada Fenn"), record(120, b"D\xF6me at dusk")].concat();
        let xmp = r#"<x:xmpmeta xmlns:x="adobe:ns:meta/"
            xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"
            xmlns:dc="http://purl.org/dc/elements/1.1/"
            xmlns:xmpRights="http://ns.adobe.com/xap/1.0/rights/"><rdf:RDF>
            <rdf:Description xmpRights:WebStatement="https://tarnlight.example/terms">
            <dc:creator><rdf:Seq><rdf:li>Ada Fenn</rdf:li><rdf:li>Bo Ruel</rdf:li></rdf:Seq>
            </dc:creator></rdf:Description></rdf:RDF></x:xmpmeta>"#;
        let blocks = Blocks { exif: None, xmp: Some(xmp.into()), iptc: Some(iptc) };
        let told = read(&blocks);
        assert_eq!(told.creator, "Ada Fenn, Bo Ruel");
        assert_eq!(told.caption, "Döme at dusk");
        assert_eq!(told.source, "https://tarnlight.example/terms");
    }

    #[test]
    fn rubbish_is_silent() {
        let rubbish = || Some(vec![0x1C, 2, 80, 0xFF, 0xFF, 7]);
        let blocks = Blocks { exif: rubbish(), xmp: rubbish(), iptc: rubbish() };
        assert_eq!(read(&blocks), EmbeddedMetadata::default());
    }

    #[test]
    fn a_credit_that_is_written_reads_the_same() {
        let description = Description {
            creator: "Ada <Fenn>".into(),
            licence: "CC BY 4.0 & more".into(),
            source: "https://tarnlight.example/p?a=1&b=2".into(),
            ..Description::default()
        };
        let packet = Credit::of(&description).unwrap().packet();
        let told = read(&Blocks { xmp: Some(packet), ..Blocks::default() });
        assert_eq!(told.creator, description.creator);
        assert_eq!(told.licence, description.licence);
        assert_eq!(told.source, description.source);
        assert_eq!(told.caption, "");
        let silent = Description { creator: " ".into(), ..Description::default() };
        assert_eq!(Credit::of(&silent), None);
    }
}
