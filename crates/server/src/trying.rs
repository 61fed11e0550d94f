//! Trying: encodings of a picture's pixels, judged and kept, so that coming back costs nothing.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use brisk_margin_core::choosing::{ChoiceError, Choosing, Chosen, Moving, Outcome, Want};
use brisk_margin_core::codec::extras::Extras;
use brisk_margin_core::codec::{elsewhere, png};
use brisk_margin_core::encode::{self, Encoding, GENERATION};
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::judge::{Judge, WorstSpot};
use brisk_margin_core::look::ContentClass;
use brisk_margin_core::metadata::Credit;
use brisk_margin_core::motion::Motion;
use brisk_margin_core::raster::Raster;
use brisk_margin_core::rule::Decision;
use brisk_margin_core::source::Source;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::trials::NewTrial;
use brisk_margin_store::variants::Framing;
use serde::{Deserialize, Serialize};

use crate::app::App;
use crate::variants::{self, MakeError};

/// The places that are told of a trial, and their size in pixels: about what a band shows.
const SPOTS: usize = 6;
const SPOT: Size = Size::new(256, 128);

/// What is tried.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Ask {
    /// The smallest file in a format that is as good as it must be.
    Best(Format, Want, Option<Bytes>),
    /// The most faithful file in a format that has at most so many bytes.
    Under(Format, Bytes),
    /// One encoding.
    One(Encoding),
}

impl Ask {
    /// What `decision` asks of a file in `format` under `budget`; `want` says otherwise how good it
    /// must be.
    pub fn of(decision: &Decision, format: Format, want: Option<Want>, budget: Bytes) -> Self {
        match (want, decision.settled_in(format)) {
            (None, Some(encoding)) => Self::One(encoding),
            (want, _) => {
                let want = want.unwrap_or(decision.want.value);
                Self::Best(format, want, decision.cap.value.bytes(budget))
            }
        }
    }

    /// Its format.
    pub const fn format(self) -> Format {
        match self {
            Self::Best(format, ..) | Self::Under(format, _) => format,
            Self::One(encoding) => encoding.format(),
        }
    }
}

/// What came of it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tried {
    /// The encoding that was settled on.
    pub encoding: Encoding,
    /// How that ended.
    pub outcome: Outcome,
    /// How many files were made for it just now.
    pub encodes: u32,
}

/// What is kept of a search that ended.
#[derive(Serialize, Deserialize)]
struct Ended {
    encoding: Encoding,
    outcome: Outcome,
}

/// Pixels of which files are made.
#[derive(Debug, Clone, Copy)]
pub struct Subject<'a> {
    /// The picture.
    pub picture: &'a Picture,
    /// What decides its pixels.
    pub framing: &'a Framing,
    /// What each file says of who made it.
    pub credit: Option<&'a Credit>,
}

impl Subject<'_> {
    /// What its files carry besides pixels in sRGB.
    fn extras(&self) -> Extras {
        Extras { icc: None, xmp: self.credit.map(Credit::packet) }
    }

    /// What is kept of it under another name than of any other.
    fn kind(&self, what: &str, of: &impl Serialize) -> String {
        let credit = self.credit.map(words).unwrap_or_default();
        format!("{what} {GENERATION} {} {}{credit}", self.framing.recipe(), words(of))
    }

    /// The file of `encoding`, where it was made before and is still there.
    pub async fn kept_file(
        &self,
        app: &App,
        encoding: Encoding,
    ) -> Result<Option<bytes::Bytes>, MakeError> {
        let kind = self.kind("trial", &encoding);
        Ok(app.store.blobs().derived(&self.picture.hash, &kind).await?)
    }
}

