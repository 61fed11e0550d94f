//! The journal of a publication: what it writes and what was there before, kept in a folder of its own
//! before anything of the site is touched.

use std::fs::{self, File};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use brisk_margin_core::publication::Publication;
use serde::{Deserialize, Serialize};
use tempfile::NamedTempFile;

use super::error::PublishError;
use super::folder::SiteFolder;
use super::site_change::{NewFile, SiteChange};

/// The file that makes a folder a journal.
pub(super) const PLAN: &str = "publication.json";
const BYTES: &str = "bytes";

/// A publication to a site's folder, written down.
#[derive(Debug)]
pub struct Journal {
    home: PathBuf,
    plan: Plan,
}

#[derive(Debug, Serialize, Deserialize)]
struct Plan {
    #[serde(flatten)]
    change: SiteChange,
    /// Whether all of it is written.
    is_done: bool,
}

impl Journal {
    /// Writes down in `home` that `files` are to be written to `site`, with what is there now. Nothing
    /// of the site is touched.
    ///
    /// # Errors
    /// [`PublishError::Changed`] where a file is not as it was seen, and those of both folders.
    pub fn begin(
        home: &Path,
        site: &SiteFolder,
        files: Vec<NewFile>,
    ) -> Result<Self, PublishError> {
        if home.join(PLAN).exists() {
            return Err(PublishError::Taken(home.to_owned()));
        }
        fs::create_dir_all(home.join(BYTES))?;
        let change = SiteChange::new(site, files, &|hash, bytes| keep(home, hash, bytes))?;
        File::open(home.join(BYTES))?.sync_all()?;
        let journal = Self { home: home.to_owned(), plan: Plan { change, is_done: false } };
        journal.write_down()?;
        Ok(journal)
    }

    /// The publication that is written down in `home`.
    ///
    /// # Errors
    /// [`PublishError::Nothing`] where there is none.
    pub fn open(home: &Path) -> Result<Self, PublishError> {
        let text = match fs::read(home.join(PLAN)) {
            Ok(text) => text,
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                return Err(PublishError::Nothing(home.to_owned()));
            }
            Err(error) => return Err(error.into()),
        };
        let plan = serde_json::from_slice(&text);
        let damaged = |error: serde_json::Error| PublishError::Damaged {
            path: home.join(PLAN),
            reason: error.to_string(),
        };
        Ok(Self { home: home.to_owned(), plan: plan.map_err(damaged)? })
    }

    /// What it writes.
    pub const fn publication(&self) -> &Publication {
        self.plan.change.publication()
    }

    /// Whether all of it was written.
    pub const fn is_done(&self) -> bool {
        self.plan.is_done
    }

    /// Writes what is not written yet, as [`SiteChange::publish`] does.
    ///
    /// # Errors
    /// Those of that.
    pub fn publish(&mut self, site: &SiteFolder) -> Result<(), PublishError> {
        self.plan.change.publish(site, &|hash| self.kept(hash))?;
        self.plan.is_done = true;
        self.write_down()
    }

    /// Takes it back, as [`SiteChange::take_back`] does. Where nothing was left alone, the journal goes, too.
    ///
    /// # Errors
    /// Those of that.
    pub fn take_back(self, site: &SiteFolder, forced: bool) -> Result<Vec<String>, PublishError> {
        let left = self.plan.change.take_back(site, forced, &|hash| self.kept(hash))?;
        if left.is_empty() {
            // Without its plan it is none.
            fs::remove_file(self.home.join(PLAN))?;
            let _ = fs::remove_dir_all(&self.home);
        }
        Ok(left)
    }

    fn kept(&self, hash: &str) -> io::Result<Vec<u8>> {
        fs::read(self.home.join(BYTES).join(hash))
    }

    fn write_down(&self) -> Result<(), PublishError> {
        let text = serde_json::to_vec_pretty(&self.plan).map_err(io::Error::other)?;
        put(&self.home, PLAN, &text)?;
        Ok(File::open(&self.home)?.sync_all()?)
    }
}

/// Keeps `bytes` under their `hash`.
fn keep(home: &Path, hash: &str, bytes: &[u8]) -> io::Result<()> {
    let folder = home.join(BYTES);
    match folder.join(hash).exists() {
        true => Ok(()),
        false => put(&folder, hash, bytes),
    }
}

