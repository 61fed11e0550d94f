//! Style sheets: the addresses that declarations name, with the rules around them (CSS Syntax 3).

use std::ops::Range;

/// An address in a declaration.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StyleUrl {
    /// The address, without escapes.
    pub address: String,
    /// The whole of `url(…)`.
    pub range: Range<usize>,
    /// The declaration's property in small letters, or its custom property as it is written.
    pub property: String,
    /// From the property to the end of the value, `!important` included.
    pub declaration: Range<usize>,
    /// The rule that the declaration stands in; nothing in a `style` attribute.
    pub rule: Option<StyleRule>,
    /// Whether it is one of the choices of an `image-set()` or another function.
    pub is_in_function: bool,
}

/// The innermost rule around a declaration.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StyleRule {
    /// What stands before its `{`, without spaces around.
    pub prelude: Range<usize>,
    /// Behind its `}`, or the end of the sheet where that is missing.
    pub end: usize,
}

/// The addresses that the declarations of `css` name, in their order: of a style sheet, or of what
/// stands in a `style` attribute. Those of rules such as `@import` are left out.
pub fn style_urls(css: &[u8]) -> Vec<StyleUrl> {
    let mut reader = Reader { css, at: 0, found: Vec::new(), blocks: Vec::new() };
    reader.read();
    reader.found
}

struct Reader<'a> {
    css: &'a [u8],
    at: usize,
    found: Vec<StyleUrl>,
    /// The rules around, the innermost last: the prelude, and the addresses that were found in each
    /// before its own.
    blocks: Vec<(Range<usize>, usize)>,
}