/// What came of `ask` when it was tried before; nothing where it was not.
///
/// # Errors
/// Those of the blob store.
pub async fn known(app: &App, of: Subject<'_>, ask: Ask) -> Result<Option<Tried>, MakeError> {
    let kept = app.store.blobs().derived(&of.picture.hash, &of.kind("tried", &ask)).await?;
    let ended = kept.and_then(|kept| serde_json::from_slice(&kept).ok());
    Ok(ended.map(|Ended { encoding, outcome }| Tried { encoding, outcome, encodes: 0 }))
}

/// Tries what is asked on some pixels. What was asked before is answered at once; when the caller
/// goes away, the search ends after the file in hand.
///
/// # Errors
/// [`MakeError`] where no file can be made.
pub async fn try_out(app: &App, of: Subject<'_>, ask: Ask) -> Result<Tried, MakeError> {
    if let Some(known) = known(app, of, ask).await? {
        return Ok(known);
    }
    let Subject { picture, framing, .. } = of;
    let (_, plan) = framing.plan(picture.facts.size)?;
    let size = plan.fitting.output;
    ask.format().check_size(size)?;
    let class = class_of(picture, framing);
    let extras = of.extras();
    let stop = StopWhenDropped::default();
    let stopped = Arc::clone(&stop.0);
    let stop = move || stopped.load(Ordering::Relaxed);
    let (chosen, spots) = if class == ContentClass::Animation {
        let fitting = plan.fitting;
        let room = Moving::memory(size, picture.facts.frames);
        variants::work(app, picture, room, move |original| {
            let motion = Motion::render(original, &fitting)?;
            let moving = Moving::new(motion).map_err(ChoiceError::from)?;
            let (judge, moving) = (moving.first(), Some(&moving));
            searched(&Choosing { judge, moving, class, extras: &extras, stop: &stop }, ask)
        })
        .await?
    } else {
        let reference = variants::reference(app, picture, framing.clone()).await?;
        let room = app.workshop.admit(memory(size)).await;
        let search = move || {
            let (raster, icc) = pixels(&reference)?;
            let extras = Extras { icc, ..extras };
            let judge = Judge::new(raster).map_err(ChoiceError::from)?;
            let choosing =
                Choosing { judge: &judge, moving: None, class, extras: &extras, stop: &stop };
            searched(&choosing, ask)
        };
        app.workshop.run(room, search).await??
    };
    let trial = &chosen.trial;
    let blobs = app.store.blobs();
    let kind = of.kind("trial", &trial.encoding);
    blobs.put_derived(&picture.hash, &kind, trial.bytes.clone().into()).await?;
    app.store.add_trials(picture.id, framing, &kept(&chosen, spots)).await?;
    let ended = Ended { encoding: trial.encoding, outcome: chosen.outcome };
    let memo = words(&ended);
    blobs.put_derived(&picture.hash, &of.kind("tried", &ask), memo.into()).await?;
    Ok(Tried { encoding: ended.encoding, outcome: ended.outcome, encodes: chosen.encodes() })
}

/// The file that `encoding` makes of some pixels: the one that was kept, or made again.
///
/// # Errors
/// [`MakeError`] where it cannot be made.
pub async fn file(
    app: &App,
    of: Subject<'_>,
    encoding: Encoding,
) -> Result<bytes::Bytes, MakeError> {
    if let Some(kept) = of.kept_file(app, encoding).await? {
        return Ok(kept);
    }
    let extras = of.extras();
    if class_of(of.picture, of.framing) == ContentClass::Animation {
        let (_, plan) = of.framing.plan(of.picture.facts.size)?;
        let room = Moving::memory(plan.fitting.output, of.picture.facts.frames);
        let file = variants::work(app, of.picture, room, move |original| {
            let motion = Motion::render(original, &plan.fitting)?;
            Ok(elsewhere::encode_motion(&motion, encoding, &extras)?)
        });
        return Ok(file.await?.into());
    }
    let make = move |raster: Raster, icc| {
        Ok(encode::encode_with(&raster, encoding, &Extras { icc, ..extras })?)
    };
    made(app, of.picture, of.framing, &of.kind("trial", &encoding), make).await
}

