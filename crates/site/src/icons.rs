//! Icons that pages, their manifest and well-known addresses name, fetched through the gate.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::icon::check::{IconAnswer, IconFound, NamedAs, NamedBy, UnreadPage};
use brisk_margin_core::units::Bytes;
use futures::{StreamExt, stream};
use headers::HeaderMap;
use reqwest::header::CONTENT_TYPE;
use serde::Deserialize;
use serde_json::{Map, Value};
use url::Url;

use crate::gate::Authority;
use crate::gate::{Gate, Rules};
use crate::publishing::host_check::seconds_kept;
use crate::source::page::PageSource;

/// How long an answer may take.
const PATIENCE: Duration = Duration::from_secs(10);
/// How many pages or icons are fetched at once.
const AT_ONCE: usize = 8;
/// The largest page or manifest that is read, and the largest icon.
const MOST_TEXT: usize = 4 << 20;
const MOST_ICON: usize = 8 << 20;
/// Icons that are fetched at most.
const MOST_ICONS: usize = 100;
/// How much of a data URL is told as its address.
const SHOWN: usize = 60;

/// Where browsers and devices look for icons that nobody names.
const WELL_KNOWN: [(&str, NamedAs); 2] =
    [("/favicon.ico", NamedAs::Icon), ("/apple-touch-icon.png", NamedAs::Touch)];

/// What was found.
#[derive(Debug, Default)]
pub struct NamedIcons {
    /// Pages that were read.
    pub pages: Vec<String>,
    /// Those of them that name no icon, where others do.
    pub silent: Vec<String>,
    /// Pages that were not.
    pub unread: Vec<UnreadPage>,
    /// Whether there is a manifest that could be read; else what is wrong with it.
    pub manifest: Option<Result<(), String>>,
    /// Each icon, with its bytes where there are any; its pixels are not known yet.
    pub icons: Vec<(IconFound, Vec<u8>)>,
}

/// An icon that is named, before it is fetched.
struct Wanted {
    named_by: BTreeSet<NamedBy>,
    times: usize,
    said: BTreeSet<(u32, u32)>,
}

/// Finds and fetches the icons of `pages`, reaching what `rules` allow and nothing else.
///
/// # Errors
/// Where the gate cannot be opened.
pub async fn named_icons(pages: &[Url], rules: Rules) -> std::io::Result<NamedIcons> {
    let allowed = rules.allowed.clone();
    let gate = Gate::open(rules).await?;
    let fetcher = Fetcher::new(&gate).map_err(std::io::Error::other)?;
    let mut found = NamedIcons::default();
    let mut finding = Finding { wanted: BTreeMap::new(), manifests: BTreeSet::new() };
    let asked: Vec<_> = pages.iter().map(|page| fetcher.text(page)).collect();
    let texts: Vec<_> = stream::iter(asked).buffered(AT_ONCE).collect().await;
    for (page, text) in pages.iter().zip(texts) {
        match text {
            Ok((address, bytes)) => {
                if finding.read_page(&address, &bytes) == 0 {
                    found.silent.push(page.to_string());
                }
                found.pages.push(page.to_string());
            }
            Err(reason) => found.unread.push(UnreadPage { page: page.to_string(), reason }),
        }
    }
    for manifest in std::mem::take(&mut finding.manifests) {
        let read = match fetcher.text(&manifest).await {
            Ok((address, bytes)) => finding.read_manifest(&address, &bytes),
            Err(reason) => Err(format!("{manifest}: {reason}")),
        };
        if !matches!(found.manifest, Some(Err(_))) {
            found.manifest = Some(read);
        }
    }
    let guesses = finding.well_known(pages);
    let wanted = finding.wanted.into_iter().take(MOST_ICONS);
    let asked: Vec<_> = wanted.map(|(key, wanted)| fetcher.wanted(key, wanted, &allowed)).collect();
    found.icons = stream::iter(asked).buffered(AT_ONCE).collect().await;
    for (address, named_as) in guesses {
        // Nobody named it: what is not there is not missed.
        let fetched = fetcher.icon(address.as_str(), &allowed).await;
        if matches!(&fetched, Fetched::Came(answer, _) if answer.status == 200) {
            let named_by = BTreeSet::from([NamedBy::WellKnown]);
            let wanted = Wanted { named_by, times: 1, said: BTreeSet::new() };
            found.icons.push(told(address.as_str(), named_as, wanted, fetched));
        }
    }
    if found.silent.len() == found.pages.len() {
        found.silent.clear();
    }
    Ok(found)
}

