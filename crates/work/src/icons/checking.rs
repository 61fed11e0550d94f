//! Checking: the icons that a site serves, fetched and judged.

use brisk_margin_core::geometry::Size;
use brisk_margin_core::icon::check::{CheckedIcon, IconFound, IconReport, NamedAs};
use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::icon::served::served;
use brisk_margin_imaging::raster::Raster;
use brisk_margin_imaging::resize::{Region, resize};
use brisk_margin_site::gate::Rules;
use brisk_margin_site::icons::named_icons;
use url::Url;

use super::looks::data_url;
use crate::work_pool::{WorkFailed, WorkPool};

/// What reading takes for each pixel, in bytes, whatever the format.
const MEMORY_A_PIXEL: u64 = 12;
/// The longer side that served icons are shown with, in px.
const SHOWN: u32 = 96;

/// Fetches the icons that `pages` name, reaching what `rules` allow, and judges them; they are read in `pool`.
///
/// # Errors
/// Where the way out to the hosts cannot be opened.
pub async fn check_icons(
    pages: &[Url],
    rules: Rules,
    pool: &WorkPool,
) -> std::io::Result<IconReport> {
    let found = named_icons(pages, rules).await?;
    let mut icons = Vec::new();
    for (icon, bytes) in found.icons {
        let pixels = pool.codecs().shown_size(&bytes).map_or(0, |size| size.pixels());
        let room = pool.admit(Bytes(bytes.len() as u64 + pixels * MEMORY_A_PIXEL)).await;
        let named = icon.clone();
        let judging = pool.run(room, move |codecs| judged(codecs, icon, &bytes)).await;
        // One that breaks its reader is no picture; the others are told.
        icons.push(judging.unwrap_or_else(|WorkFailed| CheckedIcon::new(named, None)));
    }
    let manifest = match found.manifest {
        None => Ok(false),
        Some(Ok(())) => Ok(true),
        Some(Err(reason)) => Err(reason),
    };
    Ok(IconReport::new(found.pages, found.silent, found.unread, manifest, icons))
}

fn judged(codecs: &Codecs, found: IconFound, bytes: &[u8]) -> CheckedIcon {
    match served(codecs, bytes) {
        Some(icon) => {
            let picture = data_url(&shown(icon.raster)).ok();
            // A photograph may be soft by itself.
            let is_enlarged = icon.is_enlarged && found.named_as != NamedAs::Sharing;
            let is = Some(icon.media_type);
            CheckedIcon::new(IconFound { sizes: icon.sizes, is, is_enlarged, ..found }, picture)
        }
        None => CheckedIcon::new(found, None),
    }
}

fn shown(raster: Raster) -> Raster {
    let size = raster.size();
    let longer = size.width.max(size.height);
    if longer <= SHOWN {
        return raster;
    }
    let side = |length: u32| (length * SHOWN / longer).max(1);
    resize(&raster, Region::whole(size), Size::new(side(size.width), side(size.height)))
}
