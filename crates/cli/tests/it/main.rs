//! The binary as its users call it.

mod architecture;
mod archives;
mod codecs;
mod fit;
mod outside_programs;
mod shell;