fn put(folder: &Path, name: &str, bytes: &[u8]) -> io::Result<()> {
    let mut whole = NamedTempFile::new_in(folder)?;
    whole.write_all(bytes)?;
    whole.as_file().sync_all()?;
    whole.persist(folder.join(name))?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::{MetadataExt, PermissionsExt};

    use super::*;
    use std::collections::BTreeMap;

    use brisk_margin_core::publication::StepKind;
    use proptest::prelude::*;
    use tempfile::TempDir;

    use super::super::folder::hash_of;

    impl Journal {
        fn publish_some(&self, site: &SiteFolder, most: usize) -> Result<(), PublishError> {
            self.plan.change.publish_some(site, &|hash| self.kept(hash), most)
        }

        fn take_back_some(&self, site: &SiteFolder, most: usize) -> Result<(), PublishError> {
            let kept = |hash: &str| self.kept(hash);
            self.plan.change.take_back_some(site, false, &kept, most).map(|_| ())
        }
    }

    /// Path, bytes, mode and time of every file.
    type Seen = BTreeMap<PathBuf, (Vec<u8>, u32, (i64, i64))>;

    fn seen(folder: &Path) -> Seen {
        let mut all = Seen::new();
        for entry in fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                let below = seen(&path);
                assert!(!below.is_empty(), "an empty folder is left: {}", path.display());
                all.extend(below);
            } else {
                let found = fs::metadata(&path).unwrap();
                let told = (found.mode(), (found.mtime(), found.mtime_nsec()));
                all.insert(path.clone(), (fs::read(path).unwrap(), told.0, told.1));
            }
        }
        all
    }

    struct Site {
        _home: TempDir,
        root: PathBuf,
        journal: PathBuf,
    }

    fn site(files: &[(&str, &str)]) -> Site {
        let home = tempfile::tempdir().unwrap();
        let (root, journal) = (home.path().join("site"), home.path().join("journal"));
        for (n, (path, text)) in files.iter().enumerate() {
            let path = root.join(path);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(&path, text).unwrap();
            fs::set_permissions(&path, fs::Permissions::from_mode(0o640 + n as u32 % 8)).unwrap();
        }
        Site { _home: home, root, journal }
    }

    fn new(path: &str, kind: StepKind, seen: Option<&str>, text: &str) -> NewFile {
        let seen = seen.map(|text| hash_of(text.as_bytes()));
        NewFile { path: path.to_owned(), kind, seen, bytes: text.as_bytes().to_vec() }
    }

    fn change() -> (Site, Vec<NewFile>) {
        let site = site(&[("index.html", "old page"), ("a/style.css", "old style"), ("b", "b")]);
        let files = vec![
            new("index.html", StepKind::Page, Some("old page"), "new page"),
            new("a/style.css", StepKind::Style, Some("old style"), "new style"),
            new("v/1.webp", StepKind::File, None, "one"),
            new("v/2.webp", StepKind::File, None, "two"),
        ];
        (site, files)
    }

    #[test]
    fn what_is_published_and_taken_back_is_as_it_was_after_an_end_at_any_step() {
        for (written, gone) in (0..=4).flat_map(|written| (0..=4).map(move |gone| (written, gone)))
        {
            let (site, files) = change();
            let before = seen(&site.root);
            let folder = SiteFolder::open(&site.root).unwrap();
            let journal = Journal::begin(&site.journal, &folder, files).unwrap();
            assert_eq!(seen(&site.root), before, "nothing is touched before");
            journal.publish_some(&folder, written).unwrap();
            // An end in the middle of writing, and one in the middle of taking back.
            Journal::open(&site.journal).unwrap().take_back_some(&folder, gone).unwrap();
            let left = Journal::open(&site.journal).unwrap().take_back(&folder, false).unwrap();
            assert!(left.is_empty(), "{left:?}");
            assert_eq!(seen(&site.root), before, "after {written} written and {gone} taken back");
            assert!(!site.journal.exists());
        }
    }

    #[test]
    fn after_an_end_in_the_middle_it_goes_on() {
        let (site, files) = change();
        let folder = SiteFolder::open(&site.root).unwrap();
        let journal = Journal::begin(&site.journal, &folder, files.clone()).unwrap();
        journal.publish_some(&folder, 3).unwrap();
        let page = fs::read_to_string(site.root.join("index.html")).unwrap();
        assert_eq!(page, "old page", "pages come last");
        let mut journal = Journal::open(&site.journal).unwrap();
        assert!(!journal.is_done());
        journal.publish(&folder).unwrap();
        assert!(Journal::open(&site.journal).unwrap().is_done());
        assert_eq!(fs::read_to_string(site.root.join("index.html")).unwrap(), "new page");
        let mode = fs::metadata(site.root.join("index.html")).unwrap().mode() & 0o777;
        assert_eq!(mode, 0o640, "who may read it stays");
        let again = Journal::begin(&site.journal, &folder, files).unwrap_err();
        assert!(matches!(again, PublishError::Taken(_)), "{again}");
    }

    #[test]
    fn what_somebody_wrote_meanwhile_is_told_and_stays() {
        let (site, files) = change();
        let folder = SiteFolder::open(&site.root).unwrap();
        fs::write(site.root.join("index.html"), "theirs").unwrap();
        let refused = Journal::begin(&site.journal, &folder, files).unwrap_err();
        assert!(refused.to_string().contains("index.html"), "{refused}");
        assert!(matches!(Journal::open(&site.journal), Err(PublishError::Nothing(_))));

        let (site, files) = change();
        let folder = SiteFolder::open(&site.root).unwrap();
        let mut journal = Journal::begin(&site.journal, &folder, files).unwrap();
        fs::write(site.root.join("a/style.css"), "theirs").unwrap();
        assert!(matches!(journal.publish(&folder), Err(PublishError::Changed(_))));
        assert!(!site.root.join("v").exists(), "nothing was written");

        let (site, files) = change();
        let folder = SiteFolder::open(&site.root).unwrap();
        let mut journal = Journal::begin(&site.journal, &folder, files).unwrap();
        journal.publish(&folder).unwrap();
        let theirs = "theirs, with v/1.webp in it";
        fs::write(site.root.join("index.html"), theirs).unwrap();
        let left = journal.take_back(&folder, false).unwrap();
        assert_eq!(left, ["index.html", "v/1.webp"], "with what it names, and nothing else");
        assert_eq!(fs::read_to_string(site.root.join("index.html")).unwrap(), theirs);
        assert!(site.root.join("v/1.webp").exists() && !site.root.join("v/2.webp").exists());
        assert_eq!(fs::read_to_string(site.root.join("a/style.css")).unwrap(), "old style");
        let journal = Journal::open(&site.journal).unwrap();
        assert!(journal.take_back(&folder, true).unwrap().is_empty());
        assert_eq!(fs::read_to_string(site.root.join("index.html")).unwrap(), "old page");
        assert!(!site.root.join("v").exists());
    }

    #[test]
    fn a_file_that_another_change_counts_on_stays_with_it() {
        let (site, files) = change();
        let before = seen(&site.root);
        let folder = SiteFolder::open(&site.root).unwrap();
        let mut first = Journal::begin(&site.journal, &folder, files).unwrap();
        first.publish(&folder).unwrap();
        // The second one finds the file there.
        let page = "<img src='v/1.webp'>";
        let files = vec![
            new("other.html", StepKind::Page, None, page),
            new("v/1.webp", StepKind::File, Some("one"), "one"),
        ];
        let home = site.journal.with_file_name("second");
        let mut second = Journal::begin(&home, &folder, files).unwrap();
        second.publish(&folder).unwrap();
        assert_eq!(first.take_back(&folder, false).unwrap(), ["v/1.webp"]);
        assert_eq!(fs::read_to_string(site.root.join("index.html")).unwrap(), "old page");
        assert!(site.root.join("v/1.webp").exists() && !site.root.join("v/2.webp").exists());
        assert!(second.take_back(&folder, false).unwrap().is_empty());
        let first = Journal::open(&site.journal).unwrap();
        assert!(first.take_back(&folder, false).unwrap().is_empty(), "nothing names it any more");
        assert_eq!(seen(&site.root), before);
    }

    /// Set where this program is the one that is killed: the folders of the site and of the journal.
    const VICTIM: &str = "BRISK_MARGIN_TEST_PUBLISHES";

    fn many_files() -> Vec<NewFile> {
        let page = new("index.html", StepKind::Page, Some("old page"), "new page");
        let style = new("a/style.css", StepKind::Style, Some("old style"), "new style");
        let files = (0..40).map(|n| {
            let file = new(&format!("v/{}/{n}.webp", n % 3), StepKind::File, None, "");
            NewFile { bytes: vec![n as u8; 60_000], ..file }
        });
        files.chain([page, style]).collect()
    }

    #[test]
    fn a_program_that_is_killed_at_any_moment_leaves_what_can_go_on_and_go_back() {
        if let Ok(folders) = std::env::var(VICTIM) {
            let (root, journal) = folders.split_once(':').unwrap();
            let folder = SiteFolder::open(Path::new(root)).unwrap();
            let begun = Journal::begin(Path::new(journal), &folder, many_files()).unwrap();
            { begun }.publish(&folder).unwrap();
            return;
        }
        let own = std::env::current_exe().unwrap();
        let name = "publishing::journal::tests::\
            a_program_that_is_killed_at_any_moment_leaves_what_can_go_on_and_go_back";
        let mut wholes = 0;
        for round in 0..20_u64 {
            let (site, _) = change();
            let before = seen(&site.root);
            let folders = format!("{}:{}", site.root.display(), site.journal.display());
            let mut victim = std::process::Command::new(&own);
            victim.args([name, "--exact"]).env(VICTIM, folders);
            victim.stdout(std::process::Stdio::null()).stderr(std::process::Stdio::null());
            let mut victim = victim.spawn().unwrap();
            // Spread over the time that it takes, and a little more.
            std::thread::sleep(std::time::Duration::from_millis(5 + round * round));
            victim.kill().unwrap();
            victim.wait().unwrap();
            let folder = SiteFolder::open(&site.root).unwrap();
            let page = fs::read_to_string(site.root.join("index.html")).unwrap();
            assert!(page == "old page" || page == "new page", "{page}");
            if page == "new page" {
                wholes += 1;
                assert!(site.root.join("v/0/39.webp").exists(), "a page names what is there");
            }
            match Journal::open(&site.journal) {
                // It had not begun.
                Err(PublishError::Nothing(_)) => assert_eq!(seen(&site.root), before),
                Err(error) => panic!("{error}"),
                Ok(mut journal) => {
                    if round % 2 == 0 {
                        journal.publish(&folder).unwrap();
                        let page = fs::read_to_string(site.root.join("index.html")).unwrap();
                        assert_eq!(page, "new page");
                    }
                    assert!(journal.take_back(&folder, false).unwrap().is_empty());
                    assert_eq!(seen(&site.root), before, "round {round}");
                }
            }
        }
        assert!(wholes < 20, "some were killed before their end");
    }

    #[test]
    fn what_cannot_be_written_is_told_and_what_was_written_goes_back() {
        let (site, files) = change();
        let before = seen(&site.root);
        let folder = SiteFolder::open(&site.root).unwrap();
        let mut journal = Journal::begin(&site.journal, &folder, files).unwrap();
        // A file stands where a folder is needed.
        fs::write(site.root.join("v"), "theirs").unwrap();
        let error = journal.publish(&folder).unwrap_err();
        assert!(error.to_string().contains("v/1.webp"), "{error}");
        let page = fs::read_to_string(site.root.join("index.html")).unwrap();
        assert_eq!(page, "old page", "no page names a file that is not there");
        fs::remove_file(site.root.join("v")).unwrap();
        assert!(journal.take_back(&folder, false).unwrap().is_empty());
        assert_eq!(seen(&site.root), before);
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(40))]
        #[test]
        fn any_site_is_as_it_was_after_publishing_and_taking_back(
            there in prop::collection::btree_map("[a-c]/[a-d]{1,2}", "[a-z]{0,8}", 1..8),
            written in prop::collection::btree_map("[a-e]/[a-d]{1,2}", "[A-Z]{0,8}", 1..8),
            ended in 0usize..9,
        ) {
            let files: Vec<(&str, &str)> =
                there.iter().map(|(path, text)| (path.as_str(), text.as_str())).collect();
            let site = site(&files);
            let before = seen(&site.root);
            let folder = SiteFolder::open(&site.root).unwrap();
            let kinds = [StepKind::File, StepKind::Style, StepKind::Page];
            let news = written.iter().enumerate().map(|(n, (path, text))| {
                new(path, kinds[n % 3], there.get(path).map(String::as_str), text)
            });
            let journal = Journal::begin(&site.journal, &folder, news.collect()).unwrap();
            journal.publish_some(&folder, ended).unwrap();
            let left = Journal::open(&site.journal).unwrap().take_back(&folder, false).unwrap();
            prop_assert!(left.is_empty());
            prop_assert_eq!(seen(&site.root), before);
        }
    }
}
