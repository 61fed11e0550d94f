//! Journeys through the real interface; see `tests/`.
