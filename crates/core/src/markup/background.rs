//! Backgrounds: the style rules that offer a browser all files of a slot which a style sheet fills
//! (CSS Images 4, `image-set()`).

use std::collections::BTreeSet;
use std::fmt::Write;

use super::picture::{File, Offer};
use crate::format::Format;
use crate::units::Density;

/// Up to here a slot is looked at where it grows beyond the widest layout width that is known.
const WIDEST: u32 = 3_840;

/// A background with all files that it is offered.
#[derive(Debug, Clone, PartialEq)]
pub struct Background {
    /// The element's selector.
    pub selector: String,
    /// The files: those for the widest viewports first, and of each shape those that only some
    /// browsers read first.
    pub offers: Vec<Offer>,
    /// The densities that files are offered for, the smallest first.
    pub densities: Vec<Density>,
    /// The layout widths that the slot is known at, in CSS pixels.
    pub viewports: BTreeSet<u32>,
}

/// What holds from a viewport on.
#[derive(Debug, PartialEq)]
struct Rule<'a> {
    from: u32,
    options: Vec<Choice<'a>>,
}

/// A file for a density and those up to the next.
#[derive(Debug, PartialEq)]
struct Choice<'a> {
    file: &'a File,
    format: Format,
    density: Density,
}

impl Background {
    /// The file that a browser which reads `reads` takes at `viewport` and `density`: the first one
    /// that is dense enough, or else the densest.
    pub fn downloaded(
        &self,
        viewport: u32,
        density: Density,
        reads: impl Fn(Format) -> bool,
    ) -> Option<&File> {
        let rules = self.rules();
        let rule = rules.iter().rev().find(|rule| rule.from <= viewport)?;
        let format = rule.options.iter().map(|choice| choice.format).find(|&f| reads(f))?;
        let mut read = rule.options.iter().filter(|choice| choice.format == format);
        let enough = read.clone().find(|choice| choice.density >= density);
        enough.or_else(|| read.next_back()).map(|choice| choice.file)
    }

    /// The style rules. They stand behind those of the page, whose size and place of the background
    /// stay.
    pub fn css(&self) -> String {
        let mut css = String::new();
        for rule in self.rules() {
            let inner = self.declared(&rule.options);
            if rule.from == 0 {
                css.push_str(&inner);
                continue;
            }
            let _ = writeln!(css, "@media (min-width: {}px) {{", rule.from);
            for line in inner.lines() {
                let _ = writeln!(css, "  {line}");
            }
            css.push_str("}\n");
        }
        css
    }

