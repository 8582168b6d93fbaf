//! Writing a bench into its file.

use amber_core::bench::Bench;
use amber_io::disk;
use std::path::Path;

/// What became of saving a bench.
pub(crate) enum Saved {
    /// It is in its file.
    Yes,
    /// There is another one, which nobody said to replace.
    OtherThere,
}

/// Saves `bench` in `path`: into the bench that is there, whose comments stay, or as a new file. `may_replace`: the
/// person knows that there is one.
///
/// # Errors
/// A sentence: what is there is no bench, or the system says no.
pub(crate) fn bench(path: &Path, bench: &Bench, may_replace: bool) -> Result<Saved, String> {
    let text = match disk::read(path, disk::BENCH).map(|text| String::from_utf8_lossy(&text).into_owned()) {
        Ok(old) => {
            let is_none =
                |error| format!("{} exists and is not a bench ({error}): choose another name", path.display());
            let text = bench.write_into(&old).map_err(is_none)?;
            if !may_replace {
                return Ok(Saved::OtherThere);
            }
            text
        }
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => bench.new_file("Amber Tap bench"),
        Err(error) => return Err(format!("cannot read {}: {}", path.display(), disk::unread(&error))),
    };
    disk::replace(path, text.as_bytes())
        .map(|()| Saved::Yes)
        .map_err(|error| format!("cannot write {}: {}", path.display(), disk::remedy(&error)))
}
