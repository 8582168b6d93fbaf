//! Evenly spaced channels as WAV: 32-bit floating point in their own units, a channel of sound each.

use hound::{SampleFormat, WavSpec, WavWriter};
use std::io::{self, Cursor};

/// Writes `channels`, all as long as the first, at `rate` values a second. A gap is 0, for which this form has no other sign.
///
/// # Errors
/// When the rate is no whole number of values a second that the form can say, or there are too many channels or values.
pub fn wav(channels: &[Vec<f64>], rate: f64) -> io::Result<Vec<u8>> {
    let broken = |error: hound::Error| io::Error::other(error.to_string());
    let whole = rate.round();
    if !(1.0..=f64::from(u32::MAX)).contains(&whole) || channels.is_empty() || channels.len() > 64 {
        return Err(io::Error::other("WAV holds 1 to 64 channels of at least 1 value a second"));
    }
    let spec = WavSpec {
        channels: channels.len() as u16,
        sample_rate: whole as u32,
        bits_per_sample: 32,
        sample_format: SampleFormat::Float,
    };
    let mut out = Cursor::new(Vec::new());
    let mut writer = WavWriter::new(&mut out, spec).map_err(broken)?;
    let length = channels.iter().map(Vec::len).min().unwrap_or(0);
    for row in 0..length {
        for channel in channels {
            let value = channel[row];
            writer.write_sample(if value.is_nan() { 0.0 } else { value as f32 }).map_err(broken)?;
        }
    }
    writer.finalize().map_err(broken)?;
    Ok(out.into_inner())
}
