//! Styles: a background that offers new files (CSS Images 4, `image-set()`).
//!
//! The declaration stays for browsers that read no `image-set()`; a second one behind it, the same but for
//! the address, offers the files. What only some viewports get stands in media queries right behind
//! the rule, so that rules which come later go on deciding what they decided before.

use std::ops::Range;

use crate::source::splice::Splice;
use crate::source::style::StyleUrl;

/// The image of each range of viewports, by the narrowest one in it, those first: as
/// [`Background::images`](brisk_margin_core::markup::background::Background::images) tells them.
pub type Images<'a> = &'a [(u32, String)];

/// What an earlier publication put behind a declaration.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EarlierOffer {
    /// The declaration that offers its files, with the semicolon before.
    declared: Range<usize>,
    /// The media queries behind the rule; empty where there are none.
    behind: Range<usize>,
}

impl EarlierOffer {
    /// What stands behind `old` in `css`, where that names no other files than those that `is_own`; `urls`
    /// are all of `css`.
    pub fn behind(
        css: &[u8],
        old: &StyleUrl,
        urls: &[StyleUrl],
        is_own: impl Fn(&StyleUrl) -> bool,
    ) -> Option<Self> {
        let end = old.declaration.end;
        let next = urls.iter().filter(|url| {
            (&url.rule, &url.property) == (&old.rule, &old.property) && url.declaration.start > end
        });
        let next = &next.min_by_key(|url| url.declaration.start)?.declaration;
        let owns = |part: &Range<usize>| {
            let mut inside = urls.iter().filter(|url| part.contains(&url.range.start)).peekable();
            inside.peek().is_some() && inside.all(&is_own)
        };
        if css[end..next.start].trim_ascii() != b";" || !owns(next) {
            return None;
        }
        let start = old.rule.as_ref().map_or(end, |rule| rule.end);
        let mut behind = start..start;
        while let Some(query) = media_query(css, behind.end).filter(owns) {
            behind.end = query.end;
        }
        Some(Self { declared: end..next.end, behind })
    }

    /// Whether `url` is one of those that it offers.
    pub fn holds(&self, url: &StyleUrl) -> bool {
        [&self.declared, &self.behind].iter().any(|part| part.contains(&url.range.start))
    }
}

/// A media query as [`change_rule`] writes it, where one begins at `at`.
fn media_query(css: &[u8], at: usize) -> Option<Range<usize>> {
    let rest = css.get(at..).filter(|rest| rest.starts_with(QUERY))?;
    let length = rest.windows(2).position(|two| two == b"}}")? + 2;
    Some(at..at + length)
}

/// How media queries for wider viewports begin.
const QUERY: &[u8] = b"@media (min-width:";

/// What is to be changed in `css` for `old` to become `images`, in a rule of a style sheet, in place of what
/// an `earlier` publication put there.
pub fn change_rule(
    css: &[u8],
    old: &StyleUrl,
    earlier: Option<&EarlierOffer>,
    images: Images<'_>,
) -> Vec<Splice> {
    let (Some(rule), [(_, first), others @ ..]) = (&old.rule, images) else { return Vec::new() };
    let declared = |image: &str| {
        let before = &css[old.declaration.start..old.range.start];
        let after = &css[old.range.end..old.declaration.end];
        [before, image.as_bytes(), after].concat()
    };
    let prelude = &css[rule.prelude.clone()];
    let mut behind = Vec::new();
    for (from, image) in others {
        behind.extend([QUERY, format!("{from}px){{").as_bytes()].concat());
        behind.extend([prelude, b"{", &declared(image), b"}}"].concat());
    }
    let end = old.declaration.end;
    let places = earlier.map(|earlier| (earlier.declared.clone(), earlier.behind.clone()));
    let (after, below) = places.unwrap_or((end..end, rule.end..rule.end));
    let mut changes = vec![Splice::new(after, [b";", &declared(first)[..]].concat())];
    if !(behind.is_empty() && below.is_empty()) {
        changes.push(Splice::new(below, behind));
    }
    changes
}

