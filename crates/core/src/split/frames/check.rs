//! Checks at the end of a frame: sums and CRCs by the names of their parameter sets.

use crc::{Crc, Table};

/// How a check is worked out. All are known by a name.
#[derive(Clone, Copy, PartialEq, Eq)]
pub struct CheckKind(usize);

struct Known {
    name: &'static str,
    /// Bytes.
    width: usize,
    of: fn(&[u8]) -> u64,
}

macro_rules! cyclic {
    ($name:literal, $bits:ty, $set:ident) => {
        Known {
            name: $name,
            width: size_of::<$bits>(),
            of: |bytes| {
                static CRC: Crc<$bits, Table<16>> = Crc::<$bits, Table<16>>::new(&crc::$set);
                u64::from(CRC.checksum(bytes))
            },
        }
    };
}

fn sum(bytes: &[u8]) -> u64 {
    bytes.iter().map(|byte| u64::from(*byte)).sum()
}

/// The wider ones first: what a wide one explains is no accident.
static KNOWN: [Known; 18] = [
    cyclic!("crc-32/iso-hdlc", u32, CRC_32_ISO_HDLC),
    cyclic!("crc-32/iscsi", u32, CRC_32_ISCSI),
    cyclic!("crc-32/mpeg-2", u32, CRC_32_MPEG_2),
    cyclic!("crc-32/bzip2", u32, CRC_32_BZIP2),
    cyclic!("crc-16/modbus", u16, CRC_16_MODBUS),
    cyclic!("crc-16/ibm-3740", u16, CRC_16_IBM_3740),
    cyclic!("crc-16/xmodem", u16, CRC_16_XMODEM),
    cyclic!("crc-16/kermit", u16, CRC_16_KERMIT),
    cyclic!("crc-16/arc", u16, CRC_16_ARC),
    cyclic!("crc-16/ibm-sdlc", u16, CRC_16_IBM_SDLC),
    cyclic!("crc-16/usb", u16, CRC_16_USB),
    Known { name: "sum16", width: 2, of: |bytes| sum(bytes) & 0xffff },
    cyclic!("crc-8/smbus", u8, CRC_8_SMBUS),
    cyclic!("crc-8/maxim-dow", u8, CRC_8_MAXIM_DOW),
    cyclic!("crc-8/autosar", u8, CRC_8_AUTOSAR),
    Known { name: "sum8", width: 1, of: |bytes| sum(bytes) & 0xff },
    // All bytes and the check add up to 0.
    Known { name: "sum8-negative", width: 1, of: |bytes| sum(bytes).wrapping_neg() & 0xff },
    Known { name: "xor8", width: 1, of: |bytes| u64::from(bytes.iter().fold(0, |all, byte| all ^ byte)) },
];

impl CheckKind {
    /// All of them, the wider ones first.
    pub fn all() -> impl Iterator<Item = CheckKind> {
        (0..KNOWN.len()).map(CheckKind)
    }

    /// The one of this name, in any case.
    pub fn named(name: &str) -> Option<CheckKind> {
        KNOWN.iter().position(|known| known.name.eq_ignore_ascii_case(name)).map(CheckKind)
    }

    /// Its name; for a CRC that of the catalogue of parametrised CRC algorithms.
    pub fn name(self) -> &'static str {
        KNOWN[self.0].name
    }

    /// How many bytes it takes, 1, 2 or 4.
    pub fn width(self) -> usize {
        KNOWN[self.0].width
    }

    /// The check of `bytes`.
    #[inline]
    pub fn of(self, bytes: &[u8]) -> u64 {
        (KNOWN[self.0].of)(bytes)
    }
}

impl std::fmt::Debug for CheckKind {
    fn fmt(&self, to: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        to.write_str(self.name())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_check_words_of_the_catalogue() {
        let of = |name| CheckKind::named(name).unwrap().of(b"123456789");
        for (name, word) in [
            ("crc-32/iso-hdlc", 0xcbf4_3926),
            ("CRC-32/MPEG-2", 0x0376_e6e7),
            ("crc-16/modbus", 0x4b37),
            ("crc-16/ibm-3740", 0x29b1),
            ("crc-16/xmodem", 0x31c3),
            ("crc-8/smbus", 0xf4),
            ("sum8", 0xdd),
            ("sum8-negative", 0x23),
            ("xor8", 0x31),
        ] {
            assert_eq!(of(name), word, "{name}");
        }
        assert_eq!(CheckKind::named("crc-16"), None);
        assert!(CheckKind::all().all(|kind| kind.of(b"") < 1 << (8 * kind.width())));
    }
}
