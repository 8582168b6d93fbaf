//! What a line looks like at the wrong speed: bits are taken at the wrong moments, so bytes come out as others, most
//! of them not text.

use crate::noise::Noise;

/// Turns the board's bytes into those that a host at another speed would see.
pub(crate) struct Garbler(Noise);

impl Garbler {
    pub(crate) fn new() -> Self {
        Garbler(Noise::new(0xBAD_BA0D))
    }

    /// Garbles in place, and to another length: a slow host sees fewer bytes than were sent, a fast one more.
    pub(crate) fn garble(&mut self, bytes: &mut Vec<u8>, sent_at: u32, heard_at: u32) {
        let share = (f64::from(heard_at) / f64::from(sent_at)).clamp(0.1, 2.0);
        let length = (bytes.len() as f64 * share).ceil() as usize;
        bytes.resize(length, 0x55);
        for byte in bytes {
            let noise = self.0.byte();
            *byte = if noise & 3 == 0 { noise >> 1 } else { byte.rotate_left(3) ^ noise | 0x80 };
        }
    }
}
