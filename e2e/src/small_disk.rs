//! A disk that is soon full, and a folder that cannot be written.

use std::fs::File;
use std::io::Write;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::process::Command;

/// A small disk in memory, taken off with the value.
pub struct SmallDisk(PathBuf);

impl SmallDisk {
    /// One of so many MB over `folder`; nothing where only root could mount it and somebody said that
    /// such tests are left out.
    ///
    /// # Panics
    /// Where nobody said so: a test would pass untried.
    pub fn mounted(folder: &Path, megabytes: u32) -> Option<Self> {
        if std::fs::metadata("/proc/self").expect("there are processes").uid() != 0 {
            let left_out = std::env::var_os("BRISK_MARGIN_TEST_WITHOUT_ROOT").is_some();
            assert!(
                left_out,
                "only root can mount a small disk; BRISK_MARGIN_TEST_WITHOUT_ROOT=1 leaves this test out"
            );
            return None;
        }
        let mut mount = Command::new("mount");
        let size = format!("size={megabytes}m");
        let mount = mount.args(["-t", "tmpfs", "-o", &size, "tmpfs"]).arg(folder);
        assert!(
            mount.status().expect("there is mount").success(),
            "no small disk could be mounted"
        );
        Some(Self(folder.to_owned()))
    }

    /// Fills it but for so many bytes; what fills it is at the path that is returned.
    ///
    /// # Panics
    /// Where the disk does not answer.
    pub fn fill_but(&self, bytes: u64) -> PathBuf {
        let filler = self.0.join("ballast");
        let mut file = File::create(&filler).expect("there is room for a file");
        while file.write_all(&[1; 4_096]).is_ok() {}
        let length = file.metadata().expect("it is there").len();
        file.set_len(length.saturating_sub(bytes)).expect("it can be shorter");
        filler
    }
}

impl Drop for SmallDisk {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg("-l").arg(&self.0).status();
    }
}

/// A folder that can only be read, until the value is dropped.
pub struct ReadOnly(PathBuf);

impl ReadOnly {
    /// `folder`, as root alone can make it.
    ///
    /// # Panics
    /// Where the system does not let it.
    pub fn over(folder: &Path) -> Self {
        let mount = |arguments: &[&str], paths: &[&Path]| {
            let mounted = Command::new("mount").args(arguments).args(paths).status();
            assert!(mounted.expect("there is mount").success(), "the folder is not mounted");
        };
        mount(&["--bind"], &[folder, folder]);
        mount(&["-o", "remount,bind,ro"], &[folder]);
        Self(folder.to_owned())
    }
}

impl Drop for ReadOnly {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg("-l").arg(&self.0).status();
    }
}