    /// The image of each range of viewports, by the narrowest one that is in it, those first: what stands
    /// in place of the address in a declaration. `quote` is that of its strings.
    pub fn images(&self, quote: char) -> Vec<(u32, String)> {
        let image = |choices: &[Choice<'_>]| {
            let url = |file: &File| format!("url({quote}{}{quote})", quoted(&file.address, quote));
            match choices {
                [] => "none".to_owned(),
                [only] => url(only.file),
                several => {
                    let option = |choice: &Choice<'_>| {
                        let Choice { file, format, density } = choice;
                        let (kind, density) = (format.media_type(), density.get());
                        format!("{} type({quote}{kind}{quote}) {density}x", url(file))
                    };
                    let list: Vec<String> = several.iter().map(option).collect();
                    format!("image-set({})", list.join(", "))
                }
            }
        };
        self.rules().iter().map(|rule| (rule.from, image(&rule.options))).collect()
    }

    /// The files of each range of viewports in the format that stands first, as a `srcset` by density; by
    /// the narrowest viewport in the range, those first.
    pub(super) fn first_srcsets(&self) -> Vec<(u32, Format, String)> {
        let srcset = |rule: &Rule<'_>| {
            let format = rule.options.first()?.format;
            let own = rule.options.iter().filter(|choice| choice.format == format);
            let entry =
                |choice: &Choice<'_>| format!("{} {}x", choice.file.address, choice.density.get());
            let entries: Vec<String> = own.map(entry).collect();
            Some((rule.from, format, entries.join(", ")))
        };
        self.rules().iter().filter_map(srcset).collect()
    }

    fn declared(&self, options: &[Choice<'_>]) -> String {
        let url = |file: &File| format!("url(\"{}\")", quoted(&file.address, '"'));
        let universal: Vec<_> = options.iter().filter(|o| o.format.is_universal()).collect();
        let mut out = format!("{} {{\n", self.selector);
        // Browsers that know no `image-set()` get what is neither blurred nor very heavy.
        if let Some(middle) = universal.get(universal.len() / 2) {
            let _ = writeln!(out, "  background-image: {};", url(middle.file));
        }
        if options.len() > 1 {
            let option = |choice: &Choice<'_>| {
                let Choice { file, format, density } = choice;
                format!("    {} type(\"{}\") {}x", url(file), format.media_type(), density.get())
            };
            let list: Vec<String> = options.iter().map(option).collect();
            let _ = writeln!(out, "  background-image: image-set(\n{}\n  );", list.join(",\n"));
        }
        out + "}\n"
    }

    /// The rules, the narrowest viewports first. Between two layout widths the slot's widest
    /// rendering counts, so that nothing is blurred in between.
    fn rules(&self) -> Vec<Rule<'_>> {
        let shapes: BTreeSet<u32> = self.offers.iter().map(|offer| offer.from).collect();
        let starts = self.viewports.iter().map(|viewport| viewport + 1).filter(|&v| v <= WIDEST);
        let mut starts: BTreeSet<u32> = starts.chain(shapes.iter().copied()).collect();
        starts.insert(0);
        let starts = Vec::from_iter(starts);
        let mut rules: Vec<Rule<'_>> = Vec::new();
        for (n, &from) in starts.iter().enumerate() {
            let to = starts.get(n + 1).map_or(WIDEST.max(from), |next| next - 1);
            let shape = shapes.range(..=from).next_back().or(shapes.first());
            let offers = self.offers.iter().filter(|offer| Some(&offer.from) == shape);
            let options: Vec<_> = offers.flat_map(|offer| self.choices(offer, from, to)).collect();
            if rules.last().is_none_or(|last| last.options != options) {
                rules.push(Rule { from, options });
            }
        }
        rules
    }

    /// The file of each density of an offer where the viewport is `from` to `to` pixels wide;
    /// densities that have no denser file of their own are left out.
    fn choices<'a>(&self, offer: &'a Offer, from: u32, to: u32) -> Vec<Choice<'a>> {
        let rendered = (from..=to).map(|viewport| offer.sizes.at(viewport)).fold(0.0, f64::max);
        let mut choices: Vec<Choice<'a>> = Vec::new();
        for &density in &self.densities {
            // Half a pixel is what rounding leaves open.
            let wanted = rendered * density.get() - 0.5;
            let enough = offer.files.iter().find(|file| f64::from(file.size.width) >= wanted);
            let Some(file) = enough.or(offer.files.last()) else { continue };
            if choices.last().is_none_or(|last| last.file != file) {
                choices.push(Choice { file, format: offer.format, density });
            }
        }
        choices
    }
}

