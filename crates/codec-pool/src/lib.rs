//! Codec processes: C code meets untrusted bytes in processes of its own.
//!
//! Each is a program that calls [`child::run`], kept warm by [`Processes`], with a limit on memory
//! and on time for each job. A crash, a runaway or a hunger for memory costs the picture that
//! caused it.

pub mod child;
mod processes;
mod wire;

pub use processes::{Limits, PATIENCE, Processes};
