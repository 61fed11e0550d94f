//! The check: what is wrong with the icons that a site has, and what is missing for which kind of device.

use serde::{Deserialize, Serialize};

use super::target::IconTarget;
use crate::geometry::Size;
use crate::units::Bytes;

/// Icons are asked for on many pages: for less than a day they are not worth keeping.
const KEPT_LONG: u64 = 86_400;
/// Bytes a pixel that an icon weighs at most, beside a few for its head: flat marks need far less.
const HEAVY_PER_PIXEL: f64 = 1.5;
const HEAVY_HEAD: f64 = 2_000.0;
/// An icon for a tab heavier than this is felt on every first visit.
const HEAVY: u64 = 100_000;
/// Icons of a site beyond which nobody can tell what is shown.
const MANY: usize = 15;

/// Who names an icon.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(tag = "by", content = "at", rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum NamedBy {
    /// A page, at this address.
    Page(String),
    /// The manifest.
    Manifest,
    /// Nobody: browsers ask for it by themselves.
    WellKnown,
}

/// What an icon is named as.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum NamedAs {
    /// An icon of the page.
    Icon,
    /// One for home screens.
    Touch,
    /// One of the manifest, for any use.
    Installed,
    /// One that launchers cut to a shape.
    Maskable,
    /// One that launchers tint.
    Monochrome,
    /// The picture of a shared link.
    Sharing,
}

impl NamedAs {
    /// In words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Icon => "icon",
            Self::Touch => "home screen icon",
            Self::Installed => "manifest icon",
            Self::Maskable => "maskable icon",
            Self::Monochrome => "monochrome icon",
            Self::Sharing => "sharing picture",
        }
    }
}

/// What a host answered for an icon.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct IconAnswer {
    /// The HTTP status; 200 of a data URL.
    pub status: u16,
    /// The media type, as it was sent.
    pub media_type: String,
    /// What it weighs.
    pub bytes: Bytes,
    /// For how many seconds browsers keep it; nothing where the host does not say. A data URL comes with its page.
    pub kept: Option<u64>,
}

/// An icon that was looked at.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct IconFound {
    /// Its address, shortened where it is a data URL.
    pub address: String,
    /// What it is named as.
    pub named_as: NamedAs,
    /// Who names it, without doubles.
    pub named_by: Vec<NamedBy>,
    /// How often the first page names it.
    pub times: usize,
    /// The pixels that it is said to have; none of a drawing (`any`), or where nothing is said.
    pub said: Vec<Size>,
    /// The host that it is on, where that was not entered: it was not asked for then.
    pub elsewhere: Option<String>,
    /// What the host answered; nothing where it did not.
    pub answer: Option<IconAnswer>,
    /// Its pixels: one size, or those inside an ICO; none where it is no picture.
    pub sizes: Vec<Size>,
    /// The media type that its bytes say; nothing where they are no picture.
    pub is: Option<String>,
    /// Whether it was enlarged from a smaller one.
    pub is_enlarged: bool,
}

/// Something that is wrong.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum IconTrouble {
    /// The host does not answer.
    Silent,
    /// It is on a host that was not entered, and was not asked for.
    Elsewhere {
        /// That host.
        host: String,
    },
    /// It answers with an error.
    Status {
        /// The HTTP status.
        status: u16,
    },
    /// What comes is no picture, such as a page that says that nothing was found.
    NoPicture {
        /// The media type that was sent.
        media_type: String,
    },
    /// It is sent as another kind of file than it is.
    WrongType {
        /// As what it is sent.
        sent: String,
        /// What it is.
        is: String,
    },
    /// It has other pixels than it is said to have.
    OtherPixels {
        /// What it is said to have.
        said: Size,
        /// What it has.
        has: Size,
    },
    /// It is no square.
    NoSquare {
        /// Its pixels.
        has: Size,
    },
    /// It was enlarged from a smaller one: it is blurred.
    Enlarged,
    /// It has too few pixels for what it is named as.
    Small {
        /// Pixels of a side that it needs.
        needed: u32,
        /// Its pixels.
        has: Size,
    },
    /// A page names it more than once.
    NamedTwice {
        /// How often.
        times: usize,
    },
    /// Browsers are not told how long to keep it, or for less than a day.
    NotKept,
    /// It weighs more than such a picture has to.
    Heavy {
        /// What it weighs.
        bytes: Bytes,
    },
}

