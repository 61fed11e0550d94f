//! Addresses: how a file of the site is written on a page, in the manner of the address that it comes
//! instead of.

use url::Url;

/// Reads and writes the addresses of a page or of a style sheet.
#[derive(Debug, Clone)]
pub struct Addresses {
    base: Url,
}

impl Addresses {
    /// Those of what is at `address`; `base` is what its `<base>` says.
    pub fn new(address: &Url, base: Option<&str>) -> Self {
        let joined = base.and_then(|base| address.join(base.trim()).ok());
        Self { base: joined.unwrap_or_else(|| address.clone()) }
    }

    /// Where `written` leads, without its fragment; nothing where it is no address.
    pub fn read(&self, written: &str) -> Option<Url> {
        let mut url = self.base.join(written.trim()).ok()?;
        url.set_fragment(None);
        Some(url)
    }

    /// Where the addresses of a `srcset` lead (HTML Standard, 4.8.4.3.5).
    pub fn read_srcset(&self, srcset: &str) -> Vec<Url> {
        srcset_addresses(srcset).filter_map(|written| self.read(written)).collect()
    }

    /// `target` as it is written where `old` was: with scheme and host, with the host alone, from the
    /// root of the site, or from the page.
    pub fn write_like(&self, old: &str, target: &Url) -> String {
        let old = old.trim();
        let host = &target[url::Position::BeforeHost..];
        if Url::parse(old).is_ok() || target.origin() != self.base.origin() {
            target.to_string()
        } else if old.starts_with("//") {
            format!("//{host}")
        } else if old.starts_with('/') {
            target[url::Position::BeforePath..].to_owned()
        } else {
            self.base.make_relative(target).unwrap_or_else(|| target.to_string())
        }
    }
}

/// The addresses of a `srcset`, without what says how wide or dense they are.
fn srcset_addresses(srcset: &str) -> impl Iterator<Item = &str> {
    let mut rest = srcset;
    std::iter::from_fn(move || {
        rest = rest.trim_start_matches(|c: char| c.is_ascii_whitespace() || c == ',');
        let end = rest.find(|c: char| c.is_ascii_whitespace()).unwrap_or(rest.len());
        let (written, after) = rest.split_at(end);
        if written.is_empty() {
            return None;
        }
        // An address may hold commas, but one at its end ends the entry.
        let address = written.trim_end_matches(',');
        rest = match written.len() == address.len() {
            true => after.split_once(',').map_or("", |(_, next)| next),
            false => after,
        };
        Some(address)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_new_file_is_written_in_the_manner_of_the_old_one() {
        let page = Url::parse("http://tarn.example/walks/index.html").unwrap();
        let target = Url::parse("http://tarn.example/variants/dome-400.webp").unwrap();
        let plain = Addresses::new(&page, None);
        for (old, new) in [
            ("../media/dome.jpg", "../variants/dome-400.webp"),
            ("dome.jpg", "../variants/dome-400.webp"),
            (" /media/dome.jpg", "/variants/dome-400.webp"),
            ("//tarn.example/dome.jpg", "//tarn.example/variants/dome-400.webp"),
            ("http://tarn.example/dome.jpg", "http://tarn.example/variants/dome-400.webp"),
        ] {
            assert_eq!(plain.write_like(old, &target), new);
            assert_eq!(plain.read(new), Some(target.clone()), "{new}");
        }
        let based = Addresses::new(&page, Some("/variants/"));
        assert_eq!(based.write_like("dome.jpg", &target), "dome-400.webp");
        assert_eq!(based.read("dome-400.webp"), Some(target.clone()));
        let elsewhere = Addresses::new(&page, Some("https://cdn.example/"));
        assert_eq!(elsewhere.write_like("dome.jpg", &target), target.as_str());
    }

    #[test]
    fn a_srcset_is_read_with_commas_in_its_addresses() {
        let read = |text| srcset_addresses(text).collect::<Vec<_>>();
        assert_eq!(read("a.jpg 1x,b.jpg 2x"), ["a.jpg", "b.jpg"]);
        assert_eq!(read(" a,b.jpg 100w, c.jpg\n200w ,, d.jpg,"), ["a,b.jpg", "c.jpg", "d.jpg"]);
        assert_eq!(read("a.jpg, b.jpg 2x"), ["a.jpg", "b.jpg"]);
        assert!(read(" , ").is_empty());
    }

    #[test]
    fn a_name_with_spaces_and_letters_beyond_ascii_is_the_same_file() {
        let page = Url::parse("http://tarn.example/").unwrap();
        let read = |text| Addresses::new(&page, None).read(text).unwrap();
        assert_eq!(read("Café am See.jpg"), read("Caf%C3%A9%20am%20See.jpg#top"));
    }
}
