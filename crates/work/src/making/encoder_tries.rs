//! Encoders from outside, tried on a picture of the site before anything is made with them.

use std::time::Instant;

use brisk_margin_core::choice::{QualityTarget, rendered_class};
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::edits::EditList;
use brisk_margin_core::encoding::{Encoding, Quality};
use brisk_margin_core::format::Format;
use brisk_margin_core::grade::{Grade, Score};
use brisk_margin_core::outside::OutsideEncoder;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::choosing::{ChoiceError, Choosing, Hints, never};
use brisk_margin_imaging::codec::CodecError;
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::metric::QualityMetric;
use brisk_margin_imaging::outside::Encoders;
use brisk_margin_imaging::raster::Raster;
use brisk_margin_store::pictures::{Filter, Picture};

use super::Maker;
use super::error::MakeError;
use super::rendering::{Rendering, with_original};
use super::trials::memory;

/// The long side of what is tried, in pixels.
const SIDE: u32 = 960;

/// What an encoder from outside made of a picture.
pub struct EncoderTried {
    /// The picture's name.
    pub picture: String,
    /// Its smallest file that is *good*.
    pub encoding: Encoding,
    /// What that weighs.
    pub bytes: Bytes,
    /// How faithful it is.
    pub score: Score,
    /// How many files were made to find it.
    pub encodes: u32,
    /// How long that took, in milliseconds.
    pub millis: u64,
    /// What our own files of the same picture weigh that are *good*.
    pub ours: Vec<(Format, Bytes)>,
    /// What its file without loss weighs, where it makes such.
    pub lossless: Option<Bytes>,
    /// What a JPEG weighs, and what it keeps it in, where it does and the way back gave every byte.
    pub transcoding: Option<(Bytes, Bytes)>,
}

/// Tries `encoder` on a picture of the library that does not move, a photograph where there is one; nothing where all
/// move.
///
/// # Errors
/// [`MakeError`] with the program's own words.
pub async fn try_encoder(
    maker: &Maker,
    encoder: OutsideEncoder,
) -> Result<Option<EncoderTried>, MakeError> {
    const LOOKED_AT: u64 = 50;
    let ids = maker.store.picture_ids(&Filter::default(), LOOKED_AT).await?;
    let pictures = maker.store.pictures_of(&ids).await?;
    // A photograph tells most; those that came last stand first.
    let is_photograph = |picture: &Picture| {
        let class = picture.analysis.as_ref().map(|analysis| analysis.class);
        class == Some(ContentClass::Photograph)
    };
    let mut still = pictures.into_iter().filter(|picture| picture.facts.frames <= 1);
    let Some(first) = still.next() else { return Ok(None) };
    let picture = match is_photograph(&first) {
        true => first,
        false => still.find(is_photograph).unwrap_or(first),
    };
    let rendering = Rendering::whole(&picture, &EditList::default(), SIDE)?;
    let room = memory(rendering.plan.fitting.output).get() + rendering.memory().get();
    let class = picture.analysis.as_ref().map(|analysis| analysis.class);
    let class = rendered_class(&picture.facts, class, &EditList::default());
    let name = picture.name.clone();
    with_original(maker, &picture, Bytes(room), move |original| {
        let raster = rendering.render(original, &Default::default())?.raster;
        let metric = QualityMetric::new(raster).map_err(ChoiceError::from)?;
        let own = [encoder];
        let encoders = Encoders { codecs: original.codecs(), outside: &own };
        let choosing = Choosing {
            encoders,
            metric: &metric,
            moving: None,
            class,
            hints: Hints::NONE,
            extras: &Extras::default(),
            stop: &never,
        };
        Ok(Some(tried(name, &choosing, &own[0])?))
    })
    .await
}

fn tried(
    picture: String,
    choosing: &Choosing<'_>,
    encoder: &OutsideEncoder,
) -> Result<EncoderTried, MakeError> {
    let grade = Grade::Good;
    let started = Instant::now();
    let chosen = choosing.choose_outside(encoder, grade)?;
    let millis = started.elapsed().as_millis() as u64;
    let alone = Choosing { encoders: choosing.encoders.codecs.into(), ..*choosing };
    let weight = |format: Format| {
        let ours = alone.choose(format, QualityTarget::Grade(grade), None)?;
        Ok::<_, ChoiceError>((format, Bytes::of(&ours.trial.bytes)))
    };
    let ours = [Format::Webp, Format::Avif].map(weight).into_iter().collect::<Result<_, _>>()?;
    let lossless = encoder.without_loss().map(|encoding| choosing.choose_one(encoding));
    let lossless = lossless.transpose()?.map(|same| Bytes::of(&same.trial.bytes));
    Ok(EncoderTried {
        picture,
        encoding: chosen.trial.encoding,
        bytes: Bytes::of(&chosen.trial.bytes),
        score: chosen.trial.score,
        encodes: chosen.encodes(),
        millis,
        ours,
        lossless,
        transcoding: transcoded(choosing.encoders, choosing.metric.raster(), encoder)?,
    })
}

fn transcoded(
    encoders: Encoders<'_>,
    raster: &Raster,
    encoder: &OutsideEncoder,
) -> Result<Option<(Bytes, Bytes)>, MakeError> {
    if encoder.transcoding.is_none() {
        return Ok(None);
    }
    let jpeg =
        encoders.codecs.encode(raster, Encoding::Jpeg(Quality::USUAL), &Extras::default())?;
    let kept = encoders.transcoded(&jpeg, encoder.makes).map_err(CodecError::from)?;
    Ok(kept.map(|kept| (Bytes::of(&jpeg), Bytes::of(&kept))))
}