fn told(
    address: &str,
    named_as: NamedAs,
    wanted: Wanted,
    fetched: Fetched,
) -> (IconFound, Vec<u8>) {
    let (elsewhere, answer, bytes) = match fetched {
        Fetched::Elsewhere(host) => (Some(host), None, Vec::new()),
        Fetched::Silent => (None, None, Vec::new()),
        Fetched::Came(answer, bytes) => (None, Some(answer), bytes),
    };
    let shown: String = match address.starts_with("data:") && address.len() > SHOWN {
        true => address.chars().take(SHOWN).chain(['…']).collect(),
        false => address.to_owned(),
    };
    let found = IconFound {
        address: shown,
        named_as,
        named_by: wanted.named_by.into_iter().collect(),
        times: wanted.times,
        said: wanted.said.into_iter().map(|(w, h)| Size::new(w, h)).collect(),
        elsewhere,
        answer,
        sizes: Vec::new(),
        is: None,
        is_enlarged: false,
    };
    (found, bytes)
}

/// What pages and manifests name.
struct Finding {
    wanted: BTreeMap<(String, NamedAs), Wanted>,
    manifests: BTreeSet<Url>,
}

#[derive(Deserialize)]
struct ManifestText {
    #[serde(default)]
    icons: Vec<ManifestIconText>,
}

#[derive(Deserialize)]
struct ManifestIconText {
    src: String,
    #[serde(default)]
    sizes: String,
    #[serde(default)]
    purpose: String,
}

impl Finding {
    /// Notes what the page at `address` names; tells how many icons for tabs that are.
    fn read_page(&mut self, address: &Url, bytes: &[u8]) -> usize {
        let Ok(page) = PageSource::read(bytes) else { return 0 };
        let base = page.base().and_then(|base| address.join(base).ok());
        let base = base.unwrap_or_else(|| address.clone());
        let by = NamedBy::Page(address.to_string());
        let mut icons = 0;
        let mut times: BTreeMap<(String, NamedAs), usize> = BTreeMap::new();
        for tag in page.tags() {
            let says = |name: &str| tag.value(name).map(str::trim).filter(|told| !told.is_empty());
            let at = |href: &str| match href
                .get(..5)
                .is_some_and(|start| start.eq_ignore_ascii_case("data:"))
            {
                true => Some(href.to_owned()),
                false => base.join(href).ok().map(String::from),
            };
            let named = match tag.name.as_str() {
                "link" => {
                    let rel = says("rel").unwrap_or_default().to_ascii_lowercase();
                    let is = |word: &str| rel.split_ascii_whitespace().any(|one| one == word);
                    if is("manifest") {
                        let manifest = says("href").and_then(|href| base.join(href).ok());
                        self.manifests.extend(manifest);
                        continue;
                    }
                    let named_as = if is("icon") {
                        NamedAs::Icon
                    } else if is("apple-touch-icon") || is("apple-touch-icon-precomposed") {
                        NamedAs::Touch
                    } else {
                        continue;
                    };
                    says("href").and_then(at).map(|address| (address, named_as))
                }
                "meta" if says("property") == Some("og:image") => {
                    says("content").and_then(at).map(|address| (address, NamedAs::Sharing))
                }
                _ => None,
            };
            let Some(key) = named else { continue };
            icons += usize::from(key.1 == NamedAs::Icon);
            *times.entry(key.clone()).or_default() += 1;
            self.want(key, by.clone(), says("sizes").unwrap_or_default());
        }
        for (key, times) in times {
            if let Some(wanted) = self.wanted.get_mut(&key) {
                wanted.times = wanted.times.max(times);
            }
        }
        icons
    }

    fn read_manifest(&mut self, address: &Url, bytes: &[u8]) -> Result<(), String> {
        let told = |error: serde_json::Error| format!("{address} is no manifest: {error}");
        // A list in place of an object would be read by its order.
        let object: Map<String, Value> = serde_json::from_slice(bytes).map_err(told)?;
        let text: ManifestText = serde_json::from_value(object.into()).map_err(told)?;
        for icon in text.icons {
            let Ok(src) = address.join(&icon.src) else { continue };
            let words = || icon.purpose.split_ascii_whitespace();
            let mut uses: Vec<NamedAs> = words()
                .filter_map(|word| match word {
                    "any" => Some(NamedAs::Installed),
                    "maskable" => Some(NamedAs::Maskable),
                    "monochrome" => Some(NamedAs::Monochrome),
                    _ => None,
                })
                .collect();
            if words().next().is_none() {
                uses.push(NamedAs::Installed);
            }
            for named_as in uses {
                self.want((src.to_string(), named_as), NamedBy::Manifest, &icon.sizes);
            }
        }
        Ok(())
    }

