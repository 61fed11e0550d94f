//! Publishing icons: their files, their manifest, and the lines in the heads of all pages.

use std::collections::BTreeMap;

use brisk_margin_archive as archive;
use brisk_margin_core::icon::manifest::MANIFEST;
use brisk_margin_core::publication::StepKind;
use brisk_margin_core::publication::report::{ChangedPage, PlaceLeft, PublicationReport};
use brisk_margin_site::publishing::folder::{SiteFolder, hash_of};
use brisk_margin_site::publishing::site_change::NewFile;
use brisk_margin_site::rewriting::head::with_icons;
use brisk_margin_site::source::page::PageSource;
use brisk_margin_store::StoreError;
use brisk_margin_store::publications::{Prepared, Publication};

use super::PublicationError;
use super::keeping::Keeping;
use crate::icons::texts;
use crate::sites::SiteServices;

/// Works out what publishing the icons that were made changes.
///
/// # Errors
/// [`PublicationError`].
pub(super) async fn prepared(
    site: &SiteServices,
    folder: &SiteFolder,
    publication: &Publication,
) -> Result<Prepared, PublicationError> {
    let icons = site.store.icons().await?;
    let texts = texts(&icons, site.icons.address().await?.as_ref());
    let Some((texts, (design, _))) = texts.zip(icons.made.as_ref()) else {
        return Err(PublicationError::NoIcons);
    };
    let below = design.prefix.trim_start_matches('/').to_owned();
    let mut new = Vec::new();
    for file in &icons.files {
        let bytes = site.store.blobs().get(&file.hash).await.map_err(StoreError::from)?;
        new.push((format!("{below}{}", file.made.file_name), bytes.to_vec()));
    }
    new.push((format!("{below}{MANIFEST}"), texts.manifest.into_bytes()));
    let written = {
        let (folder, lines, has_picture) = (folder.clone(), texts.lines, texts.name_picture);
        tokio::task::spawn_blocking(move || written(&folder, new, &lines, has_picture)).await??
    };
    let keeping = Keeping { store: &site.store, publication: publication.id };
    let (change, files) = keeping.change(folder, written.files, &BTreeMap::new()).await?;
    let pages = files
        .iter()
        .filter(|file| file.kind == StepKind::Page)
        .map(|file| ChangedPage { page: file.path.clone(), shots: Vec::new() });
    let pages = pages.collect();
    let report =
        PublicationReport { files, pages, left: written.left, ..PublicationReport::default() };
    Ok(Prepared { report, change: serde_json::to_value(change).expect("plain values") })
}

struct Written {
    files: Vec<NewFile>,
    left: Vec<PlaceLeft>,
}

/// The files that are written: `new` ones, and every page of the site with `lines` in its head.
fn written(
    folder: &SiteFolder,
    new: Vec<(String, Vec<u8>)>,
    lines: &[String],
    has_picture: bool,
) -> Result<Written, PublicationError> {
    let mut written = Written { files: Vec::new(), left: Vec::new() };
    for (path, bytes) in new {
        let seen = read(folder, &path)?.as_deref().map(hash_of);
        written.files.push(NewFile { path, kind: StepKind::File, seen, bytes });
    }
    let pages = archive::pages(folder.root()).map_err(told)?;
    for path in pages {
        let Some(before) = read(folder, &path)? else { continue };
        match rewritten(&before, lines, has_picture) {
            Ok(bytes) if bytes == before => {}
            Ok(bytes) => {
                let seen = Some(hash_of(&before));
                written.files.push(NewFile { path, kind: StepKind::Page, seen, bytes });
            }
            Err(words) => written.left.push(PlaceLeft {
                page: path,
                selector: "head".to_owned(),
                reason: "no-head".to_owned(),
                words,
                is_failure: true,
            }),
        }
    }
    Ok(written)
}

fn rewritten(page: &[u8], lines: &[String], has_picture: bool) -> Result<Vec<u8>, String> {
    let source = PageSource::read(page).map_err(|error| error.to_string())?;
    with_icons(&source, lines, has_picture).map_err(|error| error.to_string())
}

fn read(folder: &SiteFolder, path: &str) -> Result<Option<Vec<u8>>, PublicationError> {
    folder.read(path).map_err(|error| PublicationError::Publish(error.into()))
}

fn told(error: std::io::Error) -> PublicationError {
    PublicationError::Folder(format!("the site's folder cannot be read: {error}"))
}