/// What is to be changed for `old` to become `image` in a `style` attribute, which knows no viewports, in place
/// of what an `earlier` publication put there.
pub fn change_attribute(
    css: &[u8],
    old: &StyleUrl,
    earlier: Option<&EarlierOffer>,
    image: &str,
) -> Splice {
    let before = &css[old.declaration.start..old.range.start];
    let after = &css[old.range.end..old.declaration.end];
    let end = old.declaration.end;
    let place = earlier.map_or(end..end, |earlier| earlier.declared.clone());
    Splice::new(place, [b";", before, image.as_bytes(), after].concat())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::splice::spliced;
    use crate::source::style::style_urls;

    #[test]
    fn a_rule_keeps_its_declaration_and_gets_one_for_each_range_of_viewports() {
        let css = "/* a */ .hero , .top{ background : red url( dome.jpg ) center/cover !important;color:red }\n.b{}";
        let old = style_urls(css.as_bytes()).remove(0);
        let images = [(0, "image-set(url(\"s\") 1x)".to_owned()), (821, "url(\"l\")".to_owned())];
        let changes = change_rule(css.as_bytes(), &old, None, &images);
        let made = String::from_utf8(spliced(css.as_bytes(), changes).unwrap()).unwrap();
        assert_eq!(
            made,
            "/* a */ .hero , .top{ background : red url( dome.jpg ) center/cover !important;\
             background : red image-set(url(\"s\") 1x) center/cover !important;color:red }\
             @media (min-width:821px){.hero , .top{background : red url(\"l\") center/cover !important}}\
             \n.b{}"
        );
        assert_eq!(style_urls(made.as_bytes()).len(), 3);
    }

    #[test]
    fn what_an_earlier_publication_offered_is_replaced_and_nothing_else() {
        let css = ".hero{background:url(dome.jpg) center;color:red}\n.b{}";
        let made = |css: &str, images: &[(u32, String)]| {
            let urls = style_urls(css.as_bytes());
            let is_own = |url: &StyleUrl| url.address.starts_with("made/");
            let earlier = EarlierOffer::behind(css.as_bytes(), &urls[0], &urls, is_own);
            let held = urls.iter().filter(|url| earlier.as_ref().is_some_and(|one| one.holds(url)));
            let held = held.count();
            let changes = change_rule(css.as_bytes(), &urls[0], earlier.as_ref(), images);
            (String::from_utf8(spliced(css.as_bytes(), changes).unwrap()).unwrap(), held)
        };
        let set = |name: &str| {
            format!("image-set(url(\"made/{name}.avif\") 1x,url(\"made/{name}.jpg\") 1x)")
        };
        let two = |name: &str| [(0, set(name)), (821, format!("url(\"made/{name}-l.jpg\")"))];
        let (first, none) = made(css, &two("a"));
        assert_eq!(none, 0);
        assert_eq!(made(&first, &two("b")), (made(css, &two("b")).0, 3));
        assert_eq!(made(&first, &[(0, set("c"))]).0, made(css, &[(0, set("c"))]).0);
        // Somebody's own rules behind it stay.
        let theirs = first.replace("made/a-l.jpg", "other/a-l.jpg");
        assert!(made(&theirs, &two("b")).0.contains("other/a-l.jpg"));
        let theirs = first.replace(";background:image-set", ";color:blue;background:image-set");
        assert_eq!(made(&theirs, &two("b")).1, 0, "something stands between");
    }

    #[test]
    fn an_attribute_gets_one_for_all_viewports() {
        let css = "color:red;background-image:url(a.jpg), url(b.jpg)";
        let old = style_urls(css.as_bytes()).remove(1);
        let made = spliced(css.as_bytes(), vec![change_attribute(css.as_bytes(), &old, None, "X")]);
        assert_eq!(
            String::from_utf8(made.unwrap()).unwrap(),
            "color:red;background-image:url(a.jpg), url(b.jpg);background-image:url(a.jpg), X"
        );
    }
}
