//! Where the client's files come from: a folder, or the program itself.

use std::io;
use std::path::Path;

use axum::Router;
use brisk_margin_api::web;

/// Serves the client out of `folder`; without one, out of the program where it was built in, and
/// else out of `web/dist`.
pub(crate) fn router(folder: Option<&Path>) -> Result<Router, String> {
    match folder {
        Some(folder) => of_folder(folder),
        #[cfg(feature = "embedded-client")]
        None => {
            web::router_of(embedded::find).map_err(|error| format!("no client inside ({error})"))
        }
        #[cfg(not(feature = "embedded-client"))]
        None => of_folder(Path::new("web/dist")),
    }
}

fn of_folder(folder: &Path) -> Result<Router, String> {
    let missing = |error: io::Error| {
        format!("no built client in {} ({error}); run bin/setup", folder.display())
    };
    web::router(folder).map_err(missing)
}

#[cfg(feature = "embedded-client")]
mod embedded {
    use brisk_margin_api::web::BuiltFile;
    use rust_embed::RustEmbed;

    #[derive(RustEmbed)]
    #[folder = "../../web/dist"]
    struct Client;

    pub(super) fn find(path: &str) -> Option<BuiltFile> {
        let file = Client::get(path)?;
        let media_type = file.metadata.mimetype().to_owned();
        Some(BuiltFile { bytes: file.data, media_type })
    }
}
