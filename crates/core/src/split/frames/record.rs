//! What the bytes of a record are: fields of any width in bits, in either order, as a short text says.
//!
//! `little n:count8 gauge:u12 bed:u12 speed:f32 paddle:bit pump:bit -:u6 adc:u16x4`

use super::super::number::Number;
use super::super::read::Cells;
use super::super::shape::MAX_FIELDS;
use super::super::spelling::NotAShape;
use std::fmt;
use std::ops::Range;

/// The longest record, in bytes.
const LONGEST: usize = 2048;

/// The order in which the bytes of a number come, and bits within a byte.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Order {
    /// The least significant first.
    #[default]
    Little,
    /// The most significant first.
    Big,
}

impl Order {
    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Order::Little => "little",
            Order::Big => "big",
        }
    }

    /// The whole number that up to eight bytes make.
    #[inline]
    pub(super) fn number(self, bytes: &[u8]) -> u64 {
        let add = |all: u64, byte: &u8| all << 8 | u64::from(*byte);
        match self {
            Order::Little => bytes.iter().rev().fold(0, add),
            Order::Big => bytes.iter().fold(0, add),
        }
    }
}

/// What a field's bits are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FieldKind {
    /// A whole number without a sign.
    Unsigned,
    /// One in two's complement.
    Signed,
    /// One of IEEE 754, of 32 or 64 bits.
    Float,
    /// Counts frames, so that those that are missing can be counted: no channel.
    Count,
}

/// A field, or several of a kind in a row.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Field {
    /// Its name; empty for bits that are not read.
    pub name: String,
    /// What it is.
    pub kind: FieldKind,
    /// How wide, 1 to 64.
    pub bits: u8,
    /// How often it comes, with `_0`, `_1` … behind its name where more than once.
    pub times: u8,
}

/// Where a number stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Place {
    bit: u32,
    bits: u8,
    kind: FieldKind,
    load: Load,
}

/// How it is read: nearly all are whole numbers of whole bytes of a usual width.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Load {
    Byte,
    Little16,
    Big16,
    SignedLittle16,
    SignedBig16,
    Other,
}

impl Load {
    fn of(bit: u32, field: &Field, order: Order) -> Load {
        match (field.kind, field.bits, order) {
            _ if !bit.is_multiple_of(8) => Load::Other,
            (FieldKind::Unsigned | FieldKind::Count, 8, _) => Load::Byte,
            (FieldKind::Unsigned | FieldKind::Count, 16, Order::Little) => Load::Little16,
            (FieldKind::Unsigned | FieldKind::Count, 16, Order::Big) => Load::Big16,
            (FieldKind::Signed, 16, Order::Little) => Load::SignedLittle16,
            (FieldKind::Signed, 16, Order::Big) => Load::SignedBig16,
            _ => Load::Other,
        }
    }
}

/// The fields of a record, in their order, without gaps between.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Record {
    order: Order,
    fields: Vec<Field>,
    names: Vec<String>,
    places: Vec<Place>,
    count: Option<Place>,
    /// Some are not read the short way.
    has_others: bool,
    bytes: usize,
}

impl Record {
    /// A record of these fields.
    ///
    /// # Errors
    /// What is wrong with them, in a sentence.
    pub fn new(order: Order, fields: Vec<Field>) -> Result<Record, NotAShape> {
        let wrong = |text: String| Err(NotAShape(text));
        let (mut names, mut places, mut count, mut bit) = (Vec::<String>::new(), Vec::new(), None, 0u32);
        for field in &fields {
            for i in 0..field.times {
                let place = Place { bit, bits: field.bits, kind: field.kind, load: Load::of(bit, field, order) };
                bit += u32::from(field.bits);
                if bit as usize > LONGEST * 8 {
                    return wrong(format!("a record has at most {LONGEST} bytes, this one has more"));
                }
                match field.kind {
                    FieldKind::Count if count.is_some() => return wrong("only one field may count the frames".into()),
                    FieldKind::Count => count = Some(place),
                    _ if field.name.is_empty() => {}
                    _ => {
                        let name = if field.times > 1 { format!("{}_{i}", field.name) } else { field.name.clone() };
                        if names.contains(&name) {
                            return wrong(format!("'{name}' appears twice"));
                        }
                        names.push(name);
                        places.push(place);
                    }
                }
            }
        }
        let bytes = bit.div_ceil(8) as usize;
        if !bit.is_multiple_of(8) {
            return wrong(format!("the fields end within a byte: add -:u{} to fill it", 8 - bit % 8));
        }
        if names.is_empty() || names.len() > MAX_FIELDS {
            return wrong(format!("a record has 1 to {MAX_FIELDS} fields with a name, this one has {}", names.len()));
        }
        let has_others = places.iter().any(|place| place.load == Load::Other);
        Ok(Record { order, fields, names, places, count, has_others, bytes })
    }

