//! The pages, and the list of pictures that they show.

/// A page of the site.
pub struct Page {
    /// Its file name.
    pub file: &'static str,
    /// Its text.
    pub html: String,
    /// The pictures that it shows, in the order of the document.
    pub shown: Vec<Shown>,
}

/// A place on a page that shows a picture.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shown {
    /// `img`, `picture` or `background`.
    pub element: &'static str,
    /// The files it may show, below `media/`; the browser chooses among several.
    pub files: Vec<&'static str>,
    /// Whether the file can be shown at all.
    pub loads: bool,
}

/// Collects a page's text and, with it, what it shows.
struct Writer {
    html: String,
    shown: Vec<Shown>,
}

const LINKS: [(&str, &str); 7] = [
    ("index.html", "Home"),
    ("visit.html", "Visit"),
    ("star-walks.html", "Star walks"),
    ("hire.html", "Hire and shop"),
    ("people.html", "People"),
    ("journal.html", "Journal"),
    ("gallery.html", "Gallery"),
];

impl Writer {
    /// Head, masthead and the banner that every page has.
    fn new(title: &str) -> Self {
        let mut writer = Self { html: String::new(), shown: Vec::new() };
        writer.text(&format!(
            "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\">\
             <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\
             <title>{title} · Tarnlight Observatory</title>\
             <link rel=\"icon\" href=\"media/tarnlight-mark.png\" sizes=\"any\">\
             <link rel=\"stylesheet\" href=\"site.css\"></head><body>\n<header class=\"masthead\">"
        ));
        writer.img("tarnlight-mark.png", "alt=\"Tarnlight Observatory\"");
        writer.text("<nav>");
        for (file, name) in LINKS {
            writer.text(&format!("<a href=\"{file}\">{name}</a>"));
        }
        writer.text("</nav></header>\n");
        writer.background("<div class=\"banner\"></div>", "banner.jpg");
        writer.text(&format!("<main><h1>{title}</h1>\n"));
        writer
    }

    fn text(&mut self, html: &str) -> &mut Self {
        self.html.push_str(html);
        self
    }