impl IconTrouble {
    /// Whether the icon is not seen, or not as it should be: what has to be mended.
    pub const fn is_failure(&self) -> bool {
        !matches!(self, Self::NamedTwice { .. } | Self::NotKept | Self::Heavy { .. })
    }

    /// In words.
    pub fn words(&self) -> String {
        match self {
            Self::Silent => "the host does not answer".to_owned(),
            Self::Elsewhere { host } => format!("on {host}, which was not entered"),
            Self::Status { status } => format!("the host answers {status}"),
            Self::NoPicture { media_type } => {
                format!("what comes is no picture, but {media_type}")
            }
            Self::WrongType { sent, is } => format!("sent as {sent}, though it is {is}"),
            Self::OtherPixels { said, has } => format!("said to be {said}, is {has}"),
            Self::NoSquare { has } => format!("no square: {has}"),
            Self::Enlarged => "blurred: enlarged from a smaller picture".to_owned(),
            Self::Small { needed, has } => format!("{has}, {needed} × {needed} px are needed"),
            Self::NamedTwice { times } => format!("a page names it {times} times"),
            Self::NotKept => "browsers are not told to keep it".to_owned(),
            Self::Heavy { bytes } => format!("heavy for its size: {bytes}"),
        }
    }

    /// What to do, in words.
    pub fn mend(&self) -> String {
        match self {
            Self::Silent | Self::Status { .. } | Self::NoPicture { .. } => {
                "put the file where pages name it, or name another one".to_owned()
            }
            Self::WrongType { is, .. } => format!("have the host send it as {is}"),
            Self::Elsewhere { .. } => "allow that host, and check again".to_owned(),
            Self::OtherPixels { has, .. } => {
                format!("say sizes=\"{}x{}\"", has.width, has.height)
            }
            Self::NoSquare { .. } => "crop it to a square".to_owned(),
            Self::Enlarged | Self::Small { .. } => "make it anew from a larger master".to_owned(),
            Self::NamedTwice { .. } => "name it once".to_owned(),
            Self::NotKept => {
                "have the host send Cache-Control: max-age with a day or more".to_owned()
            }
            Self::Heavy { .. } => "make it anew; a mark of few colours is lighter".to_owned(),
        }
    }
}

/// A kind of device for which nothing is there.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum IconLack {
    /// No icon at all for tabs.
    Tabs,
    /// Nothing sharp for tabs on dense screens.
    DenseTabs,
    /// Nothing for home screens.
    HomeScreens,
    /// No manifest, or a broken one.
    Manifest,
    /// A manifest without icons of both sizes that installing asks for.
    Installing,
    /// Nothing that launchers can cut.
    Launchers,
    /// Nothing for shared links.
    SharedLinks,
}

impl IconLack {
    /// In words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Tabs => "tabs and bookmarks: no icon that could be shown",
            Self::DenseTabs => "tabs on dense screens: no drawing, and none of 32 px or more",
            Self::HomeScreens => "home screens: no icon of 180 px",
            Self::Manifest => "installing: no manifest that can be read",
            Self::Installing => "installing: the manifest names no icons of 192 and 512 px",
            Self::Launchers => "launchers that cut icons: the manifest names no maskable one",
            Self::SharedLinks => "shared links: no picture",
        }
    }

    /// The file that mends it.
    pub const fn mend(self) -> IconTarget {
        match self {
            Self::Tabs => IconTarget::Ico,
            Self::DenseTabs => IconTarget::Tab,
            Self::HomeScreens => IconTarget::Touch,
            Self::Manifest | Self::Installing => IconTarget::Large,
            Self::Launchers => IconTarget::Maskable,
            Self::SharedLinks => IconTarget::Sharing,
        }
    }

    /// Whether a visitor who installs nothing misses something.
    pub const fn is_failure(self) -> bool {
        matches!(self, Self::Tabs)
    }
}

