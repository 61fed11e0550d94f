//! Names features of dependencies and has no code.