/// As the content of a string in such quotes in a style sheet (CSS Syntax 3, 4.3.5).
fn quoted(address: &str, quote: char) -> String {
    let escaped = address.replace('\\', "\\\\").replace('\n', "\\a ");
    escaped.replace(quote, &format!("\\{quote}"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::sizes::Sizes;
    use proptest::prelude::*;

    fn density(value: f64) -> Density {
        Density::new(value).unwrap()
    }

    fn offer(from: u32, format: Format, widths: &[u32]) -> Offer {
        let file = |&width: &u32| File {
            address: format!("dome-{width}.{}", format.extension()),
            size: Size::new(width, 300),
        };
        let sizes = Sizes::of(&[(390, 390.0), (1_280, 1_280.0)].into(), &[]).unwrap();
        Offer { from, format, sizes, files: widths.iter().map(file).collect() }
    }

    fn background(offers: Vec<Offer>) -> Background {
        Background {
            selector: ".hero".into(),
            offers,
            densities: vec![density(1.0), density(2.0)],
            viewports: [390, 1_280].into(),
        }
    }

    #[test]
    fn each_range_of_viewports_names_the_files_that_are_enough_in_it() {
        let widths = [390, 780, 1_280, 2_560];
        let background =
            background(vec![offer(0, Format::Avif, &widths), offer(0, Format::Jpeg, &widths)]);
        assert_eq!(
            background.css(),
            ".hero {
  background-image: url(\"dome-780.jpg\");
  background-image: image-set(
    url(\"dome-390.avif\") type(\"image/avif\") 1x,
    url(\"dome-780.avif\") type(\"image/avif\") 2x,
    url(\"dome-390.jpg\") type(\"image/jpeg\") 1x,
    url(\"dome-780.jpg\") type(\"image/jpeg\") 2x
  );
}
@media (min-width: 391px) {
  .hero {
    background-image: url(\"dome-2560.jpg\");
    background-image: image-set(
      url(\"dome-1280.avif\") type(\"image/avif\") 1x,
      url(\"dome-2560.avif\") type(\"image/avif\") 2x,
      url(\"dome-1280.jpg\") type(\"image/jpeg\") 1x,
      url(\"dome-2560.jpg\") type(\"image/jpeg\") 2x
    );
  }
}
@media (min-width: 1281px) {
  .hero {
    background-image: url(\"dome-2560.jpg\");
    background-image: image-set(
      url(\"dome-2560.avif\") type(\"image/avif\") 1x,
      url(\"dome-2560.jpg\") type(\"image/jpeg\") 1x
    );
  }
}
"
        );
        let chosen = |viewport, at, reads: fn(Format) -> bool| {
            background.downloaded(viewport, density(at), reads).unwrap().address.clone()
        };
        assert_eq!(chosen(390, 2.0, |_| true), "dome-780.avif");
        assert_eq!(chosen(390, 1.5, |_| true), "dome-780.avif");
        assert_eq!(chosen(391, 1.0, |f| f == Format::Jpeg), "dome-1280.jpg");
    }

    #[test]
    fn an_image_takes_the_place_of_an_address() {
        let widths = [390, 780, 1_280];
        let images = background(vec![offer(0, Format::Avif, &widths)]).images('\'');
        assert_eq!(
            images[0],
            (
                0,
                "image-set(url('dome-390.avif') type('image/avif') 1x, \
            url('dome-780.avif') type('image/avif') 2x)"
                    .to_owned()
            )
        );
        assert_eq!(images[1], (391, "url('dome-1280.avif')".to_owned()));
    }

    #[test]
    fn one_file_for_all_needs_no_set() {
        let css = background(vec![offer(0, Format::Png, &[64])]).css();
        assert_eq!(css, ".hero {\n  background-image: url(\"dome-64.png\");\n}\n");
    }

    #[test]
    fn a_quote_in_an_address_does_not_end_it() {
        assert_eq!(quoted(r#"a"b\c"#, '"'), r#"a\"b\\c"#);
        assert_eq!(quoted("a'b", '\''), r"a\'b");
    }

    proptest! {
        #[test]
        fn no_screen_gets_fewer_pixels_than_it_shows_where_there_are_enough(
            widths in prop::collection::btree_set(100u32..3_000, 1..7),
            viewport in 320u32..=3_840,
            at in prop::sample::select(vec![1.0, 2.0]),
        ) {
            let widths = Vec::from_iter(widths);
            let background = background(vec![offer(0, Format::Jpeg, &widths)]);
            let file = background.downloaded(viewport, density(at), |_| true).unwrap();
            let shown = background.offers[0].sizes.at(viewport) * at;
            let widest = widths[widths.len() - 1];
            prop_assert!(f64::from(file.size.width) + 1.0 >= shown.min(f64::from(widest)));
        }
    }
}