/// An icon with what is wrong with it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct CheckedIcon {
    /// What was found.
    #[serde(flatten)]
    pub found: IconFound,
    /// What is wrong with it.
    pub troubles: Vec<ToldTrouble>,
    /// How it looks: a PNG as a data URL; nothing where it is no picture.
    pub picture: Option<String>,
}

impl CheckedIcon {
    /// `found`, judged.
    pub fn new(found: IconFound, picture: Option<String>) -> Self {
        let troubles = troubles(&found).into_iter().map(ToldTrouble::from).collect();
        Self { found, troubles, picture }
    }
}

/// Something that is wrong, in words.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ToldTrouble {
    /// What it is.
    #[serde(flatten)]
    pub trouble: IconTrouble,
    /// In words.
    pub words: String,
    /// What to do, in words.
    pub mend: String,
    /// Whether the icon is not seen as it should be.
    pub is_failure: bool,
}

impl From<IconTrouble> for ToldTrouble {
    fn from(trouble: IconTrouble) -> Self {
        let (words, mend) = (trouble.words(), trouble.mend());
        Self { is_failure: trouble.is_failure(), trouble, words, mend }
    }
}

/// Something that is missing, in words.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct ToldLack {
    /// What it is.
    pub lack: IconLack,
    /// In words.
    pub words: String,
    /// The file that mends it.
    pub mend: IconTarget,
}

/// A page that was not read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct UnreadPage {
    /// Its address.
    pub page: String,
    /// Why.
    pub reason: String,
}

/// What the icons of a site came to.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct IconReport {
    /// Pages that were read.
    pub pages: Vec<String>,
    /// Those of them that name no icon, where others do.
    pub silent: Vec<String>,
    /// Pages that were not.
    pub unread: Vec<UnreadPage>,
    /// What is wrong with the manifest; nothing where there is none, or nothing is.
    pub manifest: Option<String>,
    /// Every icon that is named.
    pub icons: Vec<CheckedIcon>,
    /// What is missing.
    pub lacks: Vec<ToldLack>,
    /// Whether so many are named that nobody can tell which one is shown.
    pub are_many: bool,
}

impl IconReport {
    /// What `icons` come to, of `pages` of which those of `silent` name none; `manifest` tells whether there is one, or
    /// why it cannot be read.
    pub fn new(
        pages: Vec<String>,
        silent: Vec<String>,
        unread: Vec<UnreadPage>,
        manifest: Result<bool, String>,
        icons: Vec<CheckedIcon>,
    ) -> Self {
        let found: Vec<IconFound> = icons.iter().map(|icon| icon.found.clone()).collect();
        let lacks = lacks(&found, manifest == Ok(true)).into_iter().map(|lack| ToldLack {
            lack,
            words: lack.words().to_owned(),
            mend: lack.mend(),
        });
        let lacks = lacks.collect();
        let are_many = are_many(&found);
        Self { pages, silent, unread, manifest: manifest.err(), icons, lacks, are_many }
    }

    /// Whether nothing is wrong, and nothing is missing.
    pub fn is_fine(&self) -> bool {
        let has_trouble = self.icons.iter().any(|icon| !icon.troubles.is_empty());
        let is_read = self.unread.is_empty() && self.silent.is_empty() && self.manifest.is_none();
        !has_trouble && is_read && self.lacks.is_empty() && !self.are_many
    }
}

