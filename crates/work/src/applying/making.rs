//! Making: the files that places are given, of the site's own pictures.

use std::sync::Arc;

use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::choice::{EncodeRequest, worth_offering};
use brisk_margin_core::content::{ContentClass, WeightSample};
use brisk_margin_core::facts::PictureFacts;
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::layout::Cropping;
use brisk_margin_core::markup::position::Holder;
use brisk_margin_core::naming;
use brisk_margin_core::set_plan::{SetPart, SetPlanner, SetSource, SetWidth};
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::analysis::analyse;
use brisk_margin_imaging::choosing::{self, Hints, in_turns, turns};
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::reference::Reference;
use brisk_margin_site::publishing::folder::{SiteFolder, hash_of};
use futures::StreamExt;
use serde::{Deserialize, Serialize};

use super::Wish;
use super::cache::{MadeFiles, MadeOf};
use crate::publishing::SiteError;
use crate::publishing::measuring::MeasuredSite;
use crate::publishing::places::LeftReason;
use crate::publishing::sets::{MadeFile, MadeSet, SetFiles, SetText, Wanted};

/// The pixels of one picture that are kept at once, to be encoded and compared with; one width may
/// need more.
const PIXELS: Bytes = Bytes::mb(200);

/// What is known of a picture without decoding it again.
#[derive(Serialize, Deserialize)]
struct Known {
    facts: PictureFacts,
    class: ContentClass,
    is_transparent: bool,
    sample: WeightSample,
}

/// Makes the files of each of `wanted`, or tells why there are none.
pub(super) async fn made(
    folder: &SiteFolder,
    site: &MeasuredSite,
    wanted: Vec<Wanted>,
    wish: &Wish,
    codecs: &Codecs,
    cache: &MadeFiles,
    told: impl Fn(usize, usize),
) -> Result<(Vec<MadeSet>, Vec<(Wanted, LeftReason)>), SiteError> {
    let all = wanted.len();
    let cores = std::thread::available_parallelism().map_or(2, usize::from);
    told(0, all);
    let maker = Maker {
        folder: folder.clone(),
        wish: wish.clone(),
        codecs: codecs.clone(),
        cache: cache.clone(),
    };
    let maker = Arc::new(maker);
    let under_way = futures::stream::iter(wanted).map(|wanted| {
        let maker = Arc::clone(&maker);
        let breakpoints = site.breakpoints(&wanted.places);
        tokio::task::spawn_blocking(move || {
            let made = maker.make(&wanted, &breakpoints);
            (wanted, made)
        })
    });
    let mut under_way = std::pin::pin!(under_way.buffered(cores));
    let (mut made, mut unmade, mut done) = (Vec::new(), Vec::new(), 0);
    while let Some(outcome) = under_way.next().await {
        let (wanted, outcome) = outcome?;
        match outcome {
            Ok(files) => made.push(MadeSet { wanted, files, text: SetText::default() }),
            Err(reason) => unmade.push((wanted, reason)),
        }
        done += 1;
        told(done, all);
    }
    Ok((made, unmade))
}

struct Maker {
    folder: SiteFolder,
    wish: Wish,
    codecs: Codecs,
    cache: MadeFiles,
}

/// A picture of the site, read.
struct Source {
    bytes: Vec<u8>,
    hash: String,
    known: Known,
}

/// A file that is asked for.
struct Asked {
    width: SetWidth,
    format: Format,
    request: EncodeRequest,
}

impl Maker {
    fn make(&self, wanted: &Wanted, breakpoints: &[u32]) -> Result<SetFiles, LeftReason> {
        let source = self.source(&wanted.source)?;
        let mut made = self.planned(wanted, breakpoints, &source.known)?;
        let asked = self.asked(wanted, &made);
        let stem = stem_of(&wanted.source);
        for (asked, (bytes, is_new)) in asked.iter().zip(self.files(&source, &asked)?) {
            made.encoded += usize::from(is_new);
            let (fitting, format) = (asked.width.fitting, asked.format);
            let (hash, extension) = (&hash_of(&bytes)[..8], format.extension());
            let (folder, Size { width, height }) = (&self.wish.folder, fitting.output);
            let path = format!("{folder}/{stem}-{width}x{height}-{hash}.{extension}");
            made.files.push(MadeFile { path, bytes, fitting, format });
        }
        made.formats = worth_offering(&made.formats, |format| {
            let own = made.files.iter().filter(|file| file.format == format);
            Some(own.map(|file| Bytes::of(&file.bytes)).sum())
        });
        Ok(made)
    }

