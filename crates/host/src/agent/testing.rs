//! A host for tests, whose files lie in a directory.

use std::{fs, os::unix::fs::PermissionsExt as _};

use super::Host;

/// What a host may be asked to do where a test says nothing of it.
const BOUNDS: &str = "installation = \"pier\"\ntarget = \"t7\"\nservice = \"tempestas\"\nlongest = \"8h\"\n";

/// A host with these files: where, what, and their modes.
pub(super) fn host(files: &[(&str, &str, u32)]) -> (tempfile::TempDir, Host) {
    let root = tempfile::tempdir().expect("a directory");
    for (path, text, mode) in files.iter().chain(&[("etc/tempestas/host.toml", BOUNDS, 0o644)]) {
        let file = root.path().join(path);
        fs::create_dir_all(file.parent().expect("a place")).expect("a directory");
        fs::write(&file, text).expect("a file");
        fs::set_permissions(&file, fs::Permissions::from_mode(*mode)).expect("its mode");
    }
    let opened = Host::open(root.path()).expect("a host");
    (root, opened)
}