/// What is wrong with an icon.
pub fn troubles(found: &IconFound) -> Vec<IconTrouble> {
    if let Some(host) = &found.elsewhere {
        return vec![IconTrouble::Elsewhere { host: host.clone() }];
    }
    let Some(answer) = &found.answer else { return vec![IconTrouble::Silent] };
    if !(200..300).contains(&answer.status) {
        return vec![IconTrouble::Status { status: answer.status }];
    }
    let (Some(is), Some(&largest)) =
        (&found.is, found.sizes.iter().max_by_key(|size| size.pixels()))
    else {
        return vec![IconTrouble::NoPicture { media_type: answer.media_type.clone() }];
    };
    let mut told = Vec::new();
    let sent = essence(&answer.media_type);
    if !is_sent_as(&sent, is) {
        told.push(IconTrouble::WrongType { sent, is: is.clone() });
    }
    let is_drawing = is == "image/svg+xml";
    if !is_drawing {
        let missing = found.said.iter().filter(|said| !found.sizes.contains(said));
        told.extend(missing.map(|&said| IconTrouble::OtherPixels { said, has: largest }));
    }
    if found.named_as != NamedAs::Sharing
        && let Some(&has) = found.sizes.iter().find(|size| size.width != size.height)
    {
        told.push(IconTrouble::NoSquare { has });
    }
    if found.is_enlarged {
        told.push(IconTrouble::Enlarged);
    }
    let needed = match found.named_as {
        NamedAs::Touch => 120,
        NamedAs::Sharing => 600,
        _ => 16,
    };
    if largest.width < needed && !is_drawing {
        told.push(IconTrouble::Small { needed, has: largest });
    }
    if found.times > 1 {
        told.push(IconTrouble::NamedTwice { times: found.times });
    }
    let is_inline = found.address.starts_with("data:");
    if !is_inline && answer.kept.unwrap_or(0) < KEPT_LONG {
        told.push(IconTrouble::NotKept);
    }
    let pixels: u64 = found.sizes.iter().map(|size| size.pixels()).sum();
    let most = pixels as f64 * HEAVY_PER_PIXEL + HEAVY_HEAD;
    let is_photograph = found.named_as == NamedAs::Sharing;
    let bytes = answer.bytes.get();
    if !is_photograph && (bytes > HEAVY || !is_drawing && bytes as f64 > most) {
        told.push(IconTrouble::Heavy { bytes: answer.bytes });
    }
    told
}

/// What is missing, where these icons were found, and a manifest that could be read or not.
pub fn lacks(found: &[IconFound], has_manifest: bool) -> Vec<IconLack> {
    let seen = |one: &&IconFound| {
        let is_there = one.answer.as_ref().is_some_and(|a| (200..300).contains(&a.status));
        is_there && one.is.is_some()
    };
    let any = |named_as: NamedAs, least: u32| {
        found.iter().filter(seen).filter(|one| one.named_as == named_as).any(|one| {
            one.is.as_deref() == Some("image/svg+xml")
                || one.sizes.iter().any(|size| size.width >= least)
        })
    };
    let mut told = Vec::new();
    let mut unless = |is_there: bool, lack: IconLack| {
        if !is_there {
            told.push(lack);
        }
    };
    let has_tab = any(NamedAs::Icon, 1);
    unless(has_tab, IconLack::Tabs);
    unless(!has_tab || any(NamedAs::Icon, 32), IconLack::DenseTabs);
    unless(any(NamedAs::Touch, 180), IconLack::HomeScreens);
    unless(has_manifest, IconLack::Manifest);
    let installs = any(NamedAs::Installed, 512)
        && found.iter().filter(seen).any(|one| {
            let is_small = one.sizes.iter().any(|size| (192..512).contains(&size.width));
            one.named_as == NamedAs::Installed
                && (is_small || one.is.as_deref() == Some("image/svg+xml"))
        });
    unless(!has_manifest || installs, IconLack::Installing);
    unless(!has_manifest || any(NamedAs::Maskable, 192), IconLack::Launchers);
    unless(any(NamedAs::Sharing, 1), IconLack::SharedLinks);
    told
}

/// Whether a site has so many icons for tabs that nobody can tell which one is shown.
pub fn are_many(found: &[IconFound]) -> bool {
    found.iter().filter(|one| one.named_as == NamedAs::Icon).count() > MANY
}

/// A media type without its parameters, in small letters.
fn essence(media_type: &str) -> String {
    media_type.split(';').next().unwrap_or_default().trim().to_ascii_lowercase()
}