    fn want(&mut self, key: (String, NamedAs), by: NamedBy, sizes: &str) {
        let wanted = self.wanted.entry(key).or_insert_with(|| Wanted {
            named_by: BTreeSet::new(),
            times: 1,
            said: BTreeSet::new(),
        });
        wanted.named_by.insert(by);
        let sides = |one: &str| {
            let (width, height) = one.split_once(['x', 'X'])?;
            Some((width.parse().ok()?, height.parse().ok()?))
        };
        wanted.said.extend(sizes.split_ascii_whitespace().filter_map(sides));
    }

    /// Where icons are looked for that nobody names.
    fn well_known(&self, pages: &[Url]) -> Vec<(Url, NamedAs)> {
        let Some(first) = pages.first() else { return Vec::new() };
        let is_named = |named_as: NamedAs| self.wanted.keys().any(|(_, one)| *one == named_as);
        let unnamed = WELL_KNOWN.into_iter().filter(|(_, named_as)| !is_named(*named_as));
        unnamed.filter_map(|(path, named_as)| Some((first.join(path).ok()?, named_as))).collect()
    }
}

/// What came of fetching.
enum Fetched {
    /// Its host was not entered.
    Elsewhere(String),
    /// Its host does not answer.
    Silent,
    /// An answer.
    Came(IconAnswer, Vec<u8>),
}

/// Fetches through a gate.
struct Fetcher<'a> {
    gate: &'a Gate,
    client: reqwest::Client,
}

impl<'a> Fetcher<'a> {
    fn new(gate: &'a Gate) -> reqwest::Result<Self> {
        // Where another part of the process has installed one, that stays.
        let _ = rustls::crypto::ring::default_provider().install_default();
        let proxy = reqwest::Proxy::all(format!("http://{}", gate.address()))?;
        let client = reqwest::Client::builder().timeout(PATIENCE).proxy(proxy).build()?;
        Ok(Self { gate, client })
    }

    /// What the host of `address` answers; nothing where it does not: the gate answers in its place then.
    async fn asked(&self, address: &Url) -> Option<reqwest::Response> {
        let answer = self.client.get(address.clone()).send().await.ok()?;
        let host = Authority::of(answer.url())?;
        (!self.gate.is_unreachable(&host)).then_some(answer)
    }

    /// A page or manifest, with the address that it came from.
    async fn text(&self, address: &Url) -> Result<(Url, Vec<u8>), String> {
        let answer = self.asked(address).await;
        let answer = answer.ok_or_else(|| "the host does not answer".to_owned())?;
        if !answer.status().is_success() {
            return Err(format!("the host answers {}", answer.status().as_u16()));
        }
        let from = answer.url().clone();
        let bytes = limited(answer, MOST_TEXT).await.map_err(|_| "it does not come to an end")?;
        Ok((from, bytes))
    }

    async fn wanted(
        &self,
        (address, named_as): (String, NamedAs),
        wanted: Wanted,
        allowed: &BTreeSet<Authority>,
    ) -> (IconFound, Vec<u8>) {
        told(&address, named_as, wanted, self.icon(&address, allowed).await)
    }

    async fn icon(&self, address: &str, allowed: &BTreeSet<Authority>) -> Fetched {
        if let Some(inline) = address.get(..5).filter(|s| s.eq_ignore_ascii_case("data:")) {
            return inline_icon(&address[inline.len()..]);
        }
        let Ok(url) = Url::parse(address) else { return Fetched::Silent };
        match Authority::of(&url) {
            Some(host) if allowed.contains(&host) => {}
            Some(host) => return Fetched::Elsewhere(host.to_string()),
            None => return Fetched::Silent,
        }
        let Some(answer) = self.asked(&url).await else { return Fetched::Silent };
        let status = answer.status().as_u16();
        let (media_type, kept) = (media_type(answer.headers()), seconds_kept(answer.headers()));
        let Ok(bytes) = limited(answer, MOST_ICON).await else { return Fetched::Silent };
        Fetched::Came(IconAnswer { status, media_type, bytes: Bytes::of(&bytes), kept }, bytes)
    }
}

/// The body of `answer`.
///
/// # Errors
/// Nothing where it breaks off or is longer than `most`.
async fn limited(mut answer: reqwest::Response, most: usize) -> Result<Vec<u8>, ()> {
    let mut bytes = Vec::new();
    while let Some(part) = answer.chunk().await.map_err(|_| ())? {
        if bytes.len() + part.len() > most {
            return Err(());
        }
        bytes.extend_from_slice(&part);
    }
    Ok(bytes)
}

fn media_type(headers: &HeaderMap) -> String {
    let told = headers.get(CONTENT_TYPE).and_then(|told| told.to_str().ok());
    told.unwrap_or("nothing").to_owned()
}

