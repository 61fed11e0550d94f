//! The site's own folder: pictures that anybody drops into it are noticed and taken in.
//!
//! Events tell that something happened; since events get lost, the folder is also looked through
//! from time to time. A file is taken once it was quiet for a while and decodes, so that a paused
//! transfer is waited for. Nothing is ever written there.

use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use std::time::{Duration, SystemTime};

use brisk_margin_core::codec::CodecError;
use brisk_margin_core::picture::PictureError;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::StoreError;
use brisk_margin_store::folder_files::FolderFile;
use brisk_margin_store::pictures::{Arrival, Origin};
use chrono::{DateTime, SubsecRound, Utc};
use notify::{RecursiveMode, Watcher};
use tempfile::NamedTempFile;
use tokio::sync::Notify;
use tokio::time::{Instant, timeout};
use uuid::Uuid;

use crate::app::{App, Change};
use crate::intake::{self, Arriving, IntakeError, MAX_FILE};

/// A file is left alone until nothing was written to it for so long.
pub const QUIET: Duration = Duration::from_secs(2);
/// The folder is looked through at least so often.
const RESCAN: Duration = Duration::from_secs(30);
/// Names that are told of where they are no picture; all other files are none of ours.
const EXTENSIONS: [&str; 16] = [
    "jpg", "jpeg", "png", "webp", "avif", "gif", "tif", "tiff", "bmp", "svg", "ico", "heic",
    "heif", "jxl", "dng", "psd",
];

/// What is known of the watched folder.
#[derive(Clone, Default)]
pub struct Watching(Arc<Mutex<Report>>);

/// How the watched folder stands.
#[derive(Debug, Clone, Default)]
pub struct Report {
    /// The folder; nothing where none is watched.
    pub folder: Option<PathBuf>,
    /// Files that are still being written, by their paths.
    pub waiting: Vec<String>,
    /// Why the folder cannot be looked through.
    pub problem: Option<String>,
}

impl Watching {
    /// How the folder stands.
    pub fn report(&self) -> Report {
        self.lock().clone()
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, Report> {
        self.0.lock().expect("no panic holds the lock")
    }
}

/// A file as it lies in the folder.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Seen {
    bytes: u64,
    modified: SystemTime,
}

/// Watches `folder` for as long as the application runs.
pub fn spawn(app: &App, folder: PathBuf) {
    let app = app.clone();
    app.watching.lock().folder = Some(folder.clone());
    tokio::spawn(async move {
        let stirred = Arc::new(Notify::new());
        // Dropped with the task. Without events, the folder is looked through all the same.
        let _watcher = watcher(&folder, Arc::clone(&stirred));
        let mut quiet = HashMap::new();
        loop {
            let waiting = match look_through(&app, &folder, &mut quiet).await {
                Ok(waiting) => waiting,
                Err(problem) => {
                    tracing::warn!("{} cannot be looked through: {problem}", folder.display());
                    app.watching.lock().problem = Some(problem.to_string());
                    Vec::new()
                }
            };
            let again = if waiting.is_empty() { RESCAN } else { QUIET / 2 };
            let changed =
                std::mem::replace(&mut app.watching.lock().waiting, waiting.clone()) != waiting;
            if changed {
                app.tell(Change::Pictures);
            }
            let _ = timeout(again, stirred.notified()).await;
        }
    });
}

fn watcher(folder: &Path, stirred: Arc<Notify>) -> Option<notify::RecommendedWatcher> {
    let heard = move |_| stirred.notify_one();
    let watcher = notify::recommended_watcher(heard).and_then(|mut watcher| {
        watcher.watch(folder, RecursiveMode::Recursive)?;
        Ok(watcher)
    });
    watcher.map_err(|error| tracing::warn!("no events of {}: {error}", folder.display())).ok()
}

/// Looks through `folder` once, takes in what is quiet, and returns what is not. `quiet` holds
/// since when each file has been as it is.
async fn look_through(
    app: &App,
    folder: &Path,
    quiet: &mut HashMap<String, (Seen, Instant)>,
) -> Result<Vec<String>, LookError> {
    let files = {
        let folder = folder.to_owned();
        tokio::task::spawn_blocking(move || files(&folder)).await.map_err(io::Error::other)??
    };
    app.watching.lock().problem = None;
    let known = app.store.folder_files().await?;
    let known: HashMap<&str, &FolderFile> =
        known.iter().map(|file| (file.path.as_str(), file)).collect();
    let gone: Vec<String> =
        known.keys().filter(|path| !files.contains_key(**path)).map(ToString::to_string).collect();
    if !gone.is_empty() {
        app.store.forget_folder_files(&gone).await?;
    }
    quiet.retain(|path, _| files.contains_key(path));
    let mut waiting = Vec::new();
    for (path, seen) in files {
        let before = known.get(path.as_str()).copied();
        if before.is_some_and(|file| seen.is(file)) {
            quiet.remove(&path);
            continue;
        }
        let now = Instant::now();
        let since = quiet.entry(path.clone()).or_insert((seen, now));
        if since.0 != seen {
            *since = (seen, now);
        }
        let written = seen.modified.elapsed().unwrap_or_default();
        if now - since.1 < QUIET && written < 2 * QUIET
            || !take(app, folder, &path, seen, before).await?
        {
            waiting.push(path);
        }
    }
    Ok(waiting)
}

