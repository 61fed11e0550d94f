//! Styles: a background that offers new files (CSS Images 4, `image-set()`).
//!
//! The declaration stays for browsers that read no `image-set()`; a second one behind it, the same but for
//! the address, offers the files. What only some viewports get stands in media queries right behind
//! the rule, so that rules which come later go on deciding what they decided before.

use crate::source::splice::Splice;
use crate::source::style::StyleUrl;

/// The image of each range of viewports, by the narrowest one in it, those first: as
/// [`Background::images`](brisk_margin_core::markup::background::Background::images) tells them.
pub type Images<'a> = &'a [(u32, String)];

/// What is to be changed in `css` for `old` to become `images`, in a rule of a style sheet.
pub fn change_rule(css: &[u8], old: &StyleUrl, images: Images<'_>) -> Vec<Splice> {
    let (Some(rule), [(_, first), others @ ..]) = (&old.rule, images) else { return Vec::new() };
    let declared = |image: &str| {
        let before = &css[old.declaration.start..old.range.start];
        let after = &css[old.range.end..old.declaration.end];
        [before, image.as_bytes(), after].concat()
    };
    let mut changes =
        vec![Splice::insert(old.declaration.end, [b";", &declared(first)[..]].concat())];
    if others.is_empty() {
        return changes;
    }
    let prelude = &css[rule.prelude.clone()];
    let mut behind = Vec::new();
    for (from, image) in others {
        behind.extend(format!("@media (min-width:{from}px){{").into_bytes());
        behind.extend([prelude, b"{", &declared(image), b"}}"].concat());
    }
    changes.push(Splice::insert(rule.end, behind));
    changes
}

/// What is to be changed for `old` to become `image` in a `style` attribute, which knows no viewports.
pub fn change_attribute(css: &[u8], old: &StyleUrl, image: &str) -> Splice {
    let before = &css[old.declaration.start..old.range.start];
    let after = &css[old.range.end..old.declaration.end];
    Splice::insert(old.declaration.end, [b";", before, image.as_bytes(), after].concat())
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
        let changes = change_rule(css.as_bytes(), &old, &images);
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
    fn an_attribute_gets_one_for_all_viewports() {
        let css = "color:red;background-image:url(a.jpg), url(b.jpg)";
        let old = style_urls(css.as_bytes()).remove(1);
        let made = spliced(css.as_bytes(), vec![change_attribute(css.as_bytes(), &old, "X")]);
        assert_eq!(
            String::from_utf8(made.unwrap()).unwrap(),
            "color:red;background-image:url(a.jpg), url(b.jpg);background-image:url(a.jpg), X"
        );
    }
}
