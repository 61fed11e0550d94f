//! Codec processes: untrusted bytes are parsed in confined processes of their own.
//!
//! Each is a program that calls [`child::run`], gives up what [`confinement`] names, and is kept warm
//! by [`Processes`], with a limit on memory and on time for each job. A crash, a runaway, a hunger
//! for memory or an attack costs the picture that caused it. Archives are read by [`ArchiveProcesses`],
//! and encoders from outside run by [`Programs`].

mod archives;
pub mod child;
pub mod confinement;
mod processes;
mod program_confinement;
mod programs;
mod wire;

pub use archives::ArchiveProcesses;
pub use confinement::Unconfined;
pub use processes::{Limits, PATIENCE, Processes};
pub use programs::Programs;
