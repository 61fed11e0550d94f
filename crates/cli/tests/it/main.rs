//! The binary as its users call it.

mod architecture;
mod codecs;
mod fit;
mod shell;