/// Whether what `is` of one type may be sent as another: ICO has two names.
fn is_sent_as(sent: &str, is: &str) -> bool {
    let is_ico = |one: &str| matches!(one, "image/x-icon" | "image/vnd.microsoft.icon");
    sent == is || is_ico(sent) && is_ico(is)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn icon(named_as: NamedAs, side: u32) -> IconFound {
        IconFound {
            address: "https://tarnlight.example/icon.png".to_owned(),
            named_as,
            named_by: vec![NamedBy::Page("/".to_owned())],
            times: 1,
            said: vec![Size::new(side, side)],
            elsewhere: None,
            answer: Some(IconAnswer {
                status: 200,
                media_type: "image/png".to_owned(),
                bytes: Bytes(900),
                kept: Some(2 * KEPT_LONG),
            }),
            sizes: vec![Size::new(side, side)],
            is: Some("image/png".to_owned()),
            is_enlarged: false,
        }
    }

    fn answering(change: impl Fn(&mut IconAnswer)) -> IconFound {
        let mut found = icon(NamedAs::Icon, 48);
        change(found.answer.as_mut().unwrap());
        found
    }

    #[test]
    fn each_fault_is_told_and_a_good_icon_has_none() {
        assert_eq!(troubles(&icon(NamedAs::Icon, 48)), []);
        let html = IconFound {
            is: None,
            sizes: Vec::new(),
            ..answering(|answer| answer.media_type = "text/html".to_owned())
        };
        let no_picture = IconTrouble::NoPicture { media_type: "text/html".to_owned() };
        assert_eq!(troubles(&html), [no_picture]);
        let gone = answering(|answer| answer.status = 404);
        assert_eq!(troubles(&gone), [IconTrouble::Status { status: 404 }]);
        assert_eq!(troubles(&IconFound { answer: None, ..gone }), [IconTrouble::Silent]);
        let sent = answering(|answer| answer.media_type = "text/plain; charset=utf-8".to_owned());
        assert!(
            matches!(&troubles(&sent)[..], [IconTrouble::WrongType { sent, .. }] if sent == "text/plain")
        );
        let (tall, small) = (Size::new(48, 60), Size::new(60, 60));
        let other = IconFound { sizes: vec![tall], ..icon(NamedAs::Touch, 60) };
        let expected = [
            IconTrouble::OtherPixels { said: small, has: tall },
            IconTrouble::NoSquare { has: tall },
            IconTrouble::Small { needed: 120, has: tall },
        ];
        assert_eq!(troubles(&other), expected);
        let blurred = IconFound { is_enlarged: true, times: 3, ..icon(NamedAs::Icon, 48) };
        assert_eq!(
            troubles(&blurred),
            [IconTrouble::Enlarged, IconTrouble::NamedTwice { times: 3 }]
        );
        let fleeting = answering(|answer| answer.kept = None);
        assert_eq!(troubles(&fleeting), [IconTrouble::NotKept]);
        let heavy = answering(|answer| answer.bytes = Bytes(9_000));
        assert_eq!(troubles(&heavy), [IconTrouble::Heavy { bytes: Bytes(9_000) }]);
    }

    #[test]
    fn an_ico_goes_by_both_of_its_names_and_holds_what_is_said() {
        let mut ico = answering(|answer| answer.media_type = "image/vnd.microsoft.icon".to_owned());
        ico.is = Some("image/x-icon".to_owned());
        ico.sizes = [16, 32, 48].map(|side| Size::new(side, side)).to_vec();
        ico.said = vec![Size::new(32, 32)];
        assert_eq!(troubles(&ico), []);
    }

    #[test]
    fn what_is_missing_is_told_by_kind_of_device() {
        let all =
            [IconLack::Tabs, IconLack::HomeScreens, IconLack::Manifest, IconLack::SharedLinks];
        assert_eq!(lacks(&[], false), all);
        let mut found = vec![icon(NamedAs::Icon, 16), icon(NamedAs::Installed, 512)];
        let told = lacks(&found, true);
        assert!(told.contains(&IconLack::DenseTabs) && told.contains(&IconLack::Installing));
        found.extend([
            icon(NamedAs::Icon, 48),
            icon(NamedAs::Touch, 180),
            icon(NamedAs::Installed, 192),
            icon(NamedAs::Maskable, 512),
            icon(NamedAs::Sharing, 1_200),
        ]);
        assert_eq!(lacks(&found, true), []);
        // What does not come is not there.
        found[3].answer = None;
        assert_eq!(lacks(&found, true), [IconLack::HomeScreens]);
    }
}