/// What a data URL holds, of which `text` stands behind its scheme (RFC 2397).
fn inline_icon(text: &str) -> Fetched {
    let Some((head, body)) = text.split_once(',') else { return Fetched::Silent };
    let (media_type, is_base64) = match head.strip_suffix(";base64") {
        Some(media_type) => (media_type, true),
        None => (head, false),
    };
    let plain: Vec<u8> = percent_encoding::percent_decode_str(body).collect();
    let bytes = match is_base64 {
        true => {
            let letters: Vec<u8> = plain.into_iter().filter(|b| !b.is_ascii_whitespace()).collect();
            STANDARD.decode(letters).unwrap_or_default()
        }
        false => plain,
    };
    let media_type = if media_type.is_empty() { "text/plain" } else { media_type };
    let media_type = media_type.to_owned();
    Fetched::Came(
        IconAnswer { status: 200, media_type, bytes: Bytes::of(&bytes), kept: None },
        bytes,
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    const HERE: &str = "https://tarnlight.example/walks/index.html";

    fn read(page: &str) -> (Finding, usize) {
        let mut finding = Finding { wanted: BTreeMap::new(), manifests: BTreeSet::new() };
        let icons = finding.read_page(&Url::parse(HERE).unwrap(), page.as_bytes());
        (finding, icons)
    }

    fn addresses(finding: &Finding) -> Vec<(&str, NamedAs)> {
        finding.wanted.keys().map(|(address, named_as)| (address.as_str(), *named_as)).collect()
    }

    #[test]
    fn icons_are_found_by_what_a_page_calls_them_and_from_its_base() {
        let (finding, icons) = read(
            "<base href=/img/><link rel='SHORTCUT icon' href=a.ico sizes='16x16 32X32'>
             <link rel=apple-touch-icon-precomposed href=t.png><link rel=stylesheet href=s.css>
             <link rel=manifest href=m.json><link rel=icon><!-- <link rel=icon href=no.png> -->
             <meta property=og:image content=/p.jpg><meta property=og:title content=x>",
        );
        assert_eq!(icons, 1);
        let expected = [
            ("https://tarnlight.example/img/a.ico", NamedAs::Icon),
            ("https://tarnlight.example/img/t.png", NamedAs::Touch),
            ("https://tarnlight.example/p.jpg", NamedAs::Sharing),
        ];
        assert_eq!(addresses(&finding), expected);
        let said = &finding.wanted.values().next().unwrap().said;
        assert_eq!(said, &BTreeSet::from([(16, 16), (32, 32)]));
        let manifests: Vec<&str> = finding.manifests.iter().map(Url::as_str).collect();
        assert_eq!(manifests, ["https://tarnlight.example/img/m.json"]);
        assert_eq!(finding.well_known(&[Url::parse(HERE).unwrap()]), []);
    }

    #[test]
    fn a_manifest_icon_stands_for_each_of_its_purposes() {
        let (mut finding, _) = read("");
        let address = Url::parse("https://tarnlight.example/app/m.json").unwrap();
        let text = br#"{"icons": [{"src": "a.png", "sizes": "192x192", "purpose": "any maskable"},
            {"src": "/b.png"}, {"src": "c.png", "purpose": "monochrome unheard-of"}]}"#;
        finding.read_manifest(&address, text).unwrap();
        let expected = [
            ("https://tarnlight.example/app/a.png", NamedAs::Installed),
            ("https://tarnlight.example/app/a.png", NamedAs::Maskable),
            ("https://tarnlight.example/app/c.png", NamedAs::Monochrome),
            ("https://tarnlight.example/b.png", NamedAs::Installed),
        ];
        assert_eq!(addresses(&finding), expected);
        for broken in ["", "[]", "{\"icons\": 3}", "{\"icons\": [{}]}"] {
            assert!(finding.read_manifest(&address, broken.as_bytes()).is_err(), "{broken}");
        }
        let guesses = finding.well_known(&[Url::parse(HERE).unwrap()]);
        let paths: Vec<&str> = guesses.iter().map(|(address, _)| address.path()).collect();
        assert_eq!(paths, ["/favicon.ico", "/apple-touch-icon.png"], "no page names any");
    }

    #[test]
    fn a_data_url_is_read_as_it_is_written() {
        let of = |text: &str| match inline_icon(text) {
            Fetched::Came(answer, bytes) => Some((answer.media_type, bytes)),
            _ => None,
        };
        let svg = Some(("image/svg+xml".to_owned(), b"<svg a='#1'/>".to_vec()));
        assert_eq!(of("image/svg+xml,%3Csvg a='%231'/>"), svg);
        let png = Some(("image/png".to_owned(), b"\x89PNG".to_vec()));
        assert_eq!(of("image/png;base64,iVBO Rw%3D%3D"), png);
        assert_eq!(of(",x"), Some(("text/plain".to_owned(), b"x".to_vec())));
        assert_eq!(of("image/png;base64"), None);
    }
}
