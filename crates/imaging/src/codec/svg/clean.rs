//! Cleaning: a drawing made anew of what may stand in one.

use std::collections::HashMap;
use std::fmt::Write;

use roxmltree::{Attribute as XmlAttribute, Document, Node, NodeType, ParsingOptions};

use super::allowed::{self, Attribute};
use super::{NAMESPACE, XLINK, damaged, style};
use crate::codec::CodecError;

/// More elements than this are no drawing for a page, also counting those that are shown again.
const MOST_NODES: u32 = 300_000;
/// Elements may be nested so deep.
const DEEPEST: usize = 400;
/// More layers of noise than this are smaller than any pixel.
const MOST_OCTAVES: u32 = 12;

/// The drawing `data` of elements, attributes and styles that are known to draw, without anything
/// that runs or reaches outside it, and without what editors leave in it. Entities are resolved,
/// and no document type is left.
///
/// # Errors
/// [`CodecError::Damaged`] where it is not well-formed UTF-8 XML, or unpacks without end.
pub fn clean(data: &[u8]) -> Result<String, CodecError> {
    let text = std::str::from_utf8(data).map_err(|_| damaged("it is not UTF-8 text"))?;
    let options = ParsingOptions { allow_dtd: true, nodes_limit: MOST_NODES, ..Default::default() };
    let document = Document::parse_with_options(text.trim_start_matches('\u{FEFF}'), options)
        .map_err(damaged)?;
    let root = document.root_element();
    let is_drawing = root.has_tag_name((NAMESPACE, "svg")) || root.has_tag_name("svg");
    if !is_drawing {
        return Err(damaged("its first element is no drawing"));
    }
    let mut out = String::with_capacity(text.len());
    write_element(root, 0, &mut out)?;
    if (Shown::new(&document).by(root, 0)?) > u64::from(MOST_NODES) {
        return Err(damaged("it shows its elements again and again without end"));
    }
    Ok(out)
}

fn write_element(node: Node<'_, '_>, depth: usize, out: &mut String) -> Result<(), CodecError> {
    if depth > DEEPEST {
        return Err(damaged("its elements are nested without end"));
    }
    let name = node.tag_name().name();
    out.push('<');
    out.push_str(name);
    if depth == 0 {
        let _ = write!(out, " xmlns=\"{NAMESPACE}\" xmlns:xlink=\"{XLINK}\"");
    }
    for attribute in node.attributes() {
        if let Some((prefix, value)) = kept(name, attribute) {
            let _ = write!(out, " {prefix}{}=\"", attribute.name());
            escape(&value, true, out);
            out.push('"');
        }
    }
    out.push('>');
    if name == "style" {
        escape(&style::sheet(&words(node)), false, out);
    } else {
        for child in node.children() {
            match child.node_type() {
                NodeType::Element if is_kept(child) => write_element(child, depth + 1, out)?,
                NodeType::Text => escape(child.text().unwrap_or_default(), false, out),
                _ => {}
            }
        }
    }
    let _ = write!(out, "</{name}>");
    Ok(())
}

/// All words within `node`, as a browser takes them for its style: comments between them part
/// nothing.
fn words(node: Node<'_, '_>) -> String {
    let texts = node.children().filter(|child| child.is_text());
    texts.filter_map(|child| child.text()).collect()
}

fn is_kept(element: Node<'_, '_>) -> bool {
    let name = element.tag_name();
    let of_svg = name.namespace().is_none_or(|space| space == NAMESPACE);
    // An animation can change what nobody may write: where a link leads, or what is run.
    let animates = name.name().starts_with("animate");
    let target = element.attribute("attributeName");
    let is_harmless = !animates
        || target.is_none_or(|to| matches!(allowed::attribute(to), Some(Attribute::Value)));
    of_svg && allowed::element(name.name()) && is_harmless
}

