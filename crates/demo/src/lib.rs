//! Starts the real programs with the Quillhaven sample world.
