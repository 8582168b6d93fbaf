//! Records that describe themselves: items of CBOR (RFC 8949), nested ones flattened to paths as JSON is.

use super::super::number::Number;
use minicbor::data::Type;
use minicbor::decode::{Decoder, Error};
use std::ops::Range;

/// How deep items may nest.
const DEEPEST: usize = 8;

/// The most items that are read of one record.
const MOST_ITEMS: usize = 512;

/// The longest path of names.
const LONGEST_PATH: usize = 256;

/// What is wrong with bytes that are no record.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum NoItem {
    /// More bytes may make them one.
    Unfinished,
    /// They are none.
    Broken,
}

/// The length of the record at the start of `bytes`: a map or an array.
pub(super) fn length(bytes: &[u8]) -> Result<usize, NoItem> {
    scan(bytes, |_, _, _| {})
}

/// Gives each number and state of the record at the start of `bytes` with its path and its place; gives the length of the record.
///
/// Whole numbers, floating-point numbers, `true` and `false` are readings, `null` and `undefined` are gaps; texts and bytes are left
/// out. A name is a text or a whole number.
pub(super) fn scan(bytes: &[u8], mut found: impl FnMut(&str, Range<usize>, Number)) -> Result<usize, NoItem> {
    let mut reader = Reader { decoder: Decoder::new(bytes), path: String::new(), items: 0, found: &mut found };
    let kind = reader.decoder.datatype().map_err(no_item)?;
    if !matches!(kind, Type::Map | Type::MapIndef | Type::Array | Type::ArrayIndef) {
        return Err(NoItem::Broken);
    }
    reader.item(0)?;
    Ok(reader.decoder.position())
}

fn no_item(error: Error) -> NoItem {
    if error.is_end_of_input() { NoItem::Unfinished } else { NoItem::Broken }
}

struct Reader<'a, F> {
    decoder: Decoder<'a>,
    path: String,
    items: usize,
    found: &'a mut F,
}

impl<F: FnMut(&str, Range<usize>, Number)> Reader<'_, F> {
    fn item(&mut self, depth: usize) -> Result<(), NoItem> {
        self.items += 1;
        if depth > DEEPEST || self.items > MOST_ITEMS || self.path.len() > LONGEST_PATH {
            return Err(NoItem::Broken);
        }
        let at = self.decoder.position();
        let kind = self.decoder.datatype().map_err(no_item)?;
        let number = match kind {
            Type::Map | Type::MapIndef => {
                let count = self.decoder.map().map_err(no_item)?;
                return self.several(count, depth, true);
            }
            Type::Array | Type::ArrayIndef => {
                let count = self.decoder.array().map_err(no_item)?;
                return self.several(count, depth, false);
            }
            Type::Tag => {
                self.decoder.tag().map_err(no_item)?;
                return self.item(depth + 1);
            }
            Type::Bool => whole(f64::from(u8::from(self.decoder.bool().map_err(no_item)?))),
            Type::F16 => super::record::written(f64::from(self.decoder.f16().map_err(no_item)?), 4),
            Type::F32 => super::record::written(f64::from(self.decoder.f32().map_err(no_item)?), 6),
            Type::F64 => super::record::written(self.decoder.f64().map_err(no_item)?, 9),
            Type::Null | Type::Undefined => {
                self.decoder.skip().map_err(no_item)?;
                whole(f64::NAN)
            }
            Type::U8 | Type::U16 | Type::U32 | Type::U64 | Type::I8 | Type::I16 | Type::I32 | Type::I64 | Type::Int => {
                whole(i128::from(self.decoder.int().map_err(no_item)?) as f64)
            }
            Type::Bytes | Type::String | Type::BytesIndef | Type::StringIndef | Type::Simple => {
                return self.decoder.skip().map_err(no_item);
            }
            Type::Break | Type::Unknown(_) => return Err(NoItem::Broken),
        };
        (self.found)(&self.path, at..self.decoder.position(), number);
        Ok(())
    }

    /// The items of a map or an array; `count`: how many, where that is said beforehand.
    fn several(&mut self, count: Option<u64>, depth: usize, named: bool) -> Result<(), NoItem> {
        let length = self.path.len();
        let mut index = 0u64;
        loop {
            let is_over = match count {
                Some(count) => index >= count,
                None => self.decoder.datatype().map_err(no_item)? == Type::Break,
            };
            if is_over {
                if count.is_none() {
                    self.decoder.skip().map_err(no_item)?;
                }
                return Ok(());
            }
            let separator = if length > 0 { "." } else { "" };
            self.path.push_str(separator);
            match named {
                false => self.path.push_str(&index.to_string()),
                true => match self.decoder.datatype().map_err(no_item)? {
                    Type::String => {
                        let name = self.decoder.str().map_err(no_item)?;
                        let plain = |c: char| if c.is_whitespace() || c.is_control() { '_' } else { c };
                        self.path.extend(name.chars().take(LONGEST_PATH).map(plain));
                    }
                    Type::U8 | Type::U16 | Type::U32 | Type::U64 => {
                        self.path.push_str(&self.decoder.u64().map_err(no_item)?.to_string());
                    }
                    _ => return Err(NoItem::Broken),
                },
            }
            self.item(depth + 1)?;
            self.path.truncate(length);
            index += 1;
        }
    }
}

fn whole(value: f64) -> Number {
    Number { value, decimals: 0 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn read(bytes: &[u8]) -> Result<Vec<(String, f64)>, NoItem> {
        let mut all = Vec::new();
        scan(bytes, |path, _, number| all.push((path.to_owned(), number.value)))?;
        Ok(all)
    }

    #[test]
    fn maps_arrays_and_what_is_no_record() {
        // {"bed": 25, "imu": [1.5, -2], "on": true, "name": "x"}
        let bytes = b"\xa4\x63bed\x18\x19\x63imu\x82\xf9\x3e\x00\x21\x62on\xf5\x64name\x61x";
        let named =
            |all: &[(&str, f64)]| all.iter().map(|(name, value)| ((*name).to_owned(), *value)).collect::<Vec<_>>();
        assert_eq!(read(bytes), Ok(named(&[("bed", 25.0), ("imu.0", 1.5), ("imu.1", -2.0), ("on", 1.0)])));
        assert_eq!(read(b"\x9f\x01\x02\xff"), Ok(named(&[("0", 1.0), ("1", 2.0)])));
        assert!(read(b"\x81\xf6").unwrap()[0].1.is_nan());
        assert_eq!(read(&bytes[..9]), Err(NoItem::Unfinished));
        assert_eq!(read(b"\x18\x19"), Err(NoItem::Broken), "a number alone is no record");
        assert_eq!(read(&[0x81; 64]), Err(NoItem::Broken), "nests too deep");
        assert_eq!(length(b"\x81\x01\x81\x02"), Ok(2));
    }

    proptest! {
        #[test]
        fn any_bytes_are_survived(bytes in proptest::collection::vec(any::<u8>(), 0..80)) {
            if let Ok(length) = length(&bytes) {
                prop_assert!(length <= bytes.len());
            }
        }
    }
}