    fn source(&self, path: &str) -> Result<Source, LeftReason> {
        let bytes = self.folder.read(path).map_err(unreadable)?;
        let bytes = bytes.ok_or_else(|| unreadable("it is gone"))?;
        let hash = hash_of(&bytes);
        let known = self.known(&hash, &bytes).map_err(unreadable)?;
        match known.class {
            ContentClass::Animation => Err(LeftReason::Animated),
            _ => Ok(Source { bytes, hash, known }),
        }
    }

    /// What is to be made; no file is yet.
    fn planned(
        &self,
        wanted: &Wanted,
        breakpoints: &[u32],
        known: &Known,
    ) -> Result<SetFiles, LeftReason> {
        let adjustments = Adjustments::plain(FocalPoint::CENTRE);
        let (size, sample) = (known.facts.size, Some(known.sample));
        let of = SetSource { size, sample, adjustments: &adjustments };
        let (cropping, _) = wanted.slot.who_crops(&adjustments);
        let colours = self.wish.rule.colours(&known.facts);
        let densities = &self.wish.densities;
        let parts = |cropping: Cropping| -> Result<Vec<SetPart>, LeftReason> {
            let planner = SetPlanner::new(of, &wanted.slot, densities, cropping, colours);
            let planner = planner.map_err(unreadable)?;
            planner.parts(breakpoints).map_err(unreadable)
        };
        let whole = parts(cropping)?;
        let single = match cropping {
            // Each shape has files of its own, which one element alone does not tell apart.
            Cropping::ArtDirection => parts(Cropping::Browser)?,
            _ => whole.clone(),
        };
        let mut formats = self.wish.rule.worth_trying(known.class, known.is_transparent);
        formats.sort_by_key(|format| format.is_universal());
        Ok(SetFiles {
            parts: whole,
            single,
            formats,
            files: Vec::new(),
            encoded: 0,
            densities: densities.clone(),
        })
    }

    /// The files of a set, each once.
    fn asked(&self, wanted: &Wanted, set: &SetFiles) -> Vec<Asked> {
        let budget = wanted.slot.budget();
        let alone = match wanted.slot.holder() {
            Holder::Element => &set.formats[set.formats.len() - 1..],
            Holder::Background => &set.formats[..],
        };
        let of = |parts: &[SetPart], formats: &[Format]| -> Vec<(SetWidth, Format)> {
            let widths = parts.iter().flat_map(|part| part.widths.iter());
            widths.flat_map(|width| formats.iter().map(|&format| (width.clone(), format))).collect()
        };
        let mut asked: Vec<Asked> = Vec::new();
        for (width, format) in
            of(&set.parts, &set.formats).into_iter().chain(of(&set.single, alone))
        {
            let is_known =
                |known: &Asked| known.width.fitting == width.fitting && known.format == format;
            if !asked.iter().any(is_known) {
                let request = self.wish.rule.request(format, None, budget, width.spec.density);
                asked.push(Asked { width, format, request });
            }
        }
        asked
    }

    /// Each file, and whether it is new. The pixels of so many widths are kept at once as memory allows.
    fn files(&self, source: &Source, asked: &[Asked]) -> Result<Vec<(Vec<u8>, bool)>, LeftReason> {
        let mut files: Vec<Option<(Vec<u8>, bool)>> = asked
            .iter()
            .map(|asked| Some((self.cache.file(&source.made_of(asked))?, false)))
            .collect();
        let pixels = |asked: &Asked| (asked.format, asked.width.fitting.output.pixels());
        let mut turns = turns(&asked.iter().map(pixels).collect::<Vec<_>>());
        for turn in &mut turns {
            turn.others.retain(|&n| files[n].is_none());
        }
        let mut missing: Vec<Fitting> = Vec::new();
        let (firsts, others) =
            (turns.iter().map(|t| &t.first), turns.iter().flat_map(|t| &t.others));
        for &n in firsts.chain(others).filter(|&&n| files[n].is_none()) {
            let fitting = asked[n].width.fitting;
            if !missing.contains(&fitting) {
                missing.push(fitting);
            }
        }
        for fittings in within_memory(missing) {
            let original = Original::open(&self.codecs, &source.bytes).map_err(unreadable)?;
            let colours = self.wish.rule.colours(&source.known.facts);
            let pixels = Reference::ladder(&original, &fittings, colours).map_err(unreadable)?;
            let made = in_turns(&turns, |n, hints| {
                if files[n].is_some() {
                    let told =
                        self.cache.told(&source.made_of(&asked[n]), source.known.class, hints);
                    return Ok((None, told));
                }
                let fitting = asked[n].width.fitting;
                match fittings.iter().position(|of_group| *of_group == fitting) {
                    Some(at) => self.encoded(source, &asked[n], &pixels[at], hints),
                    None => Ok((None, hints)),
                }
            });
            for (n, bytes) in made? {
                files[n] = files[n].take().or_else(|| Some((bytes?, true)));
            }
        }
        Ok(files.into_iter().flatten().collect())
    }

