//! The command line of `brisk-margin`.

mod client;
pub mod commands;
pub mod home;
mod metrics;
mod server;
