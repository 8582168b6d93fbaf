//! Writing whole files, and saying in plain words why something could not be written.

use amber_core::digits::bytes;
use rustix::fs::{Mode, OFlags};
use std::fs::{self, File, OpenOptions};
use std::io::{self, Read, Write};
use std::path::Path;

/// The longest text or take that is read into memory.
pub const LONGEST: u64 = 4_000_000_000;

/// The longest bench that is read.
pub const BENCH: u64 = 1_000_000;

/// Why the system refused, and what to do about it.
pub fn remedy(error: &io::Error) -> String {
    match error.kind() {
        io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => "the disk is full, make room".into(),
        io::ErrorKind::FileTooLarge => "the file may not grow further here: choose another disk".into(),
        io::ErrorKind::PermissionDenied => "you may not write there, choose another folder".into(),
        io::ErrorKind::ReadOnlyFilesystem => "that disk is read-only, choose another folder".into(),
        io::ErrorKind::NotFound => "there is no such folder, make it or choose another".into(),
        io::ErrorKind::IsADirectory => "that is a folder, choose another name".into(),
        _ => error.to_string(),
    }
}

/// Why the system did not let a file be read, and what to do about it.
pub fn unread(error: &io::Error) -> String {
    match error.kind() {
        io::ErrorKind::PermissionDenied => "you may not read it, ask who owns it".into(),
        io::ErrorKind::IsADirectory => "that is a folder, give a file".into(),
        io::ErrorKind::NotFound => "it is not there".into(),
        io::ErrorKind::UnexpectedEof => "it became shorter while it was read".into(),
        _ => error.to_string(),
    }
}

/// Bytes that may still be written to the disk of `folder`, or of the nearest folder above it that is there; `None` where
/// the system does not say.
pub fn free(folder: &Path) -> Option<u64> {
    let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let there = folder.ancestors().find(|folder| folder.exists()).filter(|folder| !folder.as_os_str().is_empty());
    let disk = rustix::fs::statvfs(there.unwrap_or(Path::new("."))).ok()?;
    disk.f_bavail.checked_mul(disk.f_frsize)
}

/// Reads a file that another may have put there: only a regular one, and only when it has at most `limit` bytes.
///
/// # Errors
/// What the system says, or what it is instead, as an error of another kind.
pub fn read(path: &Path, limit: u64) -> io::Result<Vec<u8>> {
    read_opened(open(path, OFlags::empty())?, limit)
}

/// The same for a file in a folder that is not trusted: a link is not followed.
pub(crate) fn read_own(path: &Path, limit: u64) -> io::Result<Vec<u8>> {
    read_opened(open(path, OFlags::NOFOLLOW)?, limit)
}

/// Opens a regular file for reading; never waits for anybody, as opening a pipe would.
pub(crate) fn open(path: &Path, flags: OFlags) -> io::Result<File> {
    let flags = flags | OFlags::RDONLY | OFlags::NONBLOCK | OFlags::NOCTTY | OFlags::CLOEXEC;
    let file = File::from(rustix::fs::open(path, flags, Mode::empty()).map_err(|error| match error {
        rustix::io::Errno::LOOP => io::Error::other("it is a link, which is not followed here"),
        error => error.into(),
    })?);
    let kind = file.metadata()?.file_type();
    match () {
        () if kind.is_file() => Ok(file),
        () if kind.is_dir() => Err(io::ErrorKind::IsADirectory.into()),
        () => Err(io::Error::other("it is not a regular file")),
    }
}

fn read_opened(file: File, limit: u64) -> io::Result<Vec<u8>> {
    let length = file.metadata()?.len();
    let too_long = || io::Error::other(format!("it is longer than {}, which is not plausible", bytes(limit)));
    if length > limit {
        return Err(too_long());
    }
    let mut text = Vec::with_capacity(length as usize);
    // It may grow meanwhile.
    file.take(limit + 1).read_to_end(&mut text)?;
    if text.len() as u64 > limit { Err(too_long()) } else { Ok(text) }
}

/// Puts `bytes` into `path`, in place of what is there: written beside it, put onto the disk, then moved to its place,
/// so that one of the two is there whole whatever happens. A link to a file stays one.
///
/// # Errors
/// What the system says; what was there is then untouched.
pub fn replace(path: &Path, bytes: &[u8]) -> io::Result<()> {
    replace_here(&fs::canonicalize(path).unwrap_or_else(|_| path.to_path_buf()), bytes)
}

/// The same, but a link is replaced itself.
pub(crate) fn replace_here(path: &Path, bytes: &[u8]) -> io::Result<()> {
    if path.is_dir() {
        return Err(io::ErrorKind::IsADirectory.into());
    }
    let mut beside = path.as_os_str().to_owned();
    beside.push(format!(".{}.new", std::process::id()));
    let beside = Path::new(&beside);
    // Never through something that another put there.
    let mut file = OpenOptions::new().write(true).create_new(true).open(beside)?;
    let mut write = || {
        if let Ok(old) = fs::symlink_metadata(path).map(|old| old.permissions()) {
            // Where that cannot be set, the file is as private as new files are.
            let _ = file.set_permissions(old);
        }
        file.write_all(bytes)?;
        sync(&file)?;
        fs::rename(beside, path)
    };
    let done = write();
    if done.is_err() {
        let _ = fs::remove_file(beside);
    } else if let Some(folder) = path.parent() {
        sync_folder(folder);
    }
    done
}

/// Asks the system to put a file's bytes onto the disk itself. Some file systems cannot; the bytes are written through
/// all the same.
pub(crate) fn sync(file: &File) -> io::Result<()> {
    match file.sync_data() {
        Err(error) if !matches!(error.kind(), io::ErrorKind::Unsupported | io::ErrorKind::InvalidInput) => Err(error),
        _ => Ok(()),
    }
}

/// Asks the system to put a folder's list of names onto the disk, where it can.
pub(crate) fn sync_folder(folder: &Path) {
    let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let _ = File::open(folder).and_then(|folder| folder.sync_all());
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_replaced_whole_or_not_at_all() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("a.toml");
        replace(&path, b"one").unwrap();
        let link = dir.path().join("link.toml");
        std::os::unix::fs::symlink(&path, &link).unwrap();
        replace(&link, b"two").unwrap();
        assert_eq!(fs::read(&path).unwrap(), b"two");
        assert!(fs::symlink_metadata(&link).unwrap().is_symlink());
        assert!(replace(dir.path(), b"x").is_err());
        let gone = replace(&dir.path().join("no/such"), b"x").unwrap_err();
        assert!(remedy(&gone).contains("no such folder"));
        assert_eq!(fs::read_dir(dir.path()).unwrap().count(), 2, "nothing is left beside them");
    }
}
