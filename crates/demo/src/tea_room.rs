//! The observatory's tea room: a second, small site of another hand. Its pages share one title, its
//! class names say nothing, and it shows pictures that the observatory's site shows, too.

use std::fs;
use std::io;
use std::path::Path;

/// The pictures that it takes from the observatory's site.
pub const PICTURES: [&str; 5] =
    ["terrace.jpg", "path.jpg", "walk-1.jpg", "walk-2.jpg", "telescope-night.jpg"];

const STYLES: &str = "body { margin: 0 auto; max-width: 1100px; font: 16px/1.5 sans-serif }
.box { padding: 16px }
.box .pic { width: 100%; height: 320px; object-fit: cover }
.row { display: flex; flex-wrap: wrap; gap: 16px; padding: 16px }
.row .item { flex: 1 1 220px }
.row .item .pic { width: 100%; aspect-ratio: 3 / 2; object-fit: cover }
";

fn page(heading: &str, body: &str) -> String {
    format!(
        "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\">\
         <meta name=\"viewport\" content=\"width=device-width\"><title>Tea Room</title>\
         <link rel=\"stylesheet\" href=\"styles.css\"><nav><a href=\"index.html\">Start</a> \
         <a href=\"menu.html\">Menu</a></nav><h1>{heading}</h1>{body}</html>\n"
    )
}

fn picture(name: &str, class: &str) -> String {
    format!("<div class=\"{class}\"><img class=\"pic\" src=\"img/{name}\" alt=\"\"></div>")
}

/// Writes it into `folder`, which is made where it is missing, with pictures out of `media`.
///
/// # Errors
/// Those of the disk.
pub fn write(folder: &Path, media: &Path) -> io::Result<()> {
    fs::create_dir_all(folder.join("img"))?;
    for name in PICTURES {
        fs::copy(media.join(name), folder.join("img").join(name))?;
    }
    let [terrace, items @ ..] = PICTURES;
    let items: String = items.iter().map(|name| picture(name, "item")).collect();
    let start = format!("{}<p>Open from noon until the first star.</p>", picture(terrace, "box"));
    let menu = format!("<div class=\"row\">{items}</div>");
    fs::write(folder.join("styles.css"), STYLES)?;
    fs::write(folder.join("index.html"), page("The tea room below the dome", &start))?;
    fs::write(folder.join("menu.html"), page("Coffee, tea and cake", &menu))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::site::MEDIA;

    #[test]
    fn every_picture_is_one_of_the_observatorys() {
        for name in PICTURES {
            assert!(MEDIA.iter().any(|medium| medium.name == name), "{name}");
        }
    }
}
