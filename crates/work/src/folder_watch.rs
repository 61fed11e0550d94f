//! The site's own folder: pictures that anybody drops into it are noticed and added.
//!
//! Events tell that something happened; since events get lost, the folder is also looked through
//! from time to time. A file is taken once it was quiet for a while and decodes, so that a paused
//! transfer is waited for. Nothing is written there by it.

use std::collections::HashMap;
use std::fs::File;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use std::time::{Duration, SystemTime};

use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::codec::CodecError;
use brisk_margin_imaging::original::PictureError;
use brisk_margin_store::StoreError;
use brisk_margin_store::changes::ChangeKind;
use brisk_margin_store::folder_files::FolderFile;
use brisk_margin_store::pictures::{Arrival, Origin};
use chrono::{DateTime, SubsecRound, Utc};
use notify_debouncer_full::notify::{self, EventKind, RecursiveMode};
use notify_debouncer_full::{DebounceEventResult, new_debouncer};
use tempfile::NamedTempFile;
use tokio::sync::Notify;
use tokio::task::AbortHandle;
use tokio::time::{Instant, timeout};

use crate::intake::{self, IncomingFile, Intake, IntakeError, MAX_FILE};

/// A file is left alone until nothing was written to it for so long.
pub const QUIET: Duration = Duration::from_secs(2);
/// The folder is looked through at least so often.
const RESCAN: Duration = Duration::from_secs(30);
/// Names that are told of where they are no picture; all other files are none of ours.
const EXTENSIONS: [&str; 16] = [
    "jpg", "jpeg", "png", "webp", "avif", "gif", "tif", "tiff", "bmp", "svg", "ico", "heic",
    "heif", "jxl", "dng", "psd",
];

/// Watches the site's own folder. Clones share one report.
#[derive(Clone)]
pub struct FolderWatch {
    intake: Intake,
    report: Arc<Mutex<FolderReport>>,
    watching: Arc<Mutex<Option<AbortHandle>>>,
}

/// How the watched folder stands.
#[derive(Debug, Clone, Default)]
pub struct FolderReport {
    /// The folder; nothing where none is watched.
    pub folder: Option<PathBuf>,
    /// Files that are still being written, by their paths.
    pub waiting: Vec<String>,
    /// Why the folder cannot be looked through.
    pub problem: Option<String>,
}

impl FolderWatch {
    /// A watch that hands files to `intake`; nothing is watched yet.
    pub fn new(intake: Intake) -> Self {
        Self { intake, report: Arc::default(), watching: Arc::default() }
    }

    /// How the folder stands.
    pub fn report(&self) -> FolderReport {
        self.lock().clone()
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, FolderReport> {
        self.report.lock().expect("no panic holds the lock")
    }

    /// Watches `folder`, or none, from now on; the one that was watched before is left alone.
    pub fn watch(&self, folder: Option<PathBuf>) {
        if self.lock().folder == folder {
            return;
        }
        *self.lock() = FolderReport { folder: folder.clone(), ..FolderReport::default() };
        let task = folder.map(|folder| self.spawn(folder));
        let mut watching = self.watching.lock().expect("no panic holds the lock");
        if let Some(before) = std::mem::replace(&mut *watching, task) {
            before.abort();
        }
    }

    fn spawn(&self, folder: PathBuf) -> AbortHandle {
        let watch = self.clone();
        let task = tokio::spawn(async move {
            let stirred = Arc::new(Notify::new());
            // Dropped with the task. Without events, the folder is looked through all the same.
            let _events = events(&folder, Arc::clone(&stirred));
            let mut quiet = HashMap::new();
            loop {
                let waiting = watch.look_through(&folder, &mut quiet).await;
                let again = if waiting.is_empty() { RESCAN } else { QUIET / 2 };
                let before = std::mem::replace(&mut watch.lock().waiting, waiting.clone());
                if before != waiting
                    && let Err(error) = watch.intake.store().tell(ChangeKind::Folder).await
                {
                    tracing::warn!("nobody is told what the folder waits for: {error}");
                }
                let _ = timeout(again, stirred.notified()).await;
            }
        });
        task.abort_handle()
    }

    /// Looks through `folder` once, takes in what is quiet, and returns what is not. What cannot
    /// be read stands in the report, and stops nothing else. `quiet` holds since when each file
    /// has been as it is.
    async fn look_through(
        &self,
        folder: &Path,
        quiet: &mut HashMap<String, (Seen, Instant)>,
    ) -> Vec<String> {
        let mut problem = None;
        let waiting = self.look(folder, quiet, &mut problem).await.unwrap_or_else(|error| {
            problem = Some(error.to_string());
            Vec::new()
        });
        if let Some(problem) = &problem {
            tracing::warn!("{} cannot be looked through: {problem}", folder.display());
        }
        self.lock().problem = problem;
        waiting
    }

    async fn look(
        &self,
        folder: &Path,
        quiet: &mut HashMap<String, (Seen, Instant)>,
        problem: &mut Option<String>,
    ) -> Result<Vec<String>, LookError> {
        let files = {
            let folder = folder.to_owned();
            tokio::task::spawn_blocking(move || files(&folder))
                .await
                .map_err(io::Error::other)??
        };
        let known = self.intake.store().folder_files().await?;
        let known: HashMap<&str, &FolderFile> =
            known.iter().map(|file| (file.path.as_str(), file)).collect();
        let gone = known.keys().filter(|path| !files.contains_key(**path));
        let gone: Vec<String> = gone.map(ToString::to_string).collect();
        if !gone.is_empty() {
            self.intake.store().forget_folder_files(&gone).await?;
        }
        quiet.retain(|path, _| files.contains_key(path));
        let mut waiting = Vec::new();
        for (path, seen) in files {
            let before = known.get(path.as_str()).copied();
            if before.is_some_and(|file| seen.is(file)) {
                quiet.remove(&path);
                continue;
            }
            if !is_quiet(quiet, &path, seen) {
                waiting.push(path);
                continue;
            }
            match take(&self.intake, folder, &path, seen, before).await {
                Ok(true) => {}
                Ok(false) => waiting.push(path),
                // This file is tried again; the others do not wait for it.
                Err(error) => {
                    *problem = Some(format!("{path}: {error}"));
                    waiting.push(path);
                }
            }
        }
        Ok(waiting)
    }
}

/// Whether nothing was written to a file for a while, as far as it was seen.
fn is_quiet(quiet: &mut HashMap<String, (Seen, Instant)>, path: &str, seen: Seen) -> bool {
    let now = Instant::now();
    let since = quiet.entry(path.to_owned()).or_insert((seen, now));
    if since.0 != seen {
        *since = (seen, now);
    }
    let written = seen.modified.elapsed().unwrap_or_default();
    now - since.1 >= QUIET || written >= 2 * QUIET
}

/// A file as it lies in the folder.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Seen {
    bytes: u64,
    modified: SystemTime,
}