    /// The record that these words say.
    ///
    /// # Errors
    /// What is wrong with one of them, in a sentence.
    pub(super) fn from_words<'a>(order: Order, words: impl Iterator<Item = &'a str>) -> Result<Record, NotAShape> {
        Record::new(order, words.map(field).collect::<Result<_, _>>()?)
    }

    /// The order of its bytes.
    pub fn order(&self) -> Order {
        self.order
    }

    /// Its length in bytes.
    pub fn bytes(&self) -> usize {
        self.bytes
    }

    /// Its fields.
    pub fn fields(&self) -> &[Field] {
        &self.fields
    }

    /// The names of its columns.
    pub fn names(&self) -> &[String] {
        &self.names
    }

    /// Reads a record of [`Record::bytes`] bytes.
    #[inline]
    pub(super) fn read(&self, record: &[u8], cells: &mut Cells<'_>) {
        for (value, place) in cells.wholes(self.places.len()).iter_mut().zip(&self.places) {
            let at = &record[place.bit as usize / 8..];
            let pair = || at.first_chunk().copied().unwrap_or_default();
            *value = match place.load {
                Load::Byte => f64::from(at[0]),
                Load::Little16 => f64::from(u16::from_le_bytes(pair())),
                Load::Big16 => f64::from(u16::from_be_bytes(pair())),
                Load::SignedLittle16 => f64::from(i16::from_le_bytes(pair())),
                Load::SignedBig16 => f64::from(i16::from_be_bytes(pair())),
                Load::Other => continue,
            };
        }
        if self.has_others {
            let others = self.places.iter().enumerate().filter(|(_, place)| place.load == Load::Other);
            others.for_each(|(column, place)| cells.set_number(column, self.number(record, *place)));
        }
    }

    /// What the field that counts the frames says, and with how many bits.
    #[inline]
    pub(super) fn count(&self, record: &[u8]) -> Option<(u64, u8)> {
        let place = self.count?;
        let at = &record[place.bit as usize / 8..];
        let pair = || at.first_chunk().copied().unwrap_or_default();
        let count = match place.load {
            Load::Byte => u64::from(at[0]),
            Load::Little16 => u64::from(u16::from_le_bytes(pair())),
            Load::Big16 => u64::from(u16::from_be_bytes(pair())),
            _ => self.bits(record, place),
        };
        Some((count, place.bits))
    }

    /// The bytes in which each column stands, with its number.
    pub(super) fn spans(&self) -> impl Iterator<Item = (Range<usize>, usize)> + '_ {
        self.places.iter().enumerate().map(|(column, place)| {
            let (from, to) = (place.bit as usize, place.bit as usize + usize::from(place.bits));
            (from / 8..to.div_ceil(8), column)
        })
    }

    #[inline]
    fn bits(&self, record: &[u8], place: Place) -> u64 {
        let (from, bits) = (place.bit as usize, usize::from(place.bits));
        let (first, last) = (from / 8, (from + bits).div_ceil(8));
        let bytes = &record[first..last];
        if from.is_multiple_of(8) && bits.is_multiple_of(8) {
            return self.order.number(bytes);
        }
        let add = |all: u128, byte: &u8| all << 8 | u128::from(*byte);
        let (all, skip) = match self.order {
            Order::Little => (bytes.iter().rev().fold(0, add), from % 8),
            Order::Big => (bytes.iter().fold(0, add), last * 8 - from - bits),
        };
        (all >> skip) as u64 & (u64::MAX >> (64 - bits))
    }

    #[inline]
    fn number(&self, record: &[u8], place: Place) -> Number {
        let bits = self.bits(record, place);
        let spare = 64 - u32::from(place.bits);
        match place.kind {
            FieldKind::Unsigned | FieldKind::Count => Number { value: bits as f64, decimals: 0 },
            FieldKind::Signed => Number { value: ((bits << spare) as i64 >> spare) as f64, decimals: 0 },
            FieldKind::Float if place.bits == 32 => written(f64::from(f32::from_bits(bits as u32)), 6),
            FieldKind::Float => written(f64::from_bits(bits), 9),
        }
    }
}

/// A binary floating-point number, with the decimals that so many of its digits take; an infinity is no reading.
pub(super) fn written(value: f64, digits: u8) -> Number {
    if !value.is_finite() {
        return Number { value: f64::NAN, decimals: 0 };
    }
    let mut decimals = if value.fract() == 0.0 { 0 } else { digits - 1 };
    let mut size = value.abs();
    while size >= 10.0 && decimals > 0 {
        (size, decimals) = (size / 10.0, decimals - 1);
    }
    Number { value, decimals }
}