/// The prefix and the value that an attribute is written with; nothing where it is left out.
fn kept(element: &str, attribute: XmlAttribute<'_, '_>) -> Option<(&'static str, String)> {
    let (name, value) = (attribute.name(), attribute.value().trim());
    let prefix = match attribute.namespace() {
        None => "",
        Some(XLINK) if name == "href" => "xlink:",
        Some("http://www.w3.org/XML/1998/namespace") if matches!(name, "lang" | "space") => "xml:",
        Some(_) => return None,
    };
    let value = match allowed::attribute(name)? {
        Attribute::Name => attribute.value().to_owned(),
        Attribute::Style => Some(style::declarations(value)).filter(|kept| !kept.is_empty())?,
        Attribute::Link => is_own(element, value).then(|| value.to_owned())?,
        Attribute::Value if name == "numOctaves" => {
            value.parse::<u32>().map_or(1, |octaves| octaves.min(MOST_OCTAVES)).to_string()
        }
        Attribute::Value => style::is_harmless(value).then(|| attribute.value().to_owned())?,
    };
    Some((prefix, value))
}

/// Whether a link stays within the drawing: a part of it, or pixels that stand in it.
fn is_own(element: &str, link: &str) -> bool {
    const PIXELS: [&str; 5] = ["png", "jpeg", "jpg", "gif", "webp"];
    let holds_pixels = || {
        let lower = link.get(..32.min(link.len())).unwrap_or_default().to_ascii_lowercase();
        let kind = lower.strip_prefix("data:image/").unwrap_or_default();
        matches!(element, "image" | "feImage")
            && PIXELS.iter().any(|pixels| {
                kind.strip_prefix(pixels).is_some_and(|rest| rest.starts_with(";base64,"))
            })
    };
    link.starts_with('#') || holds_pixels()
}

/// Counts elements as often as they are shown: by themselves, and by each `use` of them.
struct Shown<'a, 'input> {
    named: HashMap<&'a str, Node<'a, 'input>>,
    counted: HashMap<roxmltree::NodeId, u64>,
}

impl<'a, 'input> Shown<'a, 'input> {
    fn new(document: &'a Document<'input>) -> Self {
        let mut named = HashMap::new();
        for node in document.descendants().filter(Node::is_element) {
            if let Some(id) = node.attribute("id") {
                // Of several with one name the first is shown.
                named.entry(id).or_insert(node);
            }
        }
        Self { named, counted: HashMap::new() }
    }

    fn by(&mut self, node: Node<'a, 'input>, depth: usize) -> Result<u64, CodecError> {
        if let Some(&count) = self.counted.get(&node.id()) {
            return Ok(count);
        }
        if depth > DEEPEST {
            return Err(damaged("its elements are nested without end"));
        }
        // What shows itself is shown by no browser: it counts while it is counted, and no more.
        self.counted.insert(node.id(), 1);
        let mut count = 1_u64;
        if node.tag_name().name() == "use" {
            let link = node.attribute("href").or_else(|| node.attribute((XLINK, "href")));
            let name = link.and_then(|link| link.trim().strip_prefix('#'));
            if let Some(&shown) = name.and_then(|name| self.named.get(name)) {
                count = count.saturating_add(self.by(shown, depth + 1)?);
            }
        }
        for child in node.children().filter(Node::is_element) {
            count = count.saturating_add(self.by(child, depth + 1)?);
        }
        self.counted.insert(node.id(), count);
        Ok(count)
    }
}