/// Stirs whenever something in `folder` changes, for as long as the value is kept.
fn events(folder: &Path, stirred: Arc<Notify>) -> Option<impl Sized + use<>> {
    let heard = move |events: DebounceEventResult| {
        // Lost events are an error, too: something may have changed.
        if events.map_or(true, |events| events.iter().any(|event| changes(&event.kind))) {
            stirred.notify_one();
        }
    };
    let watched = new_debouncer(QUIET / 4, Some(QUIET / 4), heard).and_then(|mut debouncer| {
        debouncer.watch(folder, RecursiveMode::Recursive)?;
        Ok(debouncer)
    });
    watched.map_err(|error| tracing::warn!("no events of {}: {error}", folder.display())).ok()
}

/// Whether an event tells of a change. Looking through the folder opens it, which is an event, too:
/// it must not lead to looking again.
const fn changes(kind: &EventKind) -> bool {
    use notify::event::{AccessKind, AccessMode};
    match kind {
        EventKind::Access(access) => matches!(access, AccessKind::Close(AccessMode::Write)),
        _ => true,
    }
}

impl Seen {
    fn of(found: &std::fs::Metadata) -> io::Result<Self> {
        Ok(Self { bytes: found.len(), modified: found.modified()? })
    }

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
        let Ok(found) = std::fs::symlink_metadata(folder.join(&path)) else { continue };
        if EXTENSIONS.contains(&extension.as_str()) && found.is_file() {
            files.insert(path, Seen::of(&found)?);
        }
    }
    Ok(files)
}

/// Takes in the file at `path`, or notes why not; false where it changed meanwhile.
async fn take(
    intake: &Intake,
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
        intake.store().keep_folder_file(&file).await?;
        return Ok(true);
    }
    let copy = match copy(intake, folder, path, seen).await {
        Ok(Some(copy)) => copy,
        Ok(None) => return Ok(false),
        // One file that nobody may read does not stand in the way of the others.
        Err(error) if error.kind() == io::ErrorKind::PermissionDenied => {
            file.refusal =
                Some(format!("the file may not be read ({error}); give it to everybody"));
            intake.store().keep_folder_file(&file).await?;
            return Ok(true);
        }
        Err(error) => return Err(error.into()),
    };
    let hash = intake::hash_of(copy.path()).await?;
    file.hash = Some(hash.clone());
    // The same bytes at the same path are never taken in again, whatever became of the picture.
    if before.is_some_and(|before| before.hash.as_ref() == Some(&hash)) {
        intake.store().keep_folder_file(&file).await?;
        return Ok(true);
    }
    // What was made here and put there is no picture of its own.
    if let Some(picture) = intake.store().picture_made_into(&hash).await? {
        file.picture_id = Some(picture);
        intake.store().keep_folder_file(&file).await?;
        return Ok(true);
    }
    let (parent, name) = path.rsplit_once('/').unwrap_or(("", path));
    let incoming = IncomingFile {
        name: name.to_owned(),
        folder: parent.to_owned(),
        origin: Origin::Folder,
        import_action: None,
    };
    match intake.accept_file(copy.path(), &hash, incoming).await {
        Ok(Arrival::New(picture) | Arrival::There(picture) | Arrival::Back(picture)) => {
            file.picture_id = Some(picture.id);
        }
        Err(error) if error.is_transient() => return Err(error.into()),
        Err(error) => {
            file.hash = None;
            file.refusal = Some(refusal(&error));
        }
    }
    intake.store().keep_folder_file(&file).await?;
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

