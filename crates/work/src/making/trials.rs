//! Trials: encodings tried on a picture's pixels, scored and kept, so that coming back costs nothing.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use brisk_margin_core::choice::{ChoiceOutcome, EncodeRequest, rendered_class};
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::credit::Credit;
use brisk_margin_core::encoding::{Encoding, generation};
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::grade::{Score, WorstSpot};
use brisk_margin_core::outside::OutsideEncoder;
use brisk_margin_core::outside_encoding::EncoderKey;
use brisk_margin_core::render_spec::RenderSpec;
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::choosing::{ChoiceError, Choosing, Chosen, Hints, Moving};
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::codec::png;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::metric::QualityMetric;
use brisk_margin_imaging::outside::Encoders;
use brisk_margin_imaging::reference::Reference;
use brisk_margin_imaging::render::render_motion;
use brisk_margin_store::Keep;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::trials::NewTrial;
use serde::{Deserialize, Serialize};

use super::Maker;
use super::error::MakeError;
use super::references::reference;
use super::rendering::with_original;

/// The places that are told of a trial, and their size in pixels: about what a band shows.
const SPOTS: usize = 6;
const SPOT: Size = Size::new(256, 128);

/// What came of a request.
#[derive(Debug, Clone, PartialEq)]
pub struct Settled {
    /// The encoding that was settled on.
    pub encoding: Encoding,
    /// How that ended.
    pub outcome: ChoiceOutcome,
    /// What counted of its score; nothing where it was made before that was kept.
    pub counted: Option<Score>,
    /// How many files were made for it just now.
    pub encodes: u32,
    /// The file, where it was made just now.
    pub file: Option<bytes::Bytes>,
}

/// What is kept of a search that ended.
#[derive(Serialize, Deserialize)]
struct Ended {
    encoding: Encoding,
    outcome: ChoiceOutcome,
    #[serde(default)]
    counted: Option<Score>,
}

/// Pixels of which files are made.
#[derive(Clone, Copy)]
pub struct Subject<'a> {
    /// The picture.
    pub picture: &'a Picture,
    /// What decides its pixels.
    pub spec: &'a RenderSpec,
    /// What each file says of who made it.
    pub credit: Option<&'a Credit>,
    /// The pixels, where they are in the hand already.
    pub reference: Option<&'a Arc<Reference>>,
    /// What other files of the picture told.
    pub hints: Hints,
}

impl Subject<'_> {
    /// What kind of picture its pixels are.
    pub fn class(&self) -> ContentClass {
        class_of(self.picture, self.spec)
    }

    /// Whether it moves: no single picture stands for it.
    pub fn is_moving(&self) -> bool {
        self.class() == ContentClass::Animation
    }

    fn xmp(&self) -> Option<Vec<u8>> {
        self.credit.map(Credit::packet)
    }

    async fn reference(&self, maker: &Maker) -> Result<Arc<Reference>, MakeError> {
        match self.reference {
            Some(reference) => Ok(Arc::clone(reference)),
            None => reference(maker, self.picture, self.spec).await,
        }
    }

    /// What is kept of it in `format` under another name than of any other.
    pub(super) fn kind(&self, what: &str, format: Format, of: &impl Serialize) -> String {
        let credit = self.credit.map(json).unwrap_or_default();
        format!("{what} {} {} {}{credit}", generation(format), json(self.spec), json(of))
    }

    /// What a search by `request` is kept under: another encoder from outside may come to something else.
    fn tried(&self, request: EncodeRequest, outside: &[OutsideEncoder]) -> String {
        let format = request.format();
        let own = outside.iter().filter(|encoder| encoder.makes == format);
        let keys: Vec<EncoderKey> = own.map(OutsideEncoder::key).collect();
        match keys.is_empty() {
            true => self.kind("tried", format, &request),
            false => self.kind("tried", format, &(request, keys)),
        }
    }

    /// What is kept of its own pixels, whatever files are made of them.
    pub(super) fn own_kind(&self, what: &str) -> String {
        format!("{what} {}", json(self.spec))
    }

    /// The file of `encoding`, where it was made before and is still there.
    pub async fn kept_file(
        &self,
        maker: &Maker,
        encoding: Encoding,
    ) -> Result<Option<bytes::Bytes>, MakeError> {
        let kind = self.kind("trial", encoding.format(), &encoding);
        Ok(maker.store.blobs().derived(&self.picture.hash, &kind, Keep::ForAWhile).await?)
    }
}

/// What kind of picture `picture` is by `spec`, as far as it was analysed.
pub fn class_of(picture: &Picture, spec: &RenderSpec) -> ContentClass {
    let class = picture.analysis.as_ref().map(|analysis| analysis.class);
    rendered_class(&picture.facts, class, &spec.edits)
}

