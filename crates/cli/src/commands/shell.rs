//! What a shell and `man` know of the command line.

use std::fs;
use std::io;
use std::path::PathBuf;

use clap::{Args, Command};
use clap_complete::Shell;

use crate::home::Failure;

/// Prints what completes commands in a shell
#[derive(Args)]
pub struct Completions {
    /// The shell
    shell: Shell,
}

impl Completions {
    pub(super) fn run(&self, mut command: Command) {
        let name = command.get_name().to_owned();
        clap_complete::generate(self.shell, &mut command, name, &mut io::stdout());
    }
}

/// Writes a manual page for each command
#[derive(Args)]
pub struct Manual {
    /// The folder for them, as in ~/.local/share/man/man1
    folder: PathBuf,
}

impl Manual {
    pub(super) fn run(&self, command: Command) -> Result<(), Failure> {
        fs::create_dir_all(&self.folder)?;
        Ok(clap_mangen::generate_to(command, &self.folder)?)
    }
}