/// A copy that nobody else writes to; nothing where the file changed while it was copied, or is
/// something else by now.
async fn copy(
    intake: &Intake,
    folder: &Path,
    path: &str,
    seen: Seen,
) -> io::Result<Option<NamedTempFile>> {
    let spool = intake.folder().spool();
    let (folder, path) = (folder.to_owned(), path.to_owned());
    let copy = move || {
        let Some(mut from) = opened_below(&folder, &path)? else { return Ok(None) };
        let now = |file: &File| {
            let found = file.metadata()?;
            Ok::<_, io::Error>((found.is_file(), Seen::of(&found)?))
        };
        if now(&from)? != (true, seen) {
            return Ok(None);
        }
        let mut copy = NamedTempFile::new_in(spool)?;
        // One byte more tells that it grew; a file that grows for ever is not copied for ever.
        let copied = io::copy(&mut (&mut from).take(seen.bytes + 1), &mut copy)?;
        let is_same = copied == seen.bytes && now(&from)? == (true, seen);
        Ok(is_same.then_some(copy))
    };
    tokio::task::spawn_blocking(copy).await.map_err(io::Error::other)?
}

/// Opens what lies at `path` below `folder`, without following a link anywhere on the way and without
/// waiting for whoever writes into a pipe; nothing where it is gone, or leads elsewhere.
fn opened_below(folder: &Path, path: &str) -> io::Result<Option<File>> {
    use rustix::fs::{Mode, OFlags, ResolveFlags, open, openat2};
    use rustix::io::Errno;
    let root = open(folder, OFlags::DIRECTORY | OFlags::CLOEXEC, Mode::empty())?;
    let flags = OFlags::RDONLY | OFlags::NONBLOCK | OFlags::NOCTTY | OFlags::CLOEXEC;
    let stays = ResolveFlags::BENEATH | ResolveFlags::NO_SYMLINKS | ResolveFlags::NO_MAGICLINKS;
    match openat2(&root, path, flags, Mode::empty(), stays) {
        Ok(file) => Ok(Some(file.into())),
        Err(Errno::NOENT | Errno::LOOP | Errno::XDEV | Errno::NXIO) => Ok(None),
        Err(error) => Err(error.into()),
    }
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

#[cfg(test)]
mod tests {
    use super::*;
    use notify::event::{AccessKind, AccessMode, CreateKind};

    #[test]
    fn looking_is_no_change_and_writing_is() {
        assert!(!changes(&EventKind::Access(AccessKind::Open(AccessMode::Any))));
        assert!(!changes(&EventKind::Access(AccessKind::Close(AccessMode::Read))));
        assert!(changes(&EventKind::Access(AccessKind::Close(AccessMode::Write))));
        assert!(changes(&EventKind::Create(CreateKind::File)));
    }

    #[test]
    fn pipes_and_links_are_no_files_and_hold_nobody_up() {
        use rustix::fs::{CWD, FileType, Mode, mknodat};
        let home = tempfile::tempdir().unwrap();
        let (folder, elsewhere) = (home.path().join("media"), home.path().join("elsewhere"));
        for folder in [&folder, &elsewhere] {
            std::fs::create_dir(folder).unwrap();
            std::fs::write(folder.join("dome.jpg"), "a dome").unwrap();
        }
        std::os::unix::fs::symlink(elsewhere.join("dome.jpg"), folder.join("link.jpg")).unwrap();
        std::os::unix::fs::symlink(&elsewhere, folder.join("walks")).unwrap();
        mknodat(CWD, folder.join("pipe.jpg"), FileType::Fifo, Mode::from(0o666), 0).unwrap();
        let _socket = std::os::unix::net::UnixListener::bind(folder.join("socket.jpg")).unwrap();

        let seen = files(&folder).unwrap();
        assert_eq!(seen.keys().collect::<Vec<_>>(), ["dome.jpg"]);
        // Also where a file is exchanged for one between the look and the copy.
        for path in
            ["link.jpg", "walks/dome.jpg", "../elsewhere/dome.jpg", "socket.jpg", "gone.jpg"]
        {
            assert!(opened_below(&folder, path).unwrap().is_none(), "{path}");
        }
        let pipe = opened_below(&folder, "pipe.jpg").unwrap().unwrap();
        assert!(
            !pipe.metadata().unwrap().is_file(),
            "it is opened without waiting, and told apart"
        );
        let mut text = String::new();
        opened_below(&folder, "dome.jpg").unwrap().unwrap().read_to_string(&mut text).unwrap();
        assert_eq!(text, "a dome");
    }
}