impl Reader<'_> {
    fn read(&mut self) {
        while self.at < self.css.len() {
            self.statement();
        }
        while !self.blocks.is_empty() {
            self.close(self.css.len());
        }
    }

    /// A declaration up to its end, or a prelude up to its `{`.
    fn statement(&mut self) {
        let start = self.skip_space();
        let mut urls = Vec::new();
        let mut functions = 0_usize;
        while let Some(&byte) = self.css.get(self.at) {
            match byte {
                b'/' if self.css.get(self.at + 1) == Some(&b'*') => self.skip_comment(),
                b'"' | b'\'' => self.skip_string(byte),
                b'\\' => self.at += 2,
                b'(' => {
                    match self.url(start) {
                        Some((address, range)) => {
                            self.at = range.end;
                            urls.push((address, range, functions > 0));
                        }
                        None => {
                            functions += 1;
                            self.at += 1;
                        }
                    };
                }
                b')' => {
                    functions = functions.saturating_sub(1);
                    self.at += 1;
                }
                b';' if functions == 0 => {
                    self.declare(start, self.at, urls);
                    self.at += 1;
                    return;
                }
                b'{' if functions == 0 && !self.is_custom(start) => {
                    let prelude = start..self.without_space(start, self.at);
                    self.blocks.push((prelude, self.found.len()));
                    self.at += 1;
                    return;
                }
                b'{' | b'[' => {
                    functions += 1;
                    self.at += 1;
                }
                b'}' if functions > 0 && self.is_custom(start) => {
                    functions -= 1;
                    self.at += 1;
                }
                // Also where a bracket was left open.
                b'}' => {
                    self.declare(start, self.at, urls);
                    self.at += 1;
                    self.close(self.at);
                    return;
                }
                b']' => {
                    functions = functions.saturating_sub(1);
                    self.at += 1;
                }
                _ => self.at += 1,
            }
        }
        self.at = self.css.len();
        self.declare(start, self.at, urls);
    }

    /// Ends the innermost rule at `end`.
    fn close(&mut self, end: usize) {
        let Some((prelude, first)) = self.blocks.pop() else { return };
        for url in &mut self.found[first..] {
            // Those of a rule inside have theirs.
            url.rule.get_or_insert_with(|| StyleRule { prelude: prelude.clone(), end });
        }
    }

    fn declare(&mut self, start: usize, end: usize, urls: Vec<(String, Range<usize>, bool)>) {
        let end = self.without_space(start, end);
        let text = &self.css[start..end];
        let Some(colon) = text.iter().position(|&byte| byte == b':') else { return };
        let property = String::from_utf8_lossy(&text[..colon]).trim().to_owned();
        if property.starts_with('@') {
            return;
        }
        let is_custom = property.starts_with("--");
        let property = if is_custom { property } else { property.to_ascii_lowercase() };
        self.found.extend(urls.into_iter().map(|(address, range, is_in_function)| StyleUrl {
            address,
            range,
            property: property.clone(),
            declaration: start..end,
            rule: None,
            is_in_function,
        }));
    }

    /// Whether what begins at `start` is a custom property, whose value may hold braces.
    fn is_custom(&self, start: usize) -> bool {
        let text = &self.css[start..self.at];
        text.starts_with(b"--") && text.contains(&b':')
    }

    /// The address of a `url(` whose bracket is at hand, and its range.
    fn url(&self, start: usize) -> Option<(String, Range<usize>)> {
        let begin = self.at.checked_sub(3).filter(|&begin| begin >= start)?;
        if !self.css[begin..self.at].eq_ignore_ascii_case(b"url") {
            return None;
        }
        let is_part = |byte: u8| byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_');
        if begin > start && is_part(self.css[begin - 1]) {
            return None;
        }
        let mut inner = Reader { at: self.at + 1, found: Vec::new(), blocks: Vec::new(), ..*self };
        let from = inner.skip_white();
        let (text, close) = match self.css.get(from) {
            Some(&quote @ (b'"' | b'\'')) => {
                inner.skip_string(quote);
                let text = self.css.get(from + 1..inner.at.checked_sub(1)?)?;
                (text, inner.skip_white())
            }
            _ => {
                while inner.at < self.css.len() && self.css[inner.at] != b')' {
                    inner.at += if self.css[inner.at] == b'\\' { 2 } else { 1 };
                }
                (self.css.get(from..inner.at)?.trim_ascii_end(), inner.at)
            }
        };
        (self.css.get(close) == Some(&b')')).then(|| (unescaped(text), begin..close + 1))
    }

    fn skip_comment(&mut self) {
        let rest = &self.css[self.at + 2..];
        let end = rest.windows(2).position(|pair| pair == b"*/");
        self.at = end.map_or(self.css.len(), |end| self.at + 2 + end + 2);
    }

    fn skip_string(&mut self, quote: u8) {
        self.at += 1;
        while let Some(&byte) = self.css.get(self.at) {
            self.at += if byte == b'\\' { 2 } else { 1 };
            // A string that is not ended ends with its line.
            if byte == quote || byte == b'\n' {
                return;
            }
        }
        self.at = self.css.len();
    }

    fn skip_white(&mut self) -> usize {
        while self.css.get(self.at).is_some_and(u8::is_ascii_whitespace) {
            self.at += 1;
        }
        self.at
    }

    /// Skips spaces and comments.
    fn skip_space(&mut self) -> usize {
        loop {
            self.skip_white();
            if !self.css[self.at..].starts_with(b"/*") {
                return self.at;
            }
            self.skip_comment();
        }
    }

    /// The end of what is between `start` and `end` without spaces.
    fn without_space(&self, start: usize, end: usize) -> usize {
        let end = end.min(self.css.len());
        start.min(end) + self.css[start.min(end)..end].trim_ascii_end().len()
    }
}

