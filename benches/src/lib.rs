//! Nothing but benches.
