//! Values that are held in memory, or elsewhere once they have been moved away.

use bytemuck::Pod;
use std::fmt;
use std::marker::PhantomData;
use std::ops::Deref;
use std::sync::Arc;

/// Somewhere else than in the program's own memory, such as a file.
pub trait Spill {
    /// Puts bytes there, for good; `None` when there is no room. Where they are read, they begin at an address that is a
    /// multiple of eight.
    fn put(&mut self, bytes: &[u8]) -> Option<Put>;
}

/// Bytes that were put elsewhere.
pub type Put = Arc<dyn AsRef<[u8]> + Send + Sync>;

/// A block of values that never change.
#[derive(Clone)]
pub(super) enum Held<T> {
    Here(Box<[T]>),
    Away(Put, PhantomData<T>),
}

impl<T: Pod> Held<T> {
    /// The same, elsewhere; `None` where it is there already or there is no room.
    pub(super) fn moved(&self, to: &mut dyn Spill) -> Option<Held<T>> {
        let Held::Here(values) = self else { return None };
        to.put(bytemuck::cast_slice(values)).map(|put| Held::Away(put, PhantomData))
    }

    /// The bytes that it takes in memory.
    pub(super) fn size(&self) -> usize {
        match self {
            Held::Here(values) => size_of_val(&**values),
            Held::Away(..) => 0,
        }
    }
}

impl<T: Pod> Deref for Held<T> {
    type Target = [T];

    #[inline]
    fn deref(&self) -> &[T] {
        match self {
            Held::Here(values) => values,
            Held::Away(put, _) => bytemuck::cast_slice((**put).as_ref()),
        }
    }
}

impl<T> FromIterator<T> for Held<T> {
    fn from_iter<I: IntoIterator<Item = T>>(values: I) -> Self {
        Held::Here(values.into_iter().collect())
    }
}

impl<T> fmt::Debug for Held<T> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(if matches!(self, Held::Here(_)) { "here" } else { "away" })
    }
}
