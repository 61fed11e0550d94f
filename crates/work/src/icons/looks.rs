//! Looks: how icons look at every size, before anything is made or saved.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::icon::design::{Help, IconDesign, IconSetting, MOST_CORNER, MOST_MARGIN};
use brisk_margin_core::icon::legibility::{LOST, Legibility, READABLE, Verdict};
use brisk_margin_core::icon::target::{IN_ICO, IconTarget, SMALL, too_large_for};
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::codec::png::encode_fast;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::icon::file::{IconError, Icons};
use brisk_margin_imaging::icon::touch::fingerprint;
use brisk_margin_imaging::raster::Raster;
use brisk_margin_imaging::resize::{Region, resize};
use serde::Serialize;
use utoipa::ToSchema;

use super::{IconWork, IconsError, Masters};

/// The longer side that large icons are looked at with, in px, and that of the sharing picture.
const LOOKED_AT: u32 = 256;
const SHARING_AT: u32 = 720;
/// What looking takes: rasters of a few sizes.
const MEMORY: Bytes = Bytes(64 << 20);

/// How icons look.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct IconLooks {
    /// Pixels of the master as it is in the library.
    pub source: Size,
    /// The square of it that is shown.
    pub square: Rect,
    /// What should be known of the master, in words.
    pub notes: Vec<String>,
    /// Helps that are proposed for small sizes.
    pub helps: Vec<ProposedHelp>,
    /// Small sizes.
    pub small: Vec<SmallLook>,
    /// All files.
    pub files: Vec<IconLook>,
    /// What the figures on the screen are held against.
    pub limits: IconLimits,
}

/// What the figures of icons are held against.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, ToSchema)]
pub struct IconLimits {
    /// From this legibility on a mark is readable.
    pub readable: f64,
    /// Below this it is lost.
    pub lost: f64,
    /// The most of a side that may be margin on each side, in percent.
    pub margin: u8,
    /// The largest radius of corners, in percent of a side.
    pub corner: u8,
}

impl IconLimits {
    const ALL: Self =
        Self { readable: READABLE, lost: LOST, margin: MOST_MARGIN, corner: MOST_CORNER };
}

/// A help that is proposed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct ProposedHelp {
    /// Which one.
    pub help: Help,
    /// In words.
    pub words: &'static str,
    /// The sizes that it is proposed for, in px.
    pub sizes: Vec<u32>,
    /// Whether it is used, and not set aside.
    pub is_used: bool,
}

/// A small size. Pictures are PNG files as data URLs.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SmallLook {
    /// Pixels of its side.
    pub size: u32,
    /// The master scaled down, and nothing else.
    pub plain: String,
    /// How well that can be read on light and on dark tabs.
    pub plain_legibility: OnTabs,
    /// As it will be.
    pub icon: String,
    /// Before what was touched up.
    pub untouched: String,
    /// How well that can be read on light and on dark tabs.
    pub legibility: OnTabs,
    /// Whether it can be touched up: it is inside `favicon.ico`.
    pub can_be_touched: bool,
    /// What stands for it without touch-ups.
    pub fingerprint: String,
    /// Whether what was touched up was made on another version of it.
    pub is_touched_before: bool,
    /// A word of warning; nothing where it can be read on both grounds.
    pub warning: Option<&'static str>,
}

/// How well an icon can be read on tabs.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, ToSchema)]
pub struct OnTabs {
    /// On light ones.
    pub light: Legibility,
    /// On dark ones.
    pub dark: Legibility,
}

impl From<[Legibility; 2]> for OnTabs {
    fn from([light, dark]: [Legibility; 2]) -> Self {
        Self { light, dark }
    }
}

/// A file as it will look.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct IconLook {
    /// Which one.
    pub target: IconTarget,
    /// What it is called.
    pub file_name: &'static str,
    /// What it is for, in words.
    pub words: &'static str,
    /// Its pixels.
    pub size: Size,
    /// How it shows its master.
    pub setting: IconSetting,
    /// Whether that is what is usual.
    pub is_usual: bool,
    /// A PNG as a data URL, of 256 px at most; 720 of the sharing picture.
    pub picture: String,
}

impl IconWork {
    /// How the icons of `design` look.
    ///
    /// # Errors
    /// [`IconsError`].
    pub async fn looks(&self, design: IconDesign) -> Result<IconLooks, IconsError> {
        let masters = self.masters(&design).await?;
        let room = self.maker.pool.admit(MEMORY).await;
        let work = move |_: &Codecs| looks(&masters, &design);
        Ok(self.maker.pool.run(room, work).await??)
    }
}

