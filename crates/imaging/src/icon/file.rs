//! Icon files: all that a site gets, each encoded as any other picture.

use brisk_margin_core::choice::QualityTarget;
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::edits::values::Ground;
use brisk_margin_core::encoding::Encoding;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::grade::Grade;
use brisk_margin_core::icon::design::{IconDesign, IconSetting};
use brisk_margin_core::icon::target::{IN_ICO, IconTarget, MadeIcon};
use rayon::iter::{IntoParallelIterator, ParallelIterator};
use thiserror::Error;

use super::composed::{composed, inner, monochrome};
use super::drawing::icon_drawing;
use super::ico::ico;
use super::master::Master;
use super::sharing::sharing;
use super::small::{Small, small};
use super::touch::touched;
use super::with_alpha;
use crate::analysis::content_class;
use crate::choosing::{ChoiceError, Choosing, Hints, Stop};
use crate::codec::CodecError;
use crate::codec::extras::Extras;
use crate::codecs::Codecs;
use crate::encode::EncodeError;
use crate::metric::{MetricError, QualityMetric};
use crate::raster::Raster;

/// The masters of a site's icons, and what was decided for them.
pub struct Icons<'a> {
    /// What was decided.
    pub design: &'a IconDesign,
    /// The picture that all are made of.
    pub master: &'a Master,
    /// A simpler mark for small sizes.
    pub small: Option<&'a Master>,
    /// The drawing that a dark theme shows instead.
    pub dark: Option<&'a Master>,
    /// How good files must be.
    pub want: QualityTarget,
}

/// Icons are looked at as closely as nothing else on a page.
pub const USUAL: QualityTarget = QualityTarget::Grade(Grade::Fine);

/// A small size.
#[derive(Debug, Clone, PartialEq)]
pub struct SmallVersion {
    /// The mark, plain and with helps.
    pub small: Small,
    /// On its ground, with margin and corners.
    pub whole: Raster,
    /// With what was touched up.
    pub touched: Raster,
}

/// A file that was made.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct IconFile {
    /// Which one it is, and what it is called.
    pub made: MadeIcon,
    /// Its media type.
    pub media_type: &'static str,
    /// Its pixels; of an ICO the largest ones inside.
    pub size: Size,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