/// A field as it is typed: `name:type`, `name:typexN`.
fn field(word: &str) -> Result<Field, NotAShape> {
    let wrong = |text: String| Err(NotAShape(text));
    let Some((name, kind)) = word.rsplit_once(':') else {
        return wrong(format!("'{word}' is no field: type its name and what it is, as in gauge:u16"));
    };
    let (kind, times) = match kind.rsplit_once('x') {
        Some((kind, times)) => (kind, times.parse::<u8>().ok().filter(|times| *times > 0)),
        None => (kind, Some(1)),
    };
    let Some(times) = times else {
        return wrong(format!("'{word}': type how often it comes behind the x, as in gauge:u16x4"));
    };
    let of = |front: &str, allowed: fn(u8) -> bool| {
        kind.strip_prefix(front).and_then(|bits| bits.parse::<u8>().ok()).filter(|bits| allowed(*bits))
    };
    let found = None
        .or((kind == "bit").then_some((FieldKind::Unsigned, 1)))
        .or(of("u", |bits| (1..=64).contains(&bits)).map(|bits| (FieldKind::Unsigned, bits)))
        .or(of("i", |bits| (2..=64).contains(&bits)).map(|bits| (FieldKind::Signed, bits)))
        .or(of("f", |bits| matches!(bits, 32 | 64)).map(|bits| (FieldKind::Float, bits)))
        .or(of("count", |bits| (2..=64).contains(&bits)).map(|bits| (FieldKind::Count, bits)));
    let Some((kind, bits)) = found else {
        return wrong(format!("'{kind}' is no kind of field: type u1 to u64, i2 to i64, f32, f64, bit or count8"));
    };
    let name = if name == "-" { "" } else { name };
    if name.chars().any(char::is_control) || (name.is_empty() && !word.starts_with('-')) {
        return wrong(format!("'{word}' has no name: type - for bits that are not read"));
    }
    if name.is_empty() && kind == FieldKind::Count {
        return wrong(format!("'{word}': what counts the frames needs a name"));
    }
    Ok(Field { name: name.to_owned(), kind, bits, times })
}

impl fmt::Display for Field {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        let kind = match self.kind {
            FieldKind::Unsigned if self.bits == 1 => return self.spell(to, "bit"),
            FieldKind::Unsigned => "u",
            FieldKind::Signed => "i",
            FieldKind::Float => "f",
            FieldKind::Count => "count",
        };
        self.spell(to, &format!("{kind}{}", self.bits))
    }
}

impl Field {
    fn spell(&self, to: &mut fmt::Formatter<'_>, kind: &str) -> fmt::Result {
        write!(to, "{}:{kind}", if self.name.is_empty() { "-" } else { &self.name })?;
        if self.times > 1 { write!(to, "x{}", self.times) } else { Ok(()) }
    }
}

impl fmt::Display for Record {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(to, "{}", self.order.name())?;
        self.fields.iter().try_for_each(|field| write!(to, " {field}"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(order: Order, text: &str, bytes: &[u8]) -> Vec<f64> {
        let record = Record::from_words(order, text.split(' ')).unwrap();
        assert_eq!(record.bytes(), bytes.len(), "{text}");
        let mut values = vec![f64::NAN; record.names().len()];
        record.read(bytes, &mut Cells::new(&mut values));
        values
    }

    #[test]
    fn fields_of_every_width_in_both_orders() {
        use Order::{Big, Little};
        assert_eq!(read(Little, "a:u16 b:i16", &[0x34, 0x12, 0xfe, 0xff]), [4660.0, -2.0]);
        assert_eq!(read(Big, "a:u16 b:i24", &[0x12, 0x34, 0xff, 0xff, 0xfd]), [4660.0, -3.0]);
        // Two numbers of 12 bits in three bytes, as they are usually packed in each order.
        assert_eq!(read(Little, "a:u12 b:u12", &[0xbc, 0x3a, 0x12]), [0xabc as f64, 0x123 as f64]);
        assert_eq!(read(Big, "a:u12 b:u12", &[0xab, 0xc1, 0x23]), [0xabc as f64, 0x123 as f64]);
        assert_eq!(read(Big, "a:u10x4", &[0xff, 0xc0, 0x10, 0x08, 0x03]), [1023.0, 1.0, 2.0, 3.0]);
        assert_eq!(read(Little, "on:bit -:u2 off:bit level:u4", &[0b1010_0001]), [1.0, 0.0, 10.0]);
        assert_eq!(read(Little, "n:count8 x:f32", &[7, 0, 0, 0x80, 0x3f]), [1.0]);
        assert!(read(Big, "x:f32", &[0x7f, 0x80, 0, 0])[0].is_nan());
        assert_eq!(
            read(Big, "x:f64 y:i64", &[0xbf, 0xf8, 0, 0, 0, 0, 0, 0, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff]),
            [-1.5, -1.0]
        );
        assert_eq!(written(1234.5678, 6).decimals, 2);
        assert_eq!(written(-0.5, 6).decimals, 5);
    }

    #[test]
    fn what_is_no_record_is_said() {
        for (text, part) in [
            ("a", "no field"),
            ("a:u65", "no kind"),
            ("a:f16", "no kind"),
            ("a:u12", "add -:u4"),
            ("a:u8 a:u8", "twice"),
            (":u8", "no name"),
            ("-:u8", "1 to 64"),
            ("a:u8x0", "how often"),
            ("a:u8x65", "1 to 64"),
            ("-:count8 a:u8", "needs a name"),
            ("n:count8 m:count8 a:u8", "only one"),
            ("-:u64x255 -:u64x255 a:u8", "2048"),
        ] {
            let said = Record::from_words(Order::Big, text.split(' ')).unwrap_err().to_string();
            assert!(said.contains(part), "{text}: {said}");
        }
    }
}
