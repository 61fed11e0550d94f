//! Filming: how a page of a publication comes before and after it, in a browser that throttles itself.

use std::time::Duration;

use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::load::film::{FilmMoment, FilmStrip, FilmTimes, moments, seen_at};
use brisk_margin_core::publication::Step;
use brisk_margin_core::units::{Density, Millis};
use brisk_margin_site::film::Film;
use brisk_margin_site::host::{self, LocalHost};
use brisk_margin_site::measure::Measurer;
use brisk_margin_site::page::Came;
use brisk_margin_site::plan::Plan;
use brisk_margin_site::publishing::folder::SiteFolder;
use brisk_margin_store::films::FilmWish;
use brisk_margin_store::publications::Publication;
use brisk_margin_store::{BlobHash, Blobs, StoreError};
use serde::Deserialize;
use tempfile::TempDir;
use uuid::Uuid;

use super::keeping::Keeping;
use super::{PublicationError, change, folder};
use crate::jobs::{JobFailure, JobInHand};
use crate::measuring::file_reader;
use crate::publishing::SiteError;
use crate::publishing::measuring::encoded;
use crate::sites::SiteServices;

/// How long a page may take on a slow connection: 5 MB at 0.4 Mbit/s take 104 s.
const PATIENCE: Duration = Duration::from_secs(240);
/// Screens of phones and notebooks have so many pixels for each CSS px.
const DENSITY: Density = Density::REFERENCE;

/// Which film a job makes.
#[derive(Debug, Deserialize)]
struct Args {
    film: Uuid,
}

/// Makes a film, and notes how that ended.
///
/// # Errors
/// Those of the database.
pub(crate) async fn run(site: &SiteServices, job: &JobInHand) -> Result<(), JobFailure> {
    let Args { film } = job.args()?;
    let Some(found) = site.store.film(film).await? else { return Ok(()) };
    let publication = site.store.publication(found.wish.publication).await?;
    let Some(publication) = publication else { return Ok(()) };
    let ended = match filmed(site, &publication, &found.wish).await {
        Ok(strip) => Ok(strip),
        Err(PublicationError::Store(error)) if error.is_transient() => return Err(error.into()),
        Err(error) => Err(error.to_string()),
    };
    Ok(site.store.end_film(film, &ended).await?)
}

async fn filmed(
    site: &SiteServices,
    publication: &Publication,
    wish: &FilmWish,
) -> Result<FilmStrip, PublicationError> {
    let (own, change) = (folder(site).await?, change(publication)?);
    let steps = change.publication().steps();
    let blobs = site.store.blobs();
    // Whichever of both the folder holds by now.
    let before = Side::served(&own, blobs, steps, |step| step.before.as_deref()).await?;
    let after = Side::served(&own, blobs, steps, |step| Some(&step.after)).await?;
    let settings = site.store.site().await?;
    let reader = file_reader(site.maker.pool.codecs().clone());
    let plan = |side: &Side| Plan::for_page(&format!("{}/", side.host.origin), reader.clone());
    let follows = |plan: &mut Plan| site.measuring.follow(plan, &settings);
    let mut both = plan(&before).map_err(SiteError::from)?;
    both.rules.allowed.extend(plan(&after).map_err(SiteError::from)?.rules.allowed);
    follows(&mut both).map_err(SiteError::from)?;
    let known = both.widths.iter().copied().find(|one| one.width == wish.width);
    both.widths = vec![known.unwrap_or(LayoutWidth { width: wish.width, ..LayoutWidth::USUAL[0] })];
    both.densities = vec![DENSITY];
    both.budget.load = PATIENCE;
    both.tells_requests = false;
    let measurer = Measurer::start(both).await.map_err(SiteError::from)?;
    let at = |side: &Side| format!("{}/{}", side.host.origin, encoded(&wish.page));
    // One after the other: both would share the machine.
    let first = measurer.filmed(&at(&before), wish.connection).await.map_err(SiteError::from)?;
    let second = measurer.filmed(&at(&after), wish.connection).await.map_err(SiteError::from)?;
    let (strip, pictures) = strip(&first, &second);
    let keeping = Keeping { store: &site.store, publication: publication.id };
    keeping.put(pictures.into_iter().map(|picture| (picture, None)).collect()).await?;
    Ok(strip)
}

