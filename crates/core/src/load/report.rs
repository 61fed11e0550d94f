//! Reports: the margins of a site as a page to print, for people who were not there.

use std::fmt::Write;

use super::Connection;
use super::history::{Mark, WeightPoint};
use super::margin::PageMargins;
use super::weight_chart::WeightChart;
use crate::budget::Saving;
use crate::markup::escaped;
use crate::units::Bytes;

/// The margins of a site, to be told.
#[derive(Debug, Clone)]
pub struct Report {
    /// The site, by its name.
    pub site: String,
    /// The day of the report, as people write it.
    pub day: String,
    /// For which connection times are told.
    pub connection: Connection,
    /// At which layout width, in CSS px at density 2.
    pub width: u32,
    /// Its pages, in the order in which they are told.
    pub pages: Vec<ReportedPage>,
    /// The places with most to gain, those first.
    pub gains: Vec<ReportedGain>,
    /// What all pages weighed after each measuring.
    pub history: Vec<WeightPoint>,
    /// What was done to the site meanwhile.
    pub marks: Vec<Mark>,
}

/// A page of a report.
#[derive(Debug, Clone)]
pub struct ReportedPage {
    /// What it is called.
    pub name: String,
    /// Its address.
    pub address: String,
    /// Its margins.
    pub margins: PageMargins,
}

/// A place of a report.
#[derive(Debug, Clone)]
pub struct ReportedGain {
    /// The picture, by its name.
    pub picture: String,
    /// Where it is shown.
    pub slot: String,
    /// What it could save.
    pub saving: Saving,
    /// What it looks like, as a `data:` address of a small picture; nothing where that cannot be shown.
    pub thumbnail: Option<String>,
}

/// The longest bar, in the units of its drawing.
const LONGEST: f64 = 200.0;

const STYLE: &str = "\
@page{margin:16mm}\
body{font:11pt/1.45 'Source Sans 3','Noto Sans',sans-serif;color:#1d1d1d;max-width:180mm;margin:0 auto;padding:8mm 0}\
h1{font-size:20pt;margin:0 0 2mm}h2{font-size:13pt;margin:8mm 0 2mm;break-after:avoid}\
p{margin:0 0 3mm}table{width:100%;border-collapse:collapse;font-size:10pt}\
th,td{padding:1.5mm 2mm;border-bottom:.3pt solid #808080;text-align:left;vertical-align:top}\
tr{break-inside:avoid}thead{display:table-header-group}\
.n{text-align:right;white-space:nowrap;font-variant-numeric:tabular-nums}.s{color:#565656;overflow-wrap:anywhere}\
svg{display:block}img{display:block;max-width:24mm;max-height:16mm}a{color:inherit}";

impl Report {
    /// What all pages transfer before anybody scrolls, today and about as they could.
    pub fn saving(&self) -> Saving {
        let sum = |of: &dyn Fn(&PageMargins) -> Bytes| {
            self.pages.iter().map(|page| of(&page.margins)).sum()
        };
        Saving::new(sum(&|m| m.today.weight.total), sum(&|m| m.possible.weight.total))
    }

    /// As a page that needs nothing else, and prints to A4 and Letter.
    pub fn html(&self) -> String {
        let site = escaped(&self.site);
        let Saving { before, after, percent, .. } = self.saving();
        let mut html = format!(
            "<!doctype html><html lang=en><meta charset=utf-8><title>{site}: page weight and load time</title>\
             <style>{STYLE}</style><h1>{site}</h1>\n<p class=s>Page weight and load time, {}. Layout width {} px at \
             density 2; {}.</p>\n",
            escaped(&self.day),
            self.width,
            self.connection,
        );
        let _ = writeln!(
            html,
            "<p><b>{} pages transfer {before} today, and about {after} with pictures made for their places: {percent:.0} \
             % less.</b></p>",
            self.pages.len()
        );
        if let Some(chart) = WeightChart::of(&self.history, &self.marks) {
            html.push_str(&chart.html());
        }
        self.add_pages(&mut html);
        self.add_gains(&mut html);
        html.push_str(
            "<h2>Method</h2>\n<p>Bytes are those that a browser received, headers included, until the page was loaded; \
             what comes only when somebody scrolls is not counted. What is possible is an estimate, from samples of each \
             picture at the size of its place. Times are modelled for the connection: hand-shakes, slow start, \
             priorities, what blocks the first paint, and the decoding of pictures; LCP is the largest contentful paint. \
             1 KB is 1,000 bytes.</p></html>\n",
        );
        html
    }