pub(crate) fn escape(text: &str, in_attribute: bool, out: &mut String) {
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' if in_attribute => out.push_str("&quot;"),
            '\n' | '\t' | '\r' if in_attribute => {
                let _ = write!(out, "&#{};", u32::from(c));
            }
            _ => out.push(c),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cleaned(inside: &str) -> Result<String, CodecError> {
        let head = r#"<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="9" height="9""#;
        clean(format!("{head}>{inside}</svg>").as_bytes())
    }

    #[test]
    fn known_tricks_leave_nothing_of_themselves() {
        for trick in [
            "<style>@im<!-- -->port 'http://elsewhere.example/a.css';</style>",
            "<style>@im<![CDATA[port 'http://elsewhere.example/a.css']]>;</style>",
            "<style>a{fill:url(<!-- -->http://elsewhere.example)}</style>",
            "<script>elsewhere()</script>",
            "<SCRIPT>elsewhere()</SCRIPT>",
            "<x:script xmlns:x='http://www.w3.org/2000/svg'>elsewhere()</x:script>",
            "<script xmlns='http://www.w3.org/1999/xhtml'>elsewhere()</script>",
            "<g><g onload='elsewhere()'/></g>",
            "<g ONLOAD='elsewhere()'/>",
            "<g onfocusin='elsewhere()' tabindex='1' autofocus='elsewhere'/>",
            "<a href='javascript:elsewhere()'><rect/></a>",
            "<a xlink:href=' java&#10;script:elsewhere()'><rect/></a>",
            "<a href='https://elsewhere.example'><rect/></a>",
            "<foreignObject><iframe xmlns='http://www.w3.org/1999/xhtml' src='//elsewhere'/></foreignObject>",
            "<use href='http://elsewhere.example/a.svg#x'/>",
            "<use href='data:image/svg+xml;base64,elsewhere#x'/>",
            "<image href='http://elsewhere.example/p.png'/>",
            "<image href='data:image/svg+xml,elsewhere'/>",
            "<image href='data:text/html;base64,elsewhere'/>",
            "<feImage xlink:href='//elsewhere.example/p.png'/>",
            "<set attributeName='href' to='javascript:elsewhere()'/>",
            "<a><animate attributeName='xlink:href' values='javascript:elsewhere()'/></a>",
            "<animate attributeName='onload' to='elsewhere()'/>",
            "<animate attributeName='style' to='elsewhere'/>",
            "<animate attributeName='fill' to='url(//elsewhere)'/>",
            "<rect fill='url(http://elsewhere.example#a)'/>",
            "<rect style='fill:url(//elsewhere)'/>",
            "<rect style='background:u\\72l(//elsewhere)'/>",
            "<rect filter='u&#x72;l(//elsewhere)'/>",
            "<rect cursor='url(//elsewhere)'/>",
            "<g xml:base='http://elsewhere.example/'/>",
            "<handler type='application/ecmascript'>elsewhere()</handler>",
            "<video src='elsewhere'/><audio src='elsewhere'/>",
            "<metadata>elsewhere</metadata>",
            "<?xml-stylesheet href='elsewhere'?>",
            "<!-- elsewhere -->",
            "<title data-x='elsewhere'/>",
        ] {
            let clean = cleaned(trick).unwrap();
            assert!(!clean.contains("elsewhere"), "{trick} left {clean}");
            assert_eq!(super::clean(clean.as_bytes()).unwrap(), clean, "once is enough");
        }
    }

    #[test]
    fn entities_and_encodings_bring_nothing_in() {
        let file = "<!DOCTYPE svg [<!ENTITY x SYSTEM 'file:///etc/passwd'>]><svg>&x;</svg>";
        assert!(clean(file.as_bytes()).is_err());
        let utf16: Vec<u8> = "<svg/>".encode_utf16().flat_map(u16::to_le_bytes).collect();
        assert!(clean(&utf16).is_err());
        assert!(clean(b"<html xmlns='http://www.w3.org/1999/xhtml'/>").is_err());
    }

    #[test]
    fn what_draws_is_kept_as_it_is() {
        for drawn in [
            r##"<a href="#x"><rect id="x" style="fill:url(#sky);stroke-width:2px"></rect></a>"##,
            r#"<image href="data:image/png;base64,AAAA" width="1"></image>"#,
            r#"<text font-family="'Source Sans 3', sans-serif">Tom &amp; Ada (1)</text>"#,
            r#"<g role="img" aria-label="The dome (west)" transform="translate(1 2) rotate(3)"></g>"#,
            r#"<animate attributeName="opacity" values="0;1" dur="2s" repeatCount="indefinite"></animate>"#,
            r#"<path d="M0 0L9 9" fill="rgb(1 2 3 / 50%)"></path>"#,
        ] {
            assert!(cleaned(drawn).unwrap().contains(drawn), "{drawn}");
        }
    }

    #[test]
    fn noise_and_repetition_have_an_end() {
        let noise = cleaned("<feTurbulence numOctaves='4000000000'/>").unwrap();
        assert!(noise.contains("numOctaves=\"12\""), "{noise}");
        let mut nested = String::from("<g id='n0'><rect/></g>");
        for n in 1..12 {
            let inner = format!("<use href='#n{}'/>", n - 1).repeat(10);
            let _ = write!(nested, "<g id='n{n}'>{inner}</g>");
        }
        assert!(cleaned(&nested).is_err());
        let others: String = (0..12).map(|n| format!("<g id='n{n}'/>")).collect();
        let hidden = format!("{nested}{others}");
        assert!(cleaned(&hidden).is_err(), "another of the same name hides nothing");
        assert!(cleaned("<g id='a'><use href='#a'/></g>").is_ok(), "browsers show it once");
    }
}
