//! Sets: the files that places are given, made of the site's own pictures.

use std::sync::Arc;

use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::choice::worth_offering;
use brisk_margin_core::content::{ContentClass, WeightSample};
use brisk_margin_core::facts::PictureFacts;
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_core::geometry::Size;
use brisk_margin_core::layout::Cropping;
use brisk_margin_core::markup::background::Background;
use brisk_margin_core::markup::picture::{File, Offer, PictureElement};
use brisk_margin_core::markup::position::Holder;
use brisk_margin_core::naming;
use brisk_margin_core::set_plan::{SetPart, SetPlanner, SetSource, SetWidth};
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_imaging::analysis::analyse;
use brisk_margin_imaging::choosing;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::reference::Reference;
use brisk_margin_site::publishing::folder::{SiteFolder, hash_of};
use futures::StreamExt;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use super::cache::{MadeFiles, MadeOf};
use super::measuring::MeasuredSite;
use super::wanted::{LeftReason, PlaceAt, Wanted};
use super::{ApplyError, ChangedPlace, Manner, Wish};

/// A file is worth another one where that is lighter by this share.
const WORTH: f64 = 0.97;

/// The files for some places.
pub(super) struct MadeSet {
    pub(super) wanted: Wanted,
    pub(super) files: SetFiles,
}

/// The files of a set.
pub(super) struct SetFiles {
    parts: Vec<SetPart>,
    /// The same where one element offers them alone.
    single: Vec<SetPart>,
    /// Those that only some browsers read first.
    formats: Vec<Format>,
    pub(super) files: Vec<MadeFile>,
    /// How many of them were encoded now.
    pub(super) encoded: usize,
    densities: Vec<Density>,
}