    fn add_pages(&self, html: &mut String) {
        html.push_str(
            "<h2>Pages</h2>\n<table><thead><tr><th>Page<th class=n>Today<th class=n>Possible<th>Bytes\
             <th class=n>LCP today<th class=n>Possible</thead>\n",
        );
        let most = self.pages.iter().map(|page| page.margins.today.weight.total.get()).max();
        let most = most.unwrap_or(1).max(1) as f64;
        for ReportedPage { name, address, margins } in &self.pages {
            let PageMargins { today, possible, .. } = margins;
            let _ = writeln!(
                html,
                "<tr><td>{}<br><span class=s>{}</span><td class=n>{}<td class=n>{}<td>{}<td class=n>{}<td class=n>{}",
                escaped(name),
                escaped(address),
                today.weight.total,
                possible.weight.total,
                bars(today.weight.total, possible.weight.total, most),
                today.times.lcp,
                possible.times.lcp,
            );
        }
        html.push_str("</table>\n");
    }

    fn add_gains(&self, html: &mut String) {
        if self.gains.is_empty() {
            return;
        }
        html.push_str(
            "<h2>Where most can be gained</h2>\n<table><thead><tr><th><th>Picture<th>Place<th class=n>Today\
             <th class=n>Possible</thead>\n",
        );
        for ReportedGain { picture, slot, saving, thumbnail } in &self.gains {
            let (picture, slot) = (escaped(picture), escaped(slot));
            let Saving { before, after, .. } = saving;
            let _ = writeln!(
                html,
                "<tr><td>{}<td>{picture}<td>{slot}<td class=n>{before}<td class=n>{after}",
                thumbnail.as_deref().map(shown).unwrap_or_default(),
            );
        }
        html.push_str("</table>\n");
    }
}

fn shown(thumbnail: &str) -> String {
    format!("<img src=\"{}\" alt=\"\">", escaped(thumbnail))
}

/// Today as an outline and what is possible as a solid bar, where `most` bytes are as long as can be.
fn bars(today: Bytes, possible: Bytes, most: f64) -> String {
    let length = |bytes: Bytes| (bytes.get() as f64 / most * LONGEST).max(0.5);
    format!(
        "<svg width=160 height=14 viewBox=\"0 0 {LONGEST} 18\" preserveAspectRatio=none role=img \
         aria-label=\"{today} today, {possible} possible\"><rect x=0.5 y=3 width={:.1} height=12 fill=none \
         stroke=#565656 /><rect x=0.5 y=6 width={:.1} height=6 fill=#0b5457 /></svg>",
        length(today),
        length(possible)
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::load::margin::{PageBudgets, PageLoad, SlotFiles};
    use crate::load::samples::request;
    use crate::load::{PageRequests, RequestKind};

    fn page(name: &str, bytes: u64) -> ReportedPage {
        let document = request("https://tarn.example/", RequestKind::Document, bytes);
        let page = PageLoad::of(PageRequests(vec![document]), Connection::USUAL);
        let margins = PageMargins::of(&page, &page, &SlotFiles::new(), PageBudgets::default());
        ReportedPage { name: name.to_owned(), address: "https://tarn.example/".to_owned(), margins }
    }

    #[test]
    fn a_report_tells_its_pages_and_what_it_speaks_of_and_escapes_names() {
        let report = Report {
            site: "Tarn & light".to_owned(),
            day: "27 November 2026".to_owned(),
            connection: Connection::USUAL,
            width: 390,
            pages: vec![page("Walks <b>", 40_000), page("Visit", 10_000)],
            gains: vec![ReportedGain {
                picture: "dome.jpg".to_owned(),
                slot: "Home · hero".to_owned(),
                saving: Saving::new(Bytes(9_000), Bytes(1_000)),
                thumbnail: Some("data:image/webp;base64,UklGRg==".to_owned()),
            }],
            history: vec![],
            marks: vec![],
        };
        assert_eq!(report.saving().before, Bytes(50_000));
        let html = report.html();
        for told in [
            "<h1>Tarn &amp; light</h1>",
            "Walks &lt;b&gt;",
            "2 pages transfer 50.0 KB today",
            "1.6 Mbit/s · 150 ms",
            "27 November 2026",
            "<td><img src=\"data:image/webp;base64,UklGRg==\" alt=\"\"><td>dome.jpg<td>Home · hero<td class=n>9.00 KB<td class=n>1.00 KB",
            "aria-label=\"40.0 KB today, 40.0 KB possible\"",
        ] {
            assert!(html.contains(told), "{told} is missing: {html}");
        }
        assert!(!html.contains("http:") && !html.contains("<script"), "it needs nothing else");
        let empty = Report { pages: vec![], gains: vec![], ..report };
        assert!(!empty.html().contains("Where most can be gained"));
    }
}