fn looks(masters: &Masters, design: &IconDesign) -> Result<IconLooks, IconError> {
    let icons = masters.icons(design);
    let small: Result<Vec<(SmallLook, Vec<Help>)>, IconError> =
        SMALL.into_iter().map(|size| small_look(&icons, design, size)).collect();
    let (small, helps): (Vec<_>, Vec<_>) = small?.into_iter().unzip();
    let proposed = Help::ALL.into_iter().filter_map(|help| {
        let sizes = SMALL.into_iter().zip(&helps).filter(|(_, own)| own.contains(&help));
        let sizes: Vec<u32> = sizes.map(|(size, _)| size).collect();
        let is_used = !design.without.contains(&help);
        (!sizes.is_empty()).then_some(ProposedHelp { help, words: help.words(), sizes, is_used })
    });
    let files: Result<Vec<IconLook>, IconError> = IconTarget::ALL
        .into_iter()
        .filter(|target| *target != IconTarget::Drawing || masters.master.drawing().is_some())
        .map(|target| icon_look(&icons, masters, design, target))
        .collect();
    Ok(IconLooks {
        source: masters.picture.facts.size,
        square: masters.square,
        notes: notes(masters),
        helps: proposed.collect(),
        small,
        files: files?,
        limits: IconLimits::ALL,
    })
}

fn small_look(
    icons: &Icons<'_>,
    design: &IconDesign,
    size: u32,
) -> Result<(SmallLook, Vec<Help>), IconError> {
    let version = icons.small_version(size);
    let own = fingerprint(&version.whole);
    let touches = design.touch_ups.get(&size).filter(|touches| !touches.is_empty());
    let look = SmallLook {
        size,
        plain: data_url(&version.small.plain)?,
        plain_legibility: version.small.plain_legibility.into(),
        icon: data_url(&version.touched)?,
        untouched: data_url(&version.whole)?,
        legibility: version.small.legibility.into(),
        can_be_touched: IN_ICO.contains(&size),
        is_touched_before: touches.is_some_and(|touches| touches.on != own.as_str()),
        fingerprint: own.into(),
        warning: warning(version.small.legibility),
    };
    Ok((look, version.small.helps))
}

/// What is said of a mark that cannot be read.
fn warning(legibility: [Legibility; 2]) -> Option<&'static str> {
    let [light, dark] = legibility.map(|one| one.verdict == Verdict::Lost);
    match (light, dark) {
        (true, true) => Some("the mark is lost: use a simpler one for small sizes"),
        (true, false) => Some("the mark is lost on light tabs: give it a background"),
        (false, true) => Some("the mark is lost on dark tabs: give it a background"),
        (false, false) => None,
    }
}

fn icon_look(
    icons: &Icons<'_>,
    masters: &Masters,
    design: &IconDesign,
    target: IconTarget,
) -> Result<IconLook, IconError> {
    let pixels = icons.pixels(target)?;
    let size = pixels.size();
    let most = if target == IconTarget::Sharing { SHARING_AT } else { LOOKED_AT };
    let factor = f64::from(most) / f64::from(size.width.max(size.height));
    let shown = match factor < 1.0 {
        true => {
            let side = |length: u32| (f64::from(length) * factor).round() as u32;
            resize(&pixels, Region::whole(size), Size::new(side(size.width), side(size.height)))
        }
        false => pixels,
    };
    Ok(IconLook {
        target,
        file_name: target.file_name(),
        words: target.words(),
        size: target.size(),
        setting: design.setting(target, masters.master.figure().reach()),
        is_usual: !design.settings.contains_key(&target),
        picture: data_url(&shown)?,
    })
}

/// What should be known of a master.
fn notes(masters: &Masters) -> Vec<String> {
    let facts = &masters.picture.facts;
    let mut notes = Vec::new();
    if facts.format == SourceFormat::Svg {
        notes.push("a drawing: every size is sharp".to_owned());
    }
    if facts.size.width != facts.size.height {
        notes.push(format!("not square: {} of {} are shown", masters.square.size(), facts.size));
    }
    if facts.frames > 1 {
        notes.push("it moves: icons show its first frame".to_owned());
    }
    if let Some(side) = masters.master.source_side() {
        let lacking: Vec<&str> =
            too_large_for(side).into_iter().map(IconTarget::file_name).collect();
        if !lacking.is_empty() {
            let names = lacking.join(", ");
            notes.push(format!("{side} px are too few for {names}: they are blurred"));
        }
    }
    notes
}

/// A PNG of `raster` as a data URL.
pub(super) fn data_url(raster: &Raster) -> Result<String, IconError> {
    let file = encode_fast(raster)?;
    Ok(format!("data:image/png;base64,{}", STANDARD.encode(file)))
}