/// Why a file could not be made.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum IconError {
    /// Pixels could not be made.
    #[error(transparent)]
    Codec(#[from] CodecError),
    /// An encoder failed.
    #[error(transparent)]
    Encode(#[from] EncodeError),
    /// No encoding was found.
    #[error(transparent)]
    Choice(#[from] ChoiceError),
    /// Files could not be compared.
    #[error(transparent)]
    Metric(#[from] MetricError),
}

impl IconError {
    /// Whether the machine is at fault and not the picture: later it may go well.
    pub const fn is_transient(&self) -> bool {
        match self {
            Self::Codec(error) => error.is_transient(),
            Self::Encode(error) => error.is_transient(),
            Self::Choice(error) => error.is_transient(),
            Self::Metric(_) => false,
        }
    }
}

impl Icons<'_> {
    /// The master that `target` shows, and how.
    fn of(&self, target: IconTarget) -> (&Master, IconSetting) {
        let setting = self.design.setting(target, self.master.figure().reach());
        let simpler = self.small.filter(|_| setting.is_small);
        (simpler.unwrap_or(self.master), setting)
    }

    /// The pixels of `target`; of an ICO those of its largest size.
    ///
    /// # Errors
    /// [`CodecError`].
    pub fn pixels(&self, target: IconTarget) -> Result<Raster, CodecError> {
        let (master, setting) = self.of(target);
        let side = target.size().width;
        Ok(match target {
            IconTarget::Ico => self.small_pixels(side),
            IconTarget::Sharing => sharing(master, setting, &self.design.name, &self.design.line)?,
            IconTarget::Monochrome => {
                // Its ground would be of its colour.
                let mark = monochrome(&master.at(inner(side, setting)));
                let clear = Ground::TRANSPARENT;
                composed(&mark, side, IconSetting { background: clear, ..setting })
            }
            _ => composed(&master.at(inner(side, setting)), side, setting),
        })
    }

    /// The pixels of `favicon.ico` at `side` px: with helps, and touched up.
    fn small_pixels(&self, side: u32) -> Raster {
        self.small_version(side).touched
    }

    /// A small size, as it becomes what it is in `favicon.ico`.
    pub fn small_version(&self, side: u32) -> SmallVersion {
        let (master, setting) = self.of(IconTarget::Ico);
        let small = small(master, inner(side, setting), &self.design.without);
        let whole = with_alpha(composed(&small.helped, side, setting));
        let touched = match self.design.touch_ups.get(&side) {
            Some(touches) => touched(&whole, touches),
            None => whole.clone(),
        };
        SmallVersion { small, whole, touched }
    }

    /// Every file that can be made, in the order of the targets; `stop` is asked in between.
    ///
    /// # Errors
    /// [`IconError`].
    pub fn files(&self, codecs: &Codecs, stop: Stop<'_>) -> Result<Vec<IconFile>, IconError> {
        let made = IconTarget::ALL.into_par_iter().map(|target| self.file(target, codecs, stop));
        let files: Result<Vec<Option<IconFile>>, IconError> = made.collect();
        Ok(files?.into_iter().flatten().collect())
    }

    /// The file of `target`; nothing of a drawing where the master is none.
    ///
    /// # Errors
    /// [`IconError`].
    pub fn file(
        &self,
        target: IconTarget,
        codecs: &Codecs,
        stop: Stop<'_>,
    ) -> Result<Option<IconFile>, IconError> {
        let png = |bytes: Vec<u8>| IconFile {
            made: MadeIcon::usual(target),
            media_type: "image/png",
            size: target.size(),
            bytes,
        };
        Ok(Some(match target {
            IconTarget::Drawing => {
                let (master, setting) = self.of(target);
                let Some(light) = master.drawing() else { return Ok(None) };
                let dark = self.dark.and_then(Master::drawing);
                let text = icon_drawing(light, dark, setting);
                IconFile { media_type: "image/svg+xml", ..png(text.into_bytes()) }
            }
            IconTarget::Ico => {
                let frame = |side: u32| {
                    let pixels = self.small_pixels(side);
                    // So small that a measure of what the eye sees has nothing to go by: as it is.
                    let file = codecs.encode(&pixels, Encoding::Png, &Extras::default())?;
                    Ok((side, file))
                };
                let frames: Result<Vec<_>, EncodeError> = IN_ICO.into_iter().map(frame).collect();
                IconFile { media_type: "image/x-icon", ..png(ico(&frames?)?) }
            }
            IconTarget::Sharing => {
                let pixels = self.pixels(target)?;
                let may_lose = self.want != QualityTarget::Lossless;
                if may_lose && content_class(&pixels) == ContentClass::Photograph {
                    let file_name = target.file_name().replace(".png", ".jpg");
                    let bytes = self.encoded(&pixels, Format::Jpeg, codecs, stop)?;
                    let made = MadeIcon { target, file_name };
                    IconFile { made, media_type: "image/jpeg", ..png(bytes) }
                } else {
                    png(self.encoded(&pixels, Format::Png, codecs, stop)?)
                }
            }
            _ => png(self.encoded(&self.pixels(target)?, Format::Png, codecs, stop)?),
        }))
    }

    /// `pixels` as any other picture that has to be so good.
    fn encoded(
        &self,
        pixels: &Raster,
        format: Format,
        codecs: &Codecs,
        stop: Stop<'_>,
    ) -> Result<Vec<u8>, IconError> {
        let choosing = Choosing {
            encoders: codecs.into(),
            metric: &QualityMetric::new(pixels.clone())?,
            moving: None,
            class: content_class(pixels),
            hints: Hints::NONE,
            extras: &Extras::default(),
            stop,
        };
        Ok(choosing.choose(format, self.want, None)?.trial.bytes)
    }
}
