//! Styles of a drawing: read as CSS (Syntax Level 3), and written again with what loads nothing.
//!
//! Only what was understood is written. A sheet is rules, at-rules of which two kinds are kept, and
//! declarations; a value is kept where it calls nothing but functions that compute, and takes what
//! it names from the drawing itself.

use std::fmt::Write;

use super::allowed;

/// At-rules may stand within each other so deep.
const DEEPEST: usize = 4;

/// The rules of `sheet` that load nothing.
pub(super) fn sheet(sheet: &str) -> String {
    let mut out = String::new();
    rules(&without_comments(sheet), 0, &mut out);
    out
}

/// The declarations of `text` that load nothing.
pub(super) fn declarations(text: &str) -> String {
    let text = without_comments(text);
    let kept = split(&text, ';').filter_map(declaration);
    kept.map(|(name, value)| format!("{name}:{value}")).collect::<Vec<_>>().join(";")
}

/// Whether `value` calls nothing but functions that compute, and takes what it names from the
/// drawing itself.
pub(super) fn is_harmless(value: &str) -> bool {
    // An escape can spell anything, and a comment can part it.
    if value.contains('\\') || value.contains("/*") || value.contains('@') {
        return false;
    }
    let lower = value.to_ascii_lowercase();
    if lower.contains("javascript:") {
        return false;
    }
    let mut rest = value;
    while let Some(at) = rest.find(['(', '"', '\'']) {
        let after = &rest[at + 1..];
        match rest.as_bytes()[at] {
            b'(' => {
                let name = called(&rest[..at]);
                let loads_nothing = match name.to_ascii_lowercase().as_str() {
                    // Brackets alone.
                    "" => true,
                    "url" => is_own(after),
                    _ => allowed::function(name),
                };
                if !loads_nothing {
                    return false;
                }
                rest = after;
            }
            quote => match after.find(char::from(quote)) {
                Some(end) => rest = &after[end + 1..],
                None => return false,
            },
        }
    }
    true
}

/// The name of the function whose bracket follows `before`, also where a blank stands between.
fn called(before: &str) -> &str {
    let before = before.trim_end();
    let is_name = |c: char| c.is_alphanumeric() || c == '-' || c == '_' || !c.is_ascii();
    &before[before.trim_end_matches(is_name).len()..]
}

/// Whether an address, as it stands after `url(`, is a part of the drawing itself.
fn is_own(address: &str) -> bool {
    let address = address.trim_start();
    let address = address.strip_prefix(['"', '\'']).unwrap_or(address);
    address.trim_start().starts_with('#')
}

fn rules(text: &str, depth: usize, out: &mut String) {
    let mut rest = text.trim_start();
    while !rest.is_empty() {
        let Some(at) = end_of(rest, &['{', ';']) else { return };
        let prelude = rest[..at].trim();
        if rest[at..].starts_with(';') {
            // An at-rule without a block imports or names something.
            rest = rest[at + 1..].trim_start();
            continue;
        }
        let inside = &rest[at + 1..];
        // What is not closed is closed by the end.
        let end = end_of(inside, &['}']).unwrap_or(inside.len());
        rule(prelude, &inside[..end], depth, out);
        rest = inside.get(end + 1..).unwrap_or_default().trim_start();
    }
}

fn rule(prelude: &str, block: &str, depth: usize, out: &mut String) {
    let is_plain = !prelude.contains(['\\', '<', '}', '{']) && !prelude.contains("url(");
    if !is_plain || depth > DEEPEST {
        return;
    }
    let mut inside = String::new();
    let lower = prelude.to_ascii_lowercase();
    if lower.starts_with("@media") || lower.starts_with("@keyframes") {
        rules(block, depth + 1, &mut inside);
    } else if !prelude.contains('@') {
        inside = declarations(block);
    }
    if !inside.is_empty() {
        let _ = write!(out, "{prelude}{{{inside}}}");
    }
}

fn declaration(text: &str) -> Option<(&str, &str)> {
    let (name, value) = text.split_once(':')?;
    let (name, value) = (name.trim(), value.trim());
    let is_name = !name.is_empty() && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '-');
    let lower = name.to_ascii_lowercase();
    let runs = lower == "behavior" || lower.ends_with("-binding");
    let is_closed = !value.is_empty() && !value.contains(['{', '}', '<']) && is_balanced(value);
    (is_name && !runs && is_closed && is_harmless(value)).then_some((name, value))
}

