//! Troubles: what can be wrong with an icon, and how it is mended.

use serde::{Deserialize, Serialize};

use super::{IconFound, NamedAs};
use crate::geometry::Size;
use crate::units::Bytes;

/// Icons are asked for on many pages: for less than a day they are not worth keeping.
const KEPT_LONG: u64 = 86_400;
/// Bytes a pixel that an icon weighs at most, beside a few for its head: flat marks need far less.
const HEAVY_PER_PIXEL: f64 = 1.5;
const HEAVY_HEAD: f64 = 2_000.0;
/// An icon for a tab heavier than this is felt on every first visit.
const HEAVY: u64 = 100_000;

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
    use super::super::IconAnswer;
    use super::super::samples::icon;
    use super::*;

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
}
