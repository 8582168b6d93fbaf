//! A queue of values in blocks of fixed length: adding never moves what is there, letting go frees a block at a time.

use std::collections::VecDeque;
use std::ops::Range;

/// Rows in a block; a power of 16, so that the levels of [`super::Series`] fit into it.
pub const BLOCK: usize = 4096;

/// Values numbered by row. The oldest kept row is always the first of a block.
#[derive(Debug)]
pub(super) struct Blocks<T> {
    blocks: VecDeque<Vec<T>>,
    first: u64,
}

impl<T> Default for Blocks<T> {
    fn default() -> Self {
        Blocks::starting_at(0)
    }
}

impl<T> Blocks<T> {
    pub(super) fn starting_at(first: u64) -> Self {
        Blocks { blocks: VecDeque::new(), first }
    }

    pub(super) fn range(&self) -> Range<u64> {
        let full = self.blocks.len().saturating_sub(1) * BLOCK;
        self.first..self.first + (full + self.blocks.back().map_or(0, Vec::len)) as u64
    }

    #[inline]
    pub(super) fn push(&mut self, value: T) {
        match self.blocks.back_mut() {
            Some(block) if block.len() < BLOCK => block.push(value),
            _ => {
                let mut block = Vec::with_capacity(BLOCK);
                block.push(value);
                self.blocks.push_back(block);
            }
        }
    }

    /// Adds a whole block behind whole blocks.
    pub(super) fn push_block(&mut self, block: Vec<T>) {
        debug_assert!(block.len() == BLOCK && self.blocks.back().is_none_or(|last| last.len() == BLOCK));
        self.blocks.push_back(block);
    }

    /// The first row of the second block, which becomes the first kept row when a block is let go.
    pub(super) fn second_block(&self) -> Option<u64> {
        (self.blocks.len() > 1).then_some(self.first + BLOCK as u64)
    }

    pub(super) fn drop_block(&mut self) {
        if self.blocks.pop_front().is_some() {
            self.first += BLOCK as u64;
        }
    }

    /// The values of the block that holds row `row`, from its first row on.
    #[inline]
    pub(super) fn block(&self, row: u64) -> Option<&[T]> {
        self.blocks.get((row.checked_sub(self.first)? / BLOCK as u64) as usize).map(Vec::as_slice)
    }
}

impl<T: Copy> Blocks<T> {
    #[inline]
    pub(super) fn get(&self, row: u64) -> Option<T> {
        let index = row.checked_sub(self.first)? as usize;
        self.blocks.get(index / BLOCK)?.get(index % BLOCK).copied()
    }
}
