//! What a shell, `man` and a pipe get of the command line.

use std::process::{Command, Output};

use brisk_margin_core::format::Format;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_testing::pictures;

fn run(args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_brisk-margin")).args(args).output().unwrap()
}

fn text(bytes: &[u8]) -> &str {
    std::str::from_utf8(bytes).unwrap()
}

#[test]
fn the_help_of_fit_names_every_format_that_is_read_and_made() {
    let help = run(&["fit", "--help"]);
    let help = text(&help.stdout).to_lowercase();
    for name in
        SourceFormat::ALL.map(SourceFormat::name).iter().chain(&Format::OWN.map(Format::name))
    {
        assert!(help.contains(name), "{name} is not named");
    }
}

#[test]
fn a_shell_can_complete_every_command() {
    for shell in ["bash", "fish", "zsh"] {
        let script = run(&["completions", shell]);
        assert!(script.status.success());
        for command in ["serve", "measure", "fit", "blobs"] {
            assert!(text(&script.stdout).contains(command), "{shell} does not know {command}");
        }
    }
}

#[test]
fn every_command_has_a_manual_page() {
    let folder = tempfile::tempdir().unwrap();
    let written = run(&["manual", folder.path().to_str().unwrap()]);
    assert!(written.status.success(), "{}", text(&written.stderr));
    let page = std::fs::read_to_string(folder.path().join("brisk-margin-fit.1")).unwrap();
    assert!(page.contains("grade") && page.contains("Examples"));
}

#[test]
fn in_a_pipe_nothing_but_answers_is_printed() {
    let folder = tempfile::tempdir().unwrap();
    let picture = folder.path().join("dome.png");
    std::fs::write(&picture, pictures::gradient_png(60, 40)).unwrap();
    let out = folder.path().join("made");
    let args = [picture.to_str().unwrap(), "--slot", "30x20", "--out", out.to_str().unwrap()];
    let made = run(&[&["fit"], &args[..]].concat());
    assert!(made.status.success());
    assert_eq!(text(&made.stderr), "");
    assert_eq!(text(&made.stdout).lines().count(), 1);
}