    fn note(&mut self, element: &'static str, files: &[&'static str], loads: bool) {
        self.shown.push(Shown { element, files: files.to_vec(), loads });
    }

    fn img(&mut self, file: &'static str, attributes: &str) -> &mut Self {
        let loads = !matches!(file, "guide-9.jpg" | "gone.jpg");
        self.note("img", &[file], loads);
        self.text(&format!("<img src=\"media/{file}\" {attributes}>\n"))
    }

    fn background(&mut self, html: &str, file: &'static str) -> &mut Self {
        self.note("background", &[file], true);
        self.text(html).text("\n")
    }

    fn list(
        &mut self,
        class: &str,
        files: &[&'static str],
        item: impl Fn(&mut Self, &'static str),
    ) -> &mut Self {
        self.text(&format!("<ul class=\"{class}\">\n"));
        for file in files {
            self.text("<li>");
            item(self, file);
            self.text("</li>\n");
        }
        self.text("</ul>\n")
    }

    fn page(mut self, file: &'static str) -> Page {
        self.text("</main></body></html>\n");
        Page { file, html: self.html, shown: self.shown }
    }
}

/// All seven pages.
pub fn pages() -> Vec<Page> {
    vec![home(), visit(), star_walks(), hire(), people(), journal(), gallery()]
}

fn home() -> Page {
    let mut page = Writer::new("A dark sky for everybody");
    page.background("<div class=\"hero\"></div>", "dome-at-dusk.jpg");
    page.text("<p>The park lies above the tarn, an hour from the last street lamp.</p>");
    page.note("img", &["dome-400.jpg", "dome-800.jpg", "dome-1600.jpg"], true);
    page.text(
        "<img class=\"intro\" src=\"media/dome-800.jpg\" srcset=\"media/dome-400.jpg 400w, \
         media/dome-800.jpg 800w, media/dome-1600.jpg 1600w\" sizes=\"(min-width: 1160px) 1128px, \
         calc(100vw - 32px)\" width=\"800\" height=\"600\" alt=\"The dome on its hill\">\n",
    );
    page.text("<div class=\"teasers\">");
    // Camera files in small slots, one of them stretched.
    page.text("<a class=\"teaser\" href=\"visit.html\">")
        .img("DSC_0412.JPG", "alt=\"\"")
        .text("</a>");
    page.text("<a class=\"teaser stretched\" href=\"star-walks.html\">")
        .img("half-moon.jpg", "")
        .text("</a>");
    page.text("<a class=\"teaser\" href=\"hire.html\">")
        .img("dome-at-dusk.jpg", "")
        .text("</a></div>");
    page.page("index.html")
}

fn visit() -> Page {
    let mut page = Writer::new("Visit");
    page.note("picture", &["dome-800.jpg", "dome-wide-1600.jpg"], true);
    page.text(
        "<picture><source media=\"(min-width: 600px)\" srcset=\"media/dome-wide-1600.jpg\">\
         <img class=\"wide\" src=\"media/dome-800.jpg\" alt=\"The dome at dusk\"></picture>\n",
    );
    page.img("terrace.jpg", "class=\"aside\" alt=\"DSC_0981.jpg\"");
    page.text("<p>Bring a warm coat; red lamps are lent at the gate.</p>");
    page.img("plan.png", "class=\"wide\" alt=\"Plan of the park\" loading=\"lazy\"");
    page.text("<details><summary>In winter</summary><h2>The path in snow</h2>")
        .img("path.jpg", "class=\"aside\" alt=\"The path to the dome\"")
        .text("</details>");
    page.page("visit.html")
}

fn star_walks() -> Page {
    let mut page = Writer::new("Star walks");
    let walks = [
        "walk-1.jpg",
        "walk-2.jpg",
        "walk-3.jpg",
        "walk-4.jpg",
        "walk-5.jpg",
        "walk-6.jpg",
        "walk-group-old.jpg",
    ];
    page.list("cards", &walks, |page, file| {
        page.img(file, "alt=\"A star walk\"").text("<h2>Evening walk</h2>");
    });
    page.page("star-walks.html")
}

fn hire() -> Page {
    let mut page = Writer::new("Hire and shop");
    let things = [
        "hire-1.jpg",
        "hire-2.jpg",
        "hire-3.jpg",
        "hire-4.jpg",
        "hire-5.jpg",
        "hire-6.jpg",
        "hire-7.jpg",
        "hire-8.jpg",
        "moon-teaser.jpg",
    ];
    page.list("cards square", &things, |page, file| {
        page.img(file, "loading=\"lazy\"").text("<p>By the night</p>");
    });
    page.page("hire.html")
}

fn people() -> Page {
    let mut page = Writer::new("People");
    let people = [
        "guide-1.jpg",
        "guide-2.jpg",
        "guide-3.jpg",
        "guide-4.jpg",
        "guide-5.jpg",
        "guide-6.jpg",
        "guide-7.jpg",
        "guide-9.jpg",
        "gone.jpg",
    ];
    page.list("people", &people, |page, file| {
        page.img(file, "alt=\"A guide\"");
    });
    page.page("people.html")
}

fn journal() -> Page {
    let mut page = Writer::new("A night with the Veil");
    page.text("<article><p>We carried the long telescope up the path before sunset.</p><figure>");
    page.img("path.jpg", "alt=\"The path through the heather\"")
        .text("</figure><figure class=\"small\">");
    page.img("moon-teaser.jpg", "alt=\"\"").text("</figure><p>The moon set early.</p><figure>");
    page.img("veil-nebula.png", "alt=\"The Veil\" loading=\"lazy\"");
    page.text("<figcaption>Forty minutes of light.</figcaption></figure><figure>");
    page.img("telescope-night.jpg", "alt=\"\" loading=\"lazy\"");
    page.text("</figure></article>");
    page.page("journal.html")
}

fn gallery() -> Page {
    let mut page = Writer::new("Gallery");
    let nights = [
        "night-01.jpg",
        "night-02.jpg",
        "night-03.jpg",
        "night-04.jpg",
        "night-05.jpg",
        "night-06.jpg",
        "night-07.jpg",
        "night-08.jpg",
        "night-09.jpg",
        "night-10.jpg",
        "night-11.jpg",
        "night-12.jpg",
        "night-13.jpg",
        "night-14.jpg",
        "night-15.jpg",
        "night-16.jpg",
    ];
    page.list("gallery", &nights, |page, file| {
        page.text(&format!("<a href=\"media/{file}\">")).img(file, "loading=\"lazy\"").text("</a>");
    });
    page.text("<dialog class=\"enlarged\"><h2>Enlarged</h2>")
        .img("night-01.jpg", "alt=\"\"")
        .text("</dialog>");
    page.page("gallery.html")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::site::MEDIA;

    #[test]
    fn every_picture_that_should_load_is_there_and_every_file_is_shown() {
        let there: Vec<_> = MEDIA.iter().map(|medium| medium.name).collect();
        let pages = pages();
        let shown: Vec<_> = pages.iter().flat_map(|page| &page.shown).collect();
        assert!(shown.len() >= 60, "{} places", shown.len());
        for place in &shown {
            let missing = place.files.iter().find(|file| !there.contains(file));
            assert!(missing.is_none() || !place.loads, "{missing:?} is not written");
        }
        for name in there {
            assert!(shown.iter().any(|place| place.files.contains(&name)), "{name} is not shown");
        }
    }
}