/// What came of `request` when it was made before, with the encoders from outside that the site has; nothing where it
/// was not.
///
/// # Errors
/// Those of the blob store.
pub(super) async fn known(
    maker: &Maker,
    of: Subject<'_>,
    request: EncodeRequest,
    outside: &[OutsideEncoder],
) -> Result<Option<Settled>, MakeError> {
    let kind = of.tried(request, outside);
    let kept = maker.store.blobs().derived(&of.picture.hash, &kind, Keep::WithSource).await?;
    let ended = kept.and_then(|kept| serde_json::from_slice(&kept).ok());
    Ok(ended.map(|Ended { encoding, outcome, counted }| Settled {
        encoding,
        outcome,
        counted,
        encodes: 0,
        file: None,
    }))
}

/// Tries what is asked on some pixels. What was asked before is answered at once; when the caller
/// goes away, the search ends after the file in hand.
///
/// # Errors
/// [`MakeError`] where no file can be made.
pub async fn run(
    maker: &Maker,
    of: Subject<'_>,
    request: EncodeRequest,
) -> Result<Settled, MakeError> {
    let outside = maker.encoders().await?;
    if let Some(known) = known(maker, of, request, &outside).await? {
        return Ok(known);
    }
    let (_, plan) = of.spec.plan(of.picture.facts.size)?;
    request.format().check_size(plan.fitting.output)?;
    let (chosen, spots) = match of.class() {
        ContentClass::Animation => search_moving(maker, of, request).await?,
        class => search(maker, of, request, (class, &outside)).await?,
    };
    for failure in &chosen.failures {
        tracing::warn!(%failure, picture = %of.picture.id, "an encoder from outside is left out");
    }
    let trial = &chosen.trial;
    let file = bytes::Bytes::copy_from_slice(&trial.bytes);
    let (blobs, hash) = (maker.store.blobs(), &of.picture.hash);
    let kind = of.kind("trial", trial.encoding.format(), &trial.encoding);
    blobs.put_derived(hash, &kind, Keep::ForAWhile, file.clone()).await?;
    maker.store.add_trials(of.picture.id, of.spec, &kept(&chosen, spots)).await?;
    let ended =
        Ended { encoding: trial.encoding, outcome: chosen.outcome, counted: Some(chosen.counted) };
    // A few bytes, which save a search at any later time.
    let kind = of.tried(request, &outside);
    blobs.put_derived(hash, &kind, Keep::WithSource, json(&ended).into()).await?;
    Ok(Settled {
        encoding: ended.encoding,
        outcome: ended.outcome,
        counted: ended.counted,
        encodes: chosen.encodes(),
        file: Some(file),
    })
}

type Found = (Chosen, Vec<WorstSpot>);

async fn search(
    maker: &Maker,
    of: Subject<'_>,
    request: EncodeRequest,
    (class, outside): (ContentClass, &[OutsideEncoder]),
) -> Result<Found, MakeError> {
    let reference = of.reference(maker).await?;
    let room = maker.pool.admit(memory(reference.raster().size())).await;
    let stop = StopWhenDropped::default();
    let stopped = stop.asked();
    let (xmp, hints, outside) = (of.xmp(), of.hints, outside.to_vec());
    let work = move |codecs: &Codecs| {
        let encoders = Encoders { codecs, outside: &outside };
        let chosen = reference.choose(encoders, class, hints, request, xmp, &stopped)?;
        found(reference.metric(), chosen)
    };
    maker.pool.run(room, work).await?
}

async fn search_moving(
    maker: &Maker,
    of: Subject<'_>,
    request: EncodeRequest,
) -> Result<Found, MakeError> {
    let fitting = of.spec.plan(of.picture.facts.size)?.1.fitting;
    let room = Moving::memory(fitting.output, of.picture.facts.frames);
    let stop = StopWhenDropped::default();
    let stopped = stop.asked();
    let extras = Extras { icc: None, xmp: of.xmp() };
    with_original(maker, of.picture, room, move |original| {
        let motion = render_motion(original, &fitting)?;
        let moving = Moving::new(motion).map_err(ChoiceError::from)?;
        let choosing = Choosing {
            encoders: original.codecs().into(),
            metric: moving.first(),
            moving: Some(&moving),
            class: ContentClass::Animation,
            hints: Hints::NONE,
            extras: &extras,
            stop: &stopped,
        };
        let chosen = choosing.answer(request)?;
        found(moving.first(), chosen)
    })
    .await
}

fn found(metric: &QualityMetric, chosen: Chosen) -> Result<Found, MakeError> {
    let trial = &chosen.trial;
    let spots = trial
        .differences(metric)
        .and_then(|differences| metric.worst_spots(differences, &trial.raster, SPOT, SPOTS));
    let spots = spots.map_err(ChoiceError::from)?;
    Ok((chosen, spots))
}