/// A site with the files of a publication in it, as they were before or as they are afterwards.
struct Side {
    host: LocalHost,
    _front: TempDir,
}

impl Side {
    /// `site`, but for the files that `of` tells the hashes of.
    async fn served(
        site: &SiteFolder,
        blobs: &Blobs,
        steps: &[Step],
        of: impl Fn(&Step) -> Option<&str>,
    ) -> Result<Self, PublicationError> {
        let front = tempfile::tempdir().map_err(SiteError::from)?;
        let layer = SiteFolder::open(front.path()).map_err(SiteError::from)?;
        for step in steps {
            let Some(hash) = of(step).and_then(BlobHash::parse) else { continue };
            let bytes = blobs.get(&hash).await.map_err(StoreError::Blob)?.to_vec();
            let (path, layer) = (step.path.clone(), layer.clone());
            let written = tokio::task::spawn_blocking(move || layer.write(&path, &bytes, None));
            written.await?.map_err(SiteError::from)?;
        }
        let host = LocalHost::start(host::layered(front.path(), site.root())).await;
        Ok(Self { host: host.map_err(SiteError::from)?, _front: front })
    }
}

/// What is seen of both at the same moments, and the pictures that it names.
fn strip(before: &Film, after: &Film) -> (FilmStrip, Vec<Vec<u8>>) {
    // A browser tells of its largest paint by another clock than of what it painted.
    let last = |film: &Film| {
        let painted = film.frames.iter().map(|(at, _)| *at).fold(Millis::ZERO, Millis::max);
        painted.max(times(&film.came).largest.unwrap_or_default())
    };
    let end = last(before).max(last(after));
    let mut pictures: Vec<Vec<u8>> = Vec::new();
    let mut named = |film: &Film, at: Millis| {
        let picture = seen_at(&film.frames, at)?;
        if !pictures.contains(picture) {
            pictures.push(picture.clone());
        }
        Some(BlobHash::of(picture).as_str().to_owned())
    };
    let moments = moments(end).into_iter().map(|at| FilmMoment {
        at,
        before: named(before, at),
        after: named(after, at),
    });
    let moments = moments.collect();
    (FilmStrip { moments, before: times(&before.came), after: times(&after.came) }, pictures)
}

fn times(came: &Came) -> FilmTimes {
    let millis = |ms: f64| Millis::new(ms).ok();
    FilmTimes {
        first_paint: came.first_paint.and_then(millis),
        largest: came.largest.and_then(millis),
        last_file: millis(came.last_file()).unwrap_or_default(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn film(frames: &[(u32, &str)], largest: f64) -> Film {
        let frames = frames.iter().map(|&(at, told)| (Millis::whole(at), told.as_bytes().to_vec()));
        let came = Came {
            first_paint: Some(120.0),
            largest: Some(largest),
            shift: 0.0,
            files: Vec::new(),
        };
        Film { frames: frames.collect(), came }
    }

    #[test]
    fn both_loads_are_seen_at_the_same_moments_and_each_picture_is_kept_once() {
        let before = film(&[(150, "text"), (1_050, "pictures")], 1_150.0);
        let after = film(&[(140, "text"), (380, "lighter pictures")], 380.0);
        let (strip, pictures) = strip(&before, &after);
        assert_eq!(pictures.len(), 3, "the text is the same");
        assert_eq!(strip.moments.len(), 12, "each 100 ms until all is there");
        let seen = |at: usize| (&strip.moments[at].before, &strip.moments[at].after);
        assert_eq!(seen(0), (&None, &None), "nothing is painted after 100 ms");
        assert_eq!(seen(1).0, seen(1).1, "the text after 200 ms");
        assert_ne!(seen(3).0, seen(3).1, "one is there after 400 ms");
        assert_eq!(seen(11).0.as_deref(), Some(BlobHash::of(b"pictures").as_str()));
        assert_eq!(strip.after.largest, Some(Millis::whole(380)));
    }
}
