//! The `brisk-margin` binary.

use std::process::ExitCode;

fn main() -> ExitCode {
    brisk_margin_cli::commands::run()
}