/// A file that was made.
pub(super) struct MadeFile {
    /// Its path on the site.
    pub(super) path: String,
    pub(super) bytes: Vec<u8>,
    fitting: Fitting,
    format: Format,
}

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
    wanted: Vec<Wanted>,
    wish: &Wish,
    codecs: &Codecs,
    cache: &MadeFiles,
    told: impl Fn(usize, usize),
) -> Result<(Vec<MadeSet>, Vec<(Wanted, LeftReason)>), ApplyError> {
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
        tokio::task::spawn_blocking(move || {
            let made = maker.make(&wanted);
            (wanted, made)
        })
    });
    let mut under_way = std::pin::pin!(under_way.buffered(cores));
    let (mut made, mut unmade, mut done) = (Vec::new(), Vec::new(), 0);
    while let Some(outcome) = under_way.next().await {
        let (wanted, outcome) = outcome?;
        match outcome {
            Ok(files) => made.push(MadeSet { wanted, files }),
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

impl Maker {
    fn make(&self, wanted: &Wanted) -> Result<SetFiles, LeftReason> {
        let unreadable = |error: &dyn std::fmt::Display| LeftReason::Unreadable(error.to_string());
        let bytes = self.folder.read(&wanted.source).map_err(|error| unreadable(&error))?;
        let bytes = bytes.ok_or_else(|| unreadable(&"it is gone"))?;
        let source = hash_of(&bytes);
        let known = self.known(&source, &bytes).map_err(|error| unreadable(&error))?;
        if known.class == ContentClass::Animation {
            return Err(LeftReason::Animated);
        }
        let adjustments = Adjustments::plain(FocalPoint::CENTRE);
        let of = SetSource {
            size: known.facts.size,
            sample: Some(known.sample),
            adjustments: &adjustments,
        };
        let (cropping, _) = wanted.slot.who_crops(&adjustments);
        let colours = self.wish.rule.colours(&known.facts);
        let parts = |cropping: Cropping| {
            let planner =
                SetPlanner::new(of, &wanted.slot, &self.wish.densities, cropping, colours)?;
            planner.parts(&wanted.breakpoints)
        };
        let whole = parts(cropping).map_err(|error| unreadable(&error))?;
        // Where each shape has files of its own, the element alone needs others.
        let single = match cropping {
            Cropping::ArtDirection => {
                parts(Cropping::Browser).map_err(|error| unreadable(&error))?
            }
            _ => whole.clone(),
        };
        let mut formats = self.wish.rule.worth_trying(known.class, known.is_transparent);
        formats.sort_by_key(|format| format.is_universal());
        let budget = wanted.slot.budget();
        let stem = stem_of(&wanted.source);
        let mut made = SetFiles {
            parts: whole,
            single,
            formats,
            files: Vec::new(),
            encoded: 0,
            densities: self.wish.densities.clone(),
        };
        let widths = made.parts.iter().chain(&made.single).flat_map(|part| &part.widths);
        let mut widths: Vec<SetWidth> = widths.cloned().collect();
        widths.dedup();
        let mut asked: Vec<(SetWidth, Format)> = Vec::new();
        for width in widths {
            for &format in &made.formats {
                if !asked.iter().any(|(known, of)| known.fitting == width.fitting && *of == format)
                {
                    asked.push((width.clone(), format));
                }
            }
        }
        let request = |format: Format| self.wish.rule.request(format, None, budget);
        let of = |width: &SetWidth, format: Format| (width.spec.clone(), request(format));
        let mut missing: Vec<Fitting> = Vec::new();
        let mut kept: Vec<Option<Vec<u8>>> = Vec::new();
        for (width, format) in &asked {
            let (spec, request) = of(width, *format);
            let file = self.cache.file(&MadeOf { source: &source, spec: &spec, request });
            if file.is_none() && !missing.contains(&width.fitting) {
                missing.push(width.fitting);
            }
            kept.push(file);
        }
        let pixels = match missing.is_empty() {
            true => Vec::new(),
            false => {
                let original = Original::open(&self.codecs, &bytes).map_err(|e| unreadable(&e))?;
                Reference::ladder(&original, &missing, colours).map_err(|e| unreadable(&e))?
            }
        };
        let file = |(n, (width, format)): (usize, &(SetWidth, Format))| {
            if let Some(file) = &kept[n] {
                return Ok((file.clone(), false));
            }
            let at = missing.iter().position(|fitting| *fitting == width.fitting);
            let pixels = &pixels[at.unwrap_or_default()];
            let (spec, request) = of(width, *format);
            let chosen = pixels
                .choose(&self.codecs, known.class, request, None, &choosing::never)
                .map_err(|error| unreadable(&error))?;
            let of = MadeOf { source: &source, spec: &spec, request };
            let file = chosen.trial.bytes;
            self.cache.keep(&of, &file).map_err(|error| unreadable(&error))?;
            Ok((file, true))
        };
        let files: Vec<Result<(Vec<u8>, bool), LeftReason>> =
            asked.par_iter().enumerate().map(file).collect();
        for ((width, format), file) in asked.iter().zip(files) {
            let (file, is_new) = file?;
            made.encoded += usize::from(is_new);
            let size = width.fitting.output;
            let (hash, extension) = (&hash_of(&file)[..8], format.extension());
            let (folder, Size { width: across, height: down }) = (&self.wish.folder, size);
            let path = format!("{folder}/{stem}-{across}x{down}-{hash}.{extension}");
            made.files.push(MadeFile {
                path,
                bytes: file,
                fitting: width.fitting,
                format: *format,
            });
        }
        made.formats = worth_offering(&made.formats, |format| {
            let own = made.files.iter().filter(|file| file.format == format);
            Some(own.map(|file| Bytes::of(&file.bytes)).sum())
        });
        Ok(made)
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

/// What files of the picture at `path` are called before their size.
fn stem_of(path: &str) -> String {
    let name = path.rsplit('/').next().unwrap_or(path);
    let name = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    naming::slug(name)
}

impl SetFiles {
    /// What browsers are offered in `manner`, with the address of each file by `write`.
    pub(super) fn offers(&self, manner: Manner, write: &dyn Fn(&str) -> String) -> Vec<Offer> {
        let (parts, formats) = match manner {
            Manner::Sized | Manner::Plain => (&self.parts, &self.formats[..]),
            Manner::SizedSingle | Manner::Single => {
                (&self.single, &self.formats[self.formats.len() - 1..])
            }
            Manner::Attribute => (&self.single, &self.formats[..]),
            Manner::Left => return Vec::new(),
        };
        let mut offers = Vec::new();
        for part in parts {
            for &format in formats {
                let file = |width: &SetWidth| {
                    let found = self
                        .files
                        .iter()
                        .find(|file| file.format == format && file.fitting == width.fitting)?;
                    Some(File { address: write(&found.path), size: width.fitting.output })
                };
                offers.push(Offer {
                    from: part.from,
                    format,
                    sizes: part.sizes.clone(),
                    files: part.widths.iter().filter_map(file).collect(),
                });
            }
        }
        offers
    }

    /// What a style sheet offers.
    pub(super) fn background(
        &self,
        wanted: &Wanted,
        manner: Manner,
        write: &dyn Fn(&str) -> String,
    ) -> Background {
        let shown = wanted.slot.boxes().iter().filter(|(_, size)| size.is_shown());
        Background {
            selector: String::new(),
            offers: self.offers(manner, write),
            densities: self.densities.clone(),
            viewports: shown.map(|(&viewport, _)| viewport).collect(),
        }
    }

    /// The file that a browser which reads every format downloads.
    pub(super) fn downloaded(
        &self,
        wanted: &Wanted,
        manner: Manner,
        viewport: u32,
        density: Density,
    ) -> Option<&MadeFile> {
        let write = |path: &str| path.to_owned();
        let path = match wanted.slot.holder() {
            Holder::Background => {
                let background = self.background(wanted, manner, &write);
                // In an attribute the widest screens decide for all.
                let viewport = if manner == Manner::Attribute { u32::MAX } else { viewport };
                background.downloaded(viewport, density, |_| true)?.address.clone()
            }
            Holder::Element => {
                let offers = self.offers(manner, &write);
                let element = PictureElement {
                    offers,
                    alt: String::new(),
                    loading: brisk_margin_core::markup::picture::Loading::Lazy,
                    caption: None,
                };
                let offer = element.taken(viewport, |_| true)?;
                offer.downloaded(viewport, density)?.address.clone()
            }
        };
        self.files.iter().find(|file| file.path == path)
    }
}

impl MadeSet {
    /// The places that get it.
    pub(super) fn places(&self) -> impl Iterator<Item = PlaceAt> {
        self.wanted.places.iter().copied()
    }

    /// Whether browsers download less for it in all than they do now.
    pub(super) fn saves(&self, site: &MeasuredSite) -> bool {
        let mut sums = (0.0, 0.0);
        for &at in &self.wanted.places {
            for (before, after) in self.downloads(site, at, Manner::Plain) {
                sums.0 += before.get() as f64;
                sums.1 += after.get() as f64;
            }
        }
        sums.1 < sums.0 * WORTH
    }

    /// What is downloaded for a place now and then, at each layout width and density that shows it.
    fn downloads<'a>(
        &'a self,
        site: &'a MeasuredSite,
        at: PlaceAt,
        manner: Manner,
    ) -> impl Iterator<Item = (Bytes, Bytes)> + 'a {
        let details = &site.place(at).details;
        let shown = details.files.iter().filter(move |(viewport, _)| {
            details.boxes.get(viewport).is_some_and(|size| size.is_shown())
        });
        shown.flat_map(move |(&viewport, files)| {
            files.iter().filter_map(move |(&density, file)| {
                let then = self.files.downloaded(&self.wanted, manner, viewport, density)?;
                Some((file.bytes, Bytes::of(&then.bytes)))
            })
        })
    }

    /// What is told of a place that offers it.
    pub(super) fn changed(&self, site: &MeasuredSite, at: PlaceAt, manner: Manner) -> ChangedPlace {
        let offers = self.files.offers(manner, &|path| path.to_owned());
        let named: Vec<&str> =
            offers.iter().flat_map(|o| &o.files).map(|file| file.address.as_str()).collect();
        let files = self.files.files.iter().filter(|file| named.contains(&file.path.as_str()));
        let worst = self.downloads(site, at, manner);
        let worst = worst.fold((Bytes(0), Bytes(0)), |a, b| (a.0.max(b.0), a.1.max(b.1)));
        ChangedPlace {
            page: site.path(at),
            selector: site.place(at).selector.clone(),
            source: self.wanted.source.clone(),
            files: files
                .map(|file| (file.path.clone(), file.fitting.output.width, Bytes::of(&file.bytes)))
                .collect(),
            weight: worst,
            is_single: manner.is_single() && self.files.formats.len() > 1,
            is_as_promised: false,
        }
    }
}
