//! Checking: the icons that a site serves, fetched and judged.

use brisk_margin_core::geometry::Size;
use brisk_margin_core::icon::check::{CheckedIcon, IconFound, IconReport, NamedAs};
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::icon::served::served;
use brisk_margin_imaging::raster::Raster;
use brisk_margin_imaging::resize::{Region, resize};
use brisk_margin_site::gate::Rules;
use brisk_margin_site::icons::named_icons;
use tokio::task::spawn_blocking;
use url::Url;

use super::looks::data_url;

/// The longer side that served icons are shown with, in px.
const SHOWN: u32 = 96;

/// Fetches the icons that `pages` name, reaching what `rules` allow, and judges them; `codecs` read them.
///
/// # Errors
/// Where the way out to the hosts cannot be opened, or a worker broke down.
pub async fn check_icons(
    pages: &[Url],
    rules: Rules,
    codecs: Codecs,
) -> std::io::Result<IconReport> {
    let found = named_icons(pages, rules).await?;
    let icons = found.icons;
    let judging = spawn_blocking(move || {
        let judged = icons.into_iter().map(|(found, bytes)| judged(&codecs, found, &bytes));
        Vec::from_iter(judged)
    });
    let icons = judging.await.map_err(std::io::Error::other)?;
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
