//! Packages: what goes with the files of pictures to a site that is published elsewhere.

use std::fmt::Write;

use serde::{Deserialize, Serialize};

use crate::markup::escaped;
use crate::units::Bytes;

/// Where files lie in a package.
pub const FILES: &str = "files";

/// What a package holds.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Manifest {
    /// The version of this list.
    pub version: u32,
    /// The site, by its name.
    pub site: String,
    /// Pictures in slots, each with its files.
    pub sets: Vec<PackedSet>,
}

/// The files of a picture for a slot.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PackedSet {
    /// The picture's name.
    pub picture: String,
    /// The slot's name.
    pub slot: String,
    /// What stands for the picture where it is not seen.
    pub alt: String,
    /// A line below it.
    pub caption: String,
    /// Who made it, under which terms and where it is from, in a line; nothing where nobody said so.
    pub credit: Option<String>,
    /// The file that holds what goes into the page, by its path in the package.
    pub markup: String,
    /// Its files.
    pub files: Vec<PackedFile>,
}

/// A file of a package.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PackedFile {
    /// Its path in the package.
    pub path: String,
    /// Its format.
    pub format: String,
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
    /// Its weight.
    pub bytes: Bytes,
}

impl Manifest {
    /// Its credits: a line for each picture that has one.
    pub fn credits(&self) -> String {
        let lines = self
            .sets
            .iter()
            .filter_map(|set| Some(format!("{}: {}\n", set.picture, set.credit.as_ref()?)));
        let mut lines = Vec::from_iter(lines);
        lines.sort_unstable();
        lines.dedup();
        lines.concat()
    }

    /// A page that shows each set by its heaviest file, with all its files below; it needs nothing but the
    /// package.
    pub fn contact_sheet(&self) -> String {
        let mut page = format!(
            "<!doctype html><html lang=en><meta charset=utf-8><title>{0}</title>\
             <style>body{{font:14px/1.4 sans-serif;margin:24px;display:grid;gap:24px;\
             grid-template-columns:repeat(auto-fill,minmax(320px,1fr))}}\
             h1{{grid-column:1/-1;font-size:18px}}figure{{margin:0}}\
             img{{max-width:100%;height:auto;background:#808080}}\
             table{{border-collapse:collapse;width:100%}}td{{padding:2px 8px 2px 0}}</style>\
             <h1>{0}</h1>\n",
            escaped(&self.site)
        );
        for set in &self.sets {
            let Some(shown) = set.files.iter().max_by_key(|file| (file.width, file.bytes)) else {
                continue;
            };
            let [picture, slot, alt, path] =
                [&set.picture, &set.slot, &set.alt, &shown.path].map(|text| escaped(text));
            let _ = write!(
                page,
                "<figure><img loading=lazy src=\"{path}\" width={} height={} alt=\"{alt}\">\
                 <figcaption><b>{picture}</b>, {slot}",
                shown.width, shown.height
            );
            for line in [Some(&set.caption), set.credit.as_ref()].into_iter().flatten() {
                if !line.is_empty() {
                    let _ = write!(page, "<br>{}", escaped(line));
                }
            }
            page.push_str("<table>");
            for file in &set.files {
                let PackedFile { path, width, height, bytes, .. } = file;
                let path = escaped(path);
                let _ = write!(
                    page,
                    "<tr><td><a href=\"{path}\">{path}</a><td>{width} × {height}<td>{bytes}"
                );
            }
            page.push_str("</table></figcaption></figure>\n");
        }
        page + "</html>\n"
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn set(picture: &str, credit: Option<&str>) -> PackedSet {
        let file = |width: u32| PackedFile {
            path: format!("{FILES}/dome-{width}.webp"),
            format: "webp".to_owned(),
            width,
            height: width / 2,
            bytes: Bytes(u64::from(width) * 40),
        };
        PackedSet {
            picture: picture.to_owned(),
            slot: "Home · hero".to_owned(),
            alt: "The \"dome\"".to_owned(),
            caption: "At <dusk>".to_owned(),
            credit: credit.map(str::to_owned),
            markup: "markup/dome.html".to_owned(),
            files: vec![file(400), file(800)],
        }
    }

    #[test]
    fn each_picture_is_credited_once() {
        let sets = [set("b.jpg", Some("A. Tarn, CC BY")), set("a.jpg", None)];
        let manifest = Manifest { sets: [&sets[..], &sets[..1]].concat(), ..Manifest::default() };
        assert_eq!(manifest.credits(), "b.jpg: A. Tarn, CC BY\n");
    }

    #[test]
    fn the_contact_sheet_shows_the_widest_file_and_lists_all() {
        let manifest = Manifest {
            version: 1,
            site: "Tarnlight & friends".to_owned(),
            sets: vec![set("dome.jpg", Some("A. Tarn"))],
        };
        let page = manifest.contact_sheet();
        assert!(page.contains("<h1>Tarnlight &amp; friends</h1>"));
        assert!(page.contains("src=\"files/dome-800.webp\" width=800 height=400"), "{page}");
        assert!(page.contains("alt=\"The &quot;dome&quot;\"") && page.contains("At &lt;dusk&gt;"));
        assert_eq!(page.matches("<a href=").count(), 2);
    }
}
