//! The typed HTTP client and the tempestas program.