/// A string without its escapes (CSS Syntax 3, 4.3.7).
fn unescaped(text: &[u8]) -> String {
    let text = String::from_utf8_lossy(text);
    let mut out = String::new();
    let mut rest = text.chars().peekable();
    while let Some(c) = rest.next() {
        if c != '\\' {
            out.push(c);
            continue;
        }
        let mut code = String::new();
        while code.len() < 6 && rest.peek().is_some_and(char::is_ascii_hexdigit) {
            code.extend(rest.next());
        }
        match u32::from_str_radix(&code, 16) {
            Ok(code) => {
                rest.next_if(|c| c.is_ascii_whitespace());
                out.push(char::from_u32(code).unwrap_or(char::REPLACEMENT_CHARACTER));
            }
            Err(_) => out.extend(rest.next().filter(|&c| c != '\n')),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Property, address, and the prelude of the rule, of each that is found.
    fn found(css: &str) -> Vec<(String, String, Option<&str>)> {
        style_urls(css.as_bytes())
            .into_iter()
            .map(|url| {
                assert!(css[url.range.clone()].to_lowercase().starts_with("url("), "{url:?}");
                assert!(css[url.range.clone()].ends_with(')'), "{url:?}");
                let prelude = url.rule.map(|rule| &css[rule.prelude]);
                (url.property, url.address, prelude)
            })
            .collect()
    }

    #[test]
    fn each_address_is_found_with_its_rule() {
        let css = "@charset 'utf-8'; @import url(base.css);
            /* .x { background: url(no.jpg) } */
            .hero, .a > b { color: red; BACKGROUND: #fff URL( 'dome (1).jpg' ) center / cover !important }
            @media (min-width: 40em) { .hero{background-image:linear-gradient(red,blue),url(w\\ ide.jpg)} }
            .card { --art: url(\"art.png\"); & .b { mask: url(m.svg) } list-style: url(l.gif) }
            .s { background: image-set(url(a.avif) 1x, url(a2.avif) 2x), url(data:image/gif;base64,R0) }
            @font-face { src: url(f.woff2) }";
        let told = found(css);
        let told: Vec<_> = told.iter().map(|(p, a, r)| (p.as_str(), a.as_str(), *r)).collect();
        assert_eq!(
            told,
            [
                ("background", "dome (1).jpg", Some(".hero, .a > b")),
                ("background-image", "w ide.jpg", Some(".hero")),
                ("--art", "art.png", Some(".card")),
                ("mask", "m.svg", Some("& .b")),
                ("list-style", "l.gif", Some(".card")),
                ("background", "a.avif", Some(".s")),
                ("background", "a2.avif", Some(".s")),
                ("background", "data:image/gif;base64,R0", Some(".s")),
                ("src", "f.woff2", Some("@font-face")),
            ]
        );
        let sets: Vec<bool> =
            style_urls(css.as_bytes()).iter().map(|url| url.is_in_function).collect();
        assert_eq!(sets, [false, false, false, false, false, true, true, false, false]);
    }

    #[test]
    fn a_declaration_and_a_rule_end_where_they_do() {
        let css = ".a{background:url(a.jpg) no-repeat ; color:red}.b{}";
        let url = style_urls(css.as_bytes()).remove(0);
        assert_eq!(&css[url.declaration], "background:url(a.jpg) no-repeat");
        assert_eq!(
            &css[..url.rule.unwrap().end],
            ".a{background:url(a.jpg) no-repeat ; color:red}"
        );
        let attribute = "color: red; background: url(a.jpg)";
        let url = style_urls(attribute.as_bytes()).remove(0);
        assert_eq!((&attribute[url.declaration], url.rule), ("background: url(a.jpg)", None));
    }

    #[test]
    fn what_is_broken_ends_with_the_sheet() {
        assert_eq!(found(".a { background: url(a.jpg").len(), 0);
        let told = found(".a { background: url(a.jpg)");
        assert_eq!(told, [("background".into(), "a.jpg".into(), Some(".a"))]);
        assert_eq!(found("} .a { background: (url(x.jpg) }").len(), 1);
        assert_eq!(found(".a { content: 'url(x.jpg)'; --x: { url(y.jpg) } }").len(), 1);
    }

    proptest! {
        #[test]
        fn any_bytes_are_read_to_their_end(css in prop::collection::vec(
            prop::sample::select(b"ab{}();:'\"/*\\ url\n-@,".to_vec()), 0..120)) {
            for url in style_urls(&css) {
                prop_assert!(css[url.range.clone()].to_ascii_lowercase().starts_with(b"url("));
                prop_assert!(url.declaration.start <= url.range.start);
                prop_assert!(url.range.end <= url.declaration.end);
                if let Some(rule) = url.rule {
                    prop_assert!(rule.prelude.end <= url.declaration.start);
                    prop_assert!(url.declaration.end <= rule.end);
                }
            }
        }
    }
}