impl Seen {
    fn is(self, file: &FolderFile) -> bool {
        file.bytes.get() == self.bytes && file.modified_at == when(self.modified)
    }
}

/// The database keeps microseconds.
fn when(time: SystemTime) -> DateTime<Utc> {
    DateTime::<Utc>::from(time).trunc_subsecs(6)
}

/// Every picture file in `folder`, by its path below it.
fn files(folder: &Path) -> io::Result<std::collections::BTreeMap<String, Seen>> {
    let mut files = std::collections::BTreeMap::new();
    for path in intake::files_below(folder)? {
        let extension = path.rsplit('.').next().unwrap_or_default().to_ascii_lowercase();
        // A file may vanish between the two looks.
        let Ok(found) = std::fs::metadata(folder.join(&path)) else { continue };
        if EXTENSIONS.contains(&extension.as_str()) {
            files.insert(path, Seen { bytes: found.len(), modified: found.modified()? });
        }
    }
    Ok(files)
}

/// Takes in the file at `path`, or notes why not; false where it changed meanwhile.
async fn take(
    app: &App,
    folder: &Path,
    path: &str,
    seen: Seen,
    before: Option<&FolderFile>,
) -> Result<bool, LookError> {
    let mut file = FolderFile {
        path: path.to_owned(),
        bytes: Bytes(seen.bytes),
        modified_at: when(seen.modified),
        hash: None,
        picture_id: before.and_then(|file| file.picture_id),
        refusal: None,
    };
    // Not worth a copy.
    if seen.bytes > MAX_FILE.get() {
        file.refusal = Some(IntakeError::TooLarge.to_string());
        app.store.keep_folder_file(&file).await?;
        return Ok(true);
    }
    let copy = match copy(app, folder.join(path), seen).await {
        Ok(Some(copy)) => copy,
        Ok(None) => return Ok(false),
        // One file that nobody may read does not stand in the way of the others.
        Err(error) if error.kind() == io::ErrorKind::PermissionDenied => {
            file.refusal =
                Some(format!("the file may not be read ({error}); give it to everybody"));
            app.store.keep_folder_file(&file).await?;
            return Ok(true);
        }
        Err(error) => return Err(error.into()),
    };
    let hash = intake::hash_of(copy.path()).await?;
    file.hash = Some(hash.clone());
    // The same bytes at the same path are never taken in again, whatever became of the picture.
    if before.is_some_and(|before| before.hash.as_ref() == Some(&hash)) {
        app.store.keep_folder_file(&file).await?;
        return Ok(true);
    }
    let (parent, name) = path.rsplit_once('/').unwrap_or(("", path));
    let arriving = Arriving {
        name: name.to_owned(),
        folder: parent.to_owned(),
        origin: Origin::Folder,
        treatment: None,
    };
    match intake::accept_file(app, copy.path(), &hash, arriving).await {
        Ok(Arrival::New(picture) | Arrival::There(picture) | Arrival::Back(picture)) => {
            file.picture_id = Some(picture.id);
        }
        Err(error) if error.is_passing() => return Err(error.into()),
        Err(error) => {
            file.hash = None;
            file.refusal = Some(refusal(&error));
        }
    }
    let replaced = app.store.keep_folder_file(&file).await?;
    let stale: Vec<Uuid> = replaced.into_iter().chain(file.picture_id).collect();
    app.store.make_stale(Some(&stale)).await?;
    app.to_look_at.notify_one();
    app.tell(Change::Pictures);
    Ok(true)
}

/// A file that ends too early may be a transfer that somebody paused.
fn refusal(error: &IntakeError) -> String {
    match error {
        IntakeError::Picture(
            PictureError::Codec(CodecError::Truncated(_)) | PictureError::Empty,
        ) => {
            format!("waiting for the rest of it: {error}")
        }
        _ => error.to_string(),
    }
}

/// A copy that nobody else writes to; nothing where the file changed while it was copied.
async fn copy(app: &App, from: PathBuf, seen: Seen) -> io::Result<Option<NamedTempFile>> {
    let spool = app.folder().spool();
    let copy = move || {
        let copy = NamedTempFile::new_in(spool)?;
        match std::fs::copy(&from, copy.path()) {
            Ok(_) => {}
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
            Err(error) => return Err(error),
        }
        let after = std::fs::metadata(&from)?;
        let same = Seen { bytes: after.len(), modified: after.modified()? } == seen;
        Ok(same.then_some(copy))
    };
    tokio::task::spawn_blocking(copy).await.map_err(io::Error::other)?
}

/// Why the folder could not be looked through.
#[derive(Debug, thiserror::Error)]
enum LookError {
    /// It cannot be read.
    #[error("{0}; see that the folder is there and can be read")]
    Disk(#[from] io::Error),
    /// The database failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// A file could not be kept.
    #[error(transparent)]
    Intake(#[from] IntakeError),
}
