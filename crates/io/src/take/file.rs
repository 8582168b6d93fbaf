//! A file that another program wrote, opened like a take: a text of lines, delimited or not, or sound.

use super::TakeError;
use super::about::About;
use super::bytes::Bytes;
use super::reader::{OpenedTake, whole};
use super::wire::{Event, Piece};
use crate::disk;
use amber_core::Stamp;
use amber_core::bench::{Bench, SourceSettings};
use amber_core::clock::Time;
use amber_core::digits::counted;
use std::io;
use std::path::Path;

/// Samples of sound that are read.
const MOST_SAMPLES: u64 = 200_000_000;

/// Opens a file. Its rows have the times that the clock in them tells, else an assumed rate; those of sound have that of
/// the sound.
///
/// # Errors
/// When it cannot be read, or is neither.
pub fn open_file(path: &Path) -> Result<OpenedTake, TakeError> {
    let failed = |error| TakeError::Unreadable(path.into(), error);
    let text = Bytes::of_file(path).map_err(failed)?;
    let mut head = Vec::new();
    text.read(0..text.len().min(12), &mut head).map_err(failed)?;
    let is_sound = head.starts_with(b"RIFF") && head.ends_with(b"WAVE");
    let (wire, bench, told) = if is_sound {
        let sound = disk::read(path, disk::LONGEST).map_err(failed)?;
        let (text, bench, told) = lines_of(&sound).map_err(failed)?;
        (Bytes::in_memory(text), bench, told)
    } else {
        (text, Bench::default(), Vec::new())
    };
    let (length, start) = (wire.len(), Stamp(0));
    let end = Piece { at: start, bytes: length..length, event: Some(Event::Ended), is_unread: false };
    Ok(OpenedTake {
        folder: path.to_path_buf(),
        handle: None,
        about: About::default(),
        bench,
        start,
        pieces: [whole(start, length), end].into(),
        wire,
        marks: Vec::new(),
        stations: Vec::new(),
        sent: [].into(),
        from_table: false,
        grows: false,
        told,
    })
}

/// Sound as lines of numbers, with settings that say its rate, and what is to be said of it.
fn lines_of(bytes: &[u8]) -> io::Result<(Vec<u8>, Bench, Vec<String>)> {
    let broken = |error: hound::Error| io::Error::other(format!("it is no sound that can be read: {error}"));
    let mut reader = hound::WavReader::new(bytes).map_err(broken)?;
    let spec = reader.spec();
    let columns = usize::from(spec.channels.max(1));
    if u64::from(reader.len()) > MOST_SAMPLES {
        return Err(io::Error::other(format!(
            "it holds {}, which is too long",
            counted(reader.len().into(), "sample")
        )));
    }
    let mut text = Vec::with_capacity(reader.len() as usize * 6);
    let mut put = |at: usize, value: f64| {
        amber_core::digits::write_shortest(value + 0.0, &mut text);
        text.push(if (at + 1).is_multiple_of(columns) { b'\n' } else { b',' });
    };
    let mut damaged = 0;
    match spec.sample_format {
        hound::SampleFormat::Float => {
            for (at, value) in reader.samples::<f32>().enumerate() {
                // What is cut off at its end is no sample.
                let Ok(value) = value else {
                    damaged += 1;
                    break;
                };
                put(at, f64::from(value));
            }
        }
        hound::SampleFormat::Int => {
            for (at, value) in reader.samples::<i32>().enumerate() {
                let Ok(value) = value else {
                    damaged += 1;
                    break;
                };
                put(at, f64::from(value));
            }
        }
    }
    let time = Time::Rate { hz: f64::from(spec.sample_rate) };
    let shape = format!("plain comma {columns}").parse().ok();
    let split = shape.map_or(amber_core::bench::Split::Auto, amber_core::bench::Split::Pinned);
    let bench = Bench::of(SourceSettings { time, split, ..SourceSettings::default() });
    let told = if damaged > 0 { vec!["the sound is cut off at its end".to_owned()] } else { Vec::new() };
    Ok((text, bench, told))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sound_and_text_open_like_takes_and_damage_is_told() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("a.wav");
        let sound = crate::export::wav(&[vec![0.5, -0.25, 3.0], vec![1.0, 2.0, 3.0]], 8000.0).unwrap();
        std::fs::write(&path, &sound).unwrap();
        let take = open_file(&path).unwrap();
        assert_eq!(take.wire.to_vec().unwrap(), b"0.5,1\n-0.25,2\n3,3\n");
        let table = String::from_utf8(take.decode().unwrap()).unwrap();
        assert!(table.contains("\r\n0.000125,,-0.25,2\r\n"), "{table}");
        std::fs::write(&path, &sound[..sound.len() - 3]).unwrap();
        assert!(open_file(&path).is_err() || !open_file(&path).unwrap().told.is_empty());
        std::fs::write(&path, b"RIFF....WAVEnonsense").unwrap();
        assert!(open_file(&path).unwrap_err().to_string().contains("no sound"));
        std::fs::write(&path, b"x;y\n1,5;2\n2,5;3\n3,5;4\n4,5;5").unwrap();
        let table = String::from_utf8(open_file(&path).unwrap().decode().unwrap()).unwrap();
        assert!(table.contains(",x,y\r\n") && table.trim_end().ends_with(",4.5,5"), "{table}");
        assert!(open_file(dir.path()).is_err());
    }
}