    /// The file, and what is known with what it tells.
    fn encoded(
        &self,
        source: &Source,
        asked: &Asked,
        pixels: &Reference,
        hints: Hints,
    ) -> Result<(Option<Vec<u8>>, Hints), LeftReason> {
        let (class, request) = (source.known.class, asked.request);
        let chosen =
            pixels.choose((&self.codecs).into(), class, hints, request, None, &choosing::never);
        let chosen = chosen.map_err(unreadable)?;
        self.cache.keep(&source.made_of(asked), &chosen).map_err(unreadable)?;
        let told = hints.and_of(class, &chosen);
        Ok((Some(chosen.trial.bytes), told))
    }

    /// What is known of the picture `bytes`, worked out where it was not before.
    fn known(&self, source: &str, bytes: &[u8]) -> Result<Known, Box<dyn std::error::Error>> {
        if let Some(known) = self.cache.known("picture", source) {
            return Ok(known);
        }
        let original = Original::open(&self.codecs, bytes)?;
        let analysis = analyse(&original)?;
        let known = Known {
            facts: original.facts().clone(),
            class: analysis.class,
            is_transparent: analysis.is_transparent,
            sample: analysis.sample,
        };
        self.cache.note("picture", source, &known)?;
        Ok(known)
    }
}

impl Source {
    fn made_of<'a>(&'a self, asked: &'a Asked) -> MadeOf<'a> {
        MadeOf { source: &self.hash, spec: &asked.width.spec, request: asked.request }
    }
}

fn unreadable(why: impl ToString) -> LeftReason {
    LeftReason::Unreadable(why.to_string())
}

/// `fittings` in groups, of each of which the pixels fit into [`PIXELS`].
fn within_memory(fittings: Vec<Fitting>) -> Vec<Vec<Fitting>> {
    let mut groups: Vec<Vec<Fitting>> = Vec::new();
    let mut held = Bytes(0);
    for fitting in fittings {
        let memory = Reference::memory(fitting.output);
        match groups.last_mut() {
            Some(group) if (held + memory).get() <= PIXELS.get() => {
                held = held + memory;
                group.push(fitting);
            }
            _ => {
                held = memory;
                groups.push(vec![fitting]);
            }
        }
    }
    groups
}

/// What files of the picture at `path` are called before their size.
fn stem_of(path: &str) -> String {
    let name = path.rsplit('/').next().unwrap_or(path);
    let name = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    naming::slug(name)
}

#[cfg(test)]
mod tests {
    use super::*;
    use brisk_margin_core::slot_shape::{Fit, SlotShape};
    use brisk_margin_core::units::Density;

    #[test]
    fn pixels_are_kept_in_groups_that_fit() {
        let fitting = |width: f64| {
            let slot = SlotShape::new(width, width / 2.0, Fit::Cover).unwrap();
            Fitting::new(Size::new(8_000, 4_000), slot, Density::ONE, FocalPoint::CENTRE).unwrap()
        };
        let widths = [400.0, 800.0, 1_600.0, 3_200.0, 6_400.0, 500.0];
        let all: Vec<Fitting> = widths.map(fitting).into();
        let groups = within_memory(all.clone());
        assert_eq!(groups.concat(), all, "each once, in their order");
        assert!(groups.len() > 1);
        for group in groups.iter().filter(|group| group.len() > 1) {
            let held: Bytes = group.iter().map(|one| Reference::memory(one.output)).sum();
            assert!(held.get() <= PIXELS.get(), "{held}");
        }
        assert!(within_memory(Vec::new()).is_empty());
    }

    #[test]
    fn files_are_named_after_their_picture() {
        assert_eq!(stem_of("media/Haus am See.JPG"), "haus-am-see");
        assert_eq!(stem_of("logo"), "logo");
    }
}