/// The file that `encoding` makes of some pixels: the one that was kept, or made again.
///
/// # Errors
/// [`MakeError`] where it cannot be made.
pub async fn file(
    maker: &Maker,
    of: Subject<'_>,
    encoding: Encoding,
) -> Result<bytes::Bytes, MakeError> {
    if let Some(kept) = of.kept_file(maker, encoding).await? {
        return Ok(kept);
    }
    let xmp = of.xmp();
    let file = if of.class() == ContentClass::Animation {
        let fitting = of.spec.plan(of.picture.facts.size)?.1.fitting;
        let room = Moving::memory(fitting.output, of.picture.facts.frames);
        with_original(maker, of.picture, room, move |original| {
            let motion = render_motion(original, &fitting)?;
            let extras = Extras { icc: None, xmp };
            Ok(original.codecs().encode_motion(&motion, encoding, &extras)?)
        })
        .await?
    } else {
        let reference = of.reference(maker).await?;
        let room = maker.pool.admit(memory(reference.raster().size())).await;
        let outside = maker.encoders().await?;
        let encode = move |codecs: &Codecs| {
            let extras = Extras { icc: reference.profile().map(<[u8]>::to_vec), xmp };
            Encoders { codecs, outside: &outside }.encode(reference.raster(), encoding, &extras)
        };
        maker.pool.run(room, encode).await??
    };
    let file = bytes::Bytes::from(file);
    let kind = of.kind("trial", encoding.format(), &encoding);
    maker.store.blobs().put_derived(&of.picture.hash, &kind, Keep::ForAWhile, file.clone()).await?;
    Ok(file)
}

/// Where a file differs from its pixels, as a PNG in shades of grey.
///
/// # Errors
/// [`MakeError`] where the file cannot be read again.
pub async fn differences(
    maker: &Maker,
    of: Subject<'_>,
    encoding: Encoding,
) -> Result<bytes::Bytes, MakeError> {
    let kind = of.kind("differences", encoding.format(), &encoding);
    let blobs = maker.store.blobs();
    if let Some(kept) = blobs.derived(&of.picture.hash, &kind, Keep::ForAWhile).await? {
        return Ok(kept);
    }
    let file = file(maker, of, encoding).await?;
    let reference = of.reference(maker).await?;
    let room = maker.pool.admit(memory(reference.raster().size())).await;
    let compare = move |codecs: &Codecs| -> Result<Vec<u8>, MakeError> {
        let file = codecs.decode(encoding.format(), &file)?;
        let differences = reference.metric().differences(&file).map_err(ChoiceError::from)?;
        Ok(png::encode_fast(&differences.drawn())?)
    };
    let drawn = bytes::Bytes::from(maker.pool.run(room, compare).await??);
    blobs.put_derived(&of.picture.hash, &kind, Keep::ForAWhile, drawn.clone()).await?;
    Ok(drawn)
}

/// The trials that a search leaves: each step, and what it came to with its spots.
fn kept(chosen: &Chosen, spots: Vec<WorstSpot>) -> Vec<NewTrial> {
    // A search under a cap may come back to a step of the search before it.
    let is_first = |n: usize| {
        let encoding = chosen.tried[n].encoding;
        !chosen.tried[..n]
            .iter()
            .any(|before| before.encoding == encoding && before.bytes.is_some())
    };
    let steps = chosen.tried.iter().enumerate().filter(|(n, _)| is_first(*n));
    let steps = steps.filter_map(|(_, point)| {
        let settled = point.encoding == chosen.trial.encoding;
        Some(NewTrial {
            encoding: point.encoding,
            bytes: point.bytes?,
            score: point.score,
            spots: if settled { spots.clone() } else { Vec::new() },
        })
    });
    steps.collect()
}

/// Comparing, and the encoder's own planes.
pub(super) fn memory(size: Size) -> Bytes {
    Bytes(QualityMetric::memory(size).get() + size.pixels() * 100)
}

fn json<T: Serialize + ?Sized>(value: &T) -> String {
    serde_json::to_string(value).expect("plain values")
}

/// Tells a search to stop when nobody waits for it any more.
#[derive(Default)]
pub(super) struct StopWhenDropped(Arc<AtomicBool>);

impl StopWhenDropped {
    /// Whether to stop, as a search asks it.
    pub(super) fn asked(&self) -> impl Fn() -> bool + Send + Sync + 'static {
        let stopped = Arc::clone(&self.0);
        move || stopped.load(Ordering::Relaxed)
    }
}

impl Drop for StopWhenDropped {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}