fn searched(choosing: &Choosing<'_>, ask: Ask) -> Result<(Chosen, Vec<WorstSpot>), MakeError> {
    let chosen = match ask {
        Ask::Best(format, want, cap) => choosing.choose(format, want, cap)?,
        Ask::Under(format, cap) => choosing.choose_under(format, cap)?,
        Ask::One(encoding) => choosing.choose_one(encoding)?,
    };
    let spots = choosing.judge.worst_spots(&chosen.trial.raster, SPOT, SPOTS);
    Ok((chosen, spots.map_err(ChoiceError::from)?))
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

/// Where a file differs from its pixels, as a PNG in shades of grey.
///
/// # Errors
/// [`MakeError`] where the file cannot be read again.
pub async fn differences(
    app: &App,
    of: Subject<'_>,
    encoding: Encoding,
) -> Result<bytes::Bytes, MakeError> {
    let kind = of.kind("differences", &encoding);
    if let Some(kept) = app.store.blobs().derived(&of.picture.hash, &kind).await? {
        return Ok(kept);
    }
    let file = file(app, of, encoding).await?;
    let make = move |raster: Raster, _| {
        let judge = Judge::new(raster).map_err(ChoiceError::from)?;
        let file = encode::decode(encoding.format(), &file)?;
        let differences = judge.differences(&file).map_err(ChoiceError::from)?;
        Ok(png::encode_fast(&differences.drawn())?)
    };
    made(app, of.picture, of.framing, &kind, make).await
}

/// What [`variants::reference`] holds: pixels, and their profile where they are not in sRGB.
fn pixels(reference: &[u8]) -> Result<(Raster, Option<Vec<u8>>), MakeError> {
    let raster = png::decode(reference)?.without_idle_alpha();
    Ok((raster, png::header(reference)?.icc))
}

/// What `make` makes of the pixels of `picture` in `framing` and of their profile, kept under
/// `kind`.
async fn made(
    app: &App,
    picture: &Picture,
    framing: &Framing,
    kind: &str,
    make: impl FnOnce(Raster, Option<Vec<u8>>) -> Result<Vec<u8>, MakeError> + Send + 'static,
) -> Result<bytes::Bytes, MakeError> {
    let (_, plan) = framing.plan(picture.facts.size)?;
    let reference = variants::reference(app, picture, framing.clone()).await?;
    let room = app.workshop.admit(memory(plan.fitting.output)).await;
    let work = move || {
        let (raster, icc) = pixels(&reference)?;
        make(raster, icc)
    };
    let made = bytes::Bytes::from(app.workshop.run(room, work).await??);
    app.store.blobs().put_derived(&picture.hash, kind, made.clone()).await?;
    Ok(made)
}

/// What kind of picture it is in `framing`, as far as it was looked at.
pub fn class_of(picture: &Picture, framing: &Framing) -> ContentClass {
    // Edits are laid on one picture: of what moves, on the first.
    let moves = picture.facts.frames > 1 && framing.finish.is_plain();
    let class = picture.look.as_ref().map_or(ContentClass::Photograph, |look| look.class);
    match class {
        // PNG's frames are not read.
        _ if moves && picture.facts.format != Source::Png => ContentClass::Animation,
        ContentClass::Animation => ContentClass::Photograph,
        // Drawn to pixels, a drawing is a graphic.
        ContentClass::Drawing => ContentClass::Graphic,
        other => other,
    }
}

/// Pixels, judging and the encoder's own planes.
fn memory(size: Size) -> Bytes {
    Bytes(Judge::memory(size).get() + size.pixels() * 100)
}

fn words(value: &impl Serialize) -> String {
    serde_json::to_string(value).expect("plain values")
}

/// Tells a search to stop when nobody waits for it any more.
#[derive(Default)]
struct StopWhenDropped(Arc<AtomicBool>);

impl Drop for StopWhenDropped {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}