fn is_balanced(value: &str) -> bool {
    end_of(value, &[]).is_none() && depth_at_end(value) == Some(0)
}

/// How many brackets are open at the end of `text`, strings aside; nothing where one is closed that
/// was not open, or a string does not end.
fn depth_at_end(text: &str) -> Option<usize> {
    let (mut depth, mut quote) = (0_usize, None);
    for c in text.chars() {
        match (quote, c) {
            (Some(open), _) if c == open => quote = None,
            (Some(_), _) => {}
            (None, '"' | '\'') => quote = Some(c),
            (None, '(' | '[') => depth += 1,
            (None, ')' | ']') => depth = depth.checked_sub(1)?,
            _ => {}
        }
    }
    quote.is_none().then_some(depth)
}

/// Where the first of `ends` stands in `text`, strings and all kinds of brackets aside.
fn end_of(text: &str, ends: &[char]) -> Option<usize> {
    let (mut depth, mut quote) = (0_usize, None);
    for (at, c) in text.char_indices() {
        match (quote, c) {
            (Some(open), _) if c == open => quote = None,
            (Some(_), _) => {}
            (None, '"' | '\'') => quote = Some(c),
            _ if depth == 0 && ends.contains(&c) => return Some(at),
            (None, '(' | '[' | '{') => depth += 1,
            (None, ')' | ']' | '}') => depth = depth.saturating_sub(1),
            _ => {}
        }
    }
    None
}

/// The parts of `text` between `by`, strings and brackets aside.
fn split(text: &str, by: char) -> impl Iterator<Item = &str> {
    let mut rest = Some(text);
    std::iter::from_fn(move || {
        let text = rest?;
        let end = end_of(text, &[by]);
        rest = end.map(|end| &text[end + by.len_utf8()..]);
        Some(&text[..end.unwrap_or(text.len())])
    })
}

/// `text` with a blank for each comment; one that does not end takes all that follows.
fn without_comments(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let (mut rest, mut quote) = (text, None);
    while let Some(c) = rest.chars().next() {
        if quote.is_none() && rest.starts_with("/*") {
            out.push(' ');
            rest = rest[2..].split_once("*/").map_or("", |(_, after)| after);
            continue;
        }
        quote = match quote {
            Some(open) if open == c => None,
            None if matches!(c, '"' | '\'') => Some(c),
            other => other,
        };
        out.push(c);
        rest = &rest[c.len_utf8()..];
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_loads_nothing_stays() {
        for kept in [
            "rect{fill:teal}",
            ".a .b>c,#d:hover{stroke:url(#sky);transform:rotate(calc(1deg * 2))}",
            "@media(prefers-color-scheme:dark){.dark{display:inline}}",
            "@keyframes turn{from{opacity:0}to{opacity:1}}",
            "text{font-family:'Source Sans 3',\"a;b c\"}",
            ":root{--ink:#123456}",
        ] {
            assert_eq!(sheet(kept), kept);
        }
    }

    #[test]
    fn what_reaches_out_is_left_out_and_its_neighbours_stay() {
        for bad in [
            "@import 'http://elsewhere.example/a.css';",
            "@import url(http://elsewhere.example/a.css);",
            "@\\69mport 'elsewhere';",
            "@font-face{font-family:x;src:url(http://elsewhere.example/x)}",
            "a{background:url(http://elsewhere.example/p.png)}",
            "a{background:URL ( 'http://elsewhere.example/p.png' )}",
            "a{background:url(/*#*/http://elsewhere.example)}",
            "a{background:u\\72l(http://elsewhere.example)}",
            "a{background:image-set('http://elsewhere.example' 1x)}",
            "a{background:src('http://elsewhere.example')}",
            "a{--x:url(http://elsewhere.example)}",
            "a{behavior:url(#elsewhere)}",
            "a{-moz-binding:url(#elsewhere)}",
            "a{width:expression(elsewhere())}",
            "a{fill:'elsewhere",
            "a{fill:red;}} b{background:url(//elsewhere.example)",
            "a{fill:url(javascript:elsewhere)}",
        ] {
            let clean = sheet(&format!("b{{fill:navy}}{bad}"));
            assert!(clean.starts_with("b{fill:navy}") && !clean.contains("elsewhere"), "{clean}");
        }
        assert_eq!(sheet("a{fill:url(//x);stroke:red}c{r:2}"), "a{stroke:red}c{r:2}");
        assert_eq!(
            declarations("fill:red;background:url(//x);;stroke : blue ;"),
            "fill:red;stroke:blue"
        );
    }
}
