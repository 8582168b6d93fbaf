//! Named blocks: stretches that were snapped from the buffer, by a key or by an event, and are kept by themselves.

use super::{ChannelId, Request, Session, Source, Taking};
use amber_core::Stamp;
use amber_core::block::{Block, Length, MOST_ROWS};
use amber_core::digits::counted;
use std::path::PathBuf;
use std::sync::Arc;

/// The most blocks in memory.
const MOST: usize = 32;

/// Shares of a block that lie in front of the moment.
pub(crate) const SHARES: [f64; 5] = [1.0, 0.9, 0.5, 0.1, 0.0];

/// A block that waits for its last rows.
#[derive(Clone, Debug)]
struct Pending {
    source: usize,
    moment: Stamp,
    /// The row at the moment: the first one behind it.
    row: u64,
    why: String,
    /// How long it is to be, and the share of it in front of the moment, as they were set then.
    length: Length,
    share: f64,
    /// It waits no longer: what has come is the block.
    is_cut: bool,
}

/// The blocks of a session, and how they are taken.
#[derive(Debug)]
pub(crate) struct Blocks {
    pub(crate) named: Vec<Arc<Block>>,
    pub(crate) length: Length,
    /// The share of a block in front of the moment at which it is snapped, 0 to 1.
    pub(crate) share: f64,
    pending: Option<Pending>,
    /// The channel whose next rising edge snaps a block, and the edges that it has had.
    armed: Option<(ChannelId, u64)>,
    taken: u64,
    /// What is to be written into the running take.
    to_write: Vec<Request>,
}

impl Default for Blocks {
    fn default() -> Self {
        Blocks {
            named: Vec::new(),
            length: Length::Rows(1024),
            share: 1.0,
            pending: None,
            armed: None,
            taken: 0,
            to_write: Vec::new(),
        }
    }
}

impl Blocks {
    /// What is being waited for, in a few words.
    pub(crate) fn waits(&self) -> Option<&'static str> {
        match (&self.pending, &self.armed) {
            (Some(_), _) => Some("waiting for the last rows of the block"),
            (None, Some(_)) => Some("armed: the next rising edge snaps a block"),
            (None, None) => None,
        }
    }
}

impl Session {
    /// The row behind the present moment of a source: that of the right edge.
    fn row_behind(&self, source: usize) -> u64 {
        self.viewport.row(source).map_or(self.chain_at(source).store().rows().start, |row| row + 1)
    }

    /// The rows of the block as it is now, not yet snapped: the newest up to the right edge.
    pub(crate) fn present_block(&self) -> std::ops::Range<u64> {
        self.blocks.length.before(self.chain(), self.row_behind(self.place()))
    }

    /// Snaps a block at the present moment; it is there at once, unless a share of it is still to come.
    pub(crate) fn snap(&mut self) {
        if let Some(pending) = &mut self.blocks.pending {
            pending.is_cut = true;
            return self.follow_blocks();
        }
        let source = self.place();
        let row = self.row_behind(source);
        let moment = self.viewport.row(source).and_then(|row| self.chain().store().time(row));
        let Some(moment) = moment else { return self.say("no rows yet: there is nothing to snap", true) };
        let shape = (self.blocks.length, self.blocks.share);
        self.snap_at(source, moment, row, String::new(), shape);
    }

    /// Snaps a block of this length, and with this share of it in front of `moment`, at which the first row is `row`.
    pub(super) fn snap_at(
        &mut self,
        source: usize,
        moment: Stamp,
        row: u64,
        why: String,
        (length, share): (Length, f64),
    ) {
        // One waits at a time.
        if self.blocks.pending.is_some() {
            return;
        }
        if self.blocks.named.len() >= MOST {
            return self.say(format!("there are {MOST} blocks: delete one first (x)"), true);
        }
        self.blocks.pending = Some(Pending { source, moment, row, why, length, share, is_cut: false });
        self.follow_blocks();
        if self.blocks.pending.is_some() {
            self.say("the block is complete when its last rows have come; k again takes what is there", false);
        }
    }

    /// Lets the next rising edge of the selected channel's threshold snap a block, or no longer.
    pub(crate) fn arm_block(&mut self) {
        if self.blocks.armed.take().is_some() {
            return self.say("no longer armed", false);
        }
        let Some(channel) = self.channel() else { return };
        if channel.settings().watch.is_none() && channel.kind() != amber_core::bench::Kind::Digital {
            return self.say("the channel has no threshold: set one first (5)", true);
        }
        let rises = channel.watcher().now().rises;
        self.blocks.armed = Some((self.selected, rises));
        let title = self.title(self.selected);
        self.say(format!("armed: the next rising edge of {title} snaps a block"), false);
    }

    /// Time passed: an edge may have come, or the last rows of a block.
    pub(crate) fn follow_blocks(&mut self) {
        if let Some((id, before)) = self.blocks.armed
            && self.channel_ids().any(|known| known == id)
            && self.blocks.pending.is_none()
        {
            let (chain, watcher) = (self.chain_at(id.source), self.channel_at(id).watcher());
            let now = watcher.now().rises;
            if now > before {
                // The row of the first edge since then.
                let rows = chain.store().rows();
                let (mut low, mut high) = (rows.start, rows.end);
                while low < high {
                    let middle = low + (high - low) / 2;
                    if watcher.at(middle).rises > before { high = middle } else { low = middle + 1 }
                }
                let why = format!(" at a rising edge of {}", self.title(id));
                let moment = self.chain_at(id.source).store().time(low);
                self.blocks.armed = None;
                if let Some(moment) = moment {
                    let shape = (self.blocks.length, self.blocks.share);
                    self.snap_at(id.source, moment, low, why, shape);
                }
            } else if now < before {
                // It was watched anew.
                self.blocks.armed = Some((id, now));
            }
        }
        let Some(pending) = self.blocks.pending.clone() else { return };
        if pending.source >= self.sources() {
            self.blocks.pending = None;
            return;
        }
        let (chain, share) = (self.chain_at(pending.source), pending.share);
        let store = chain.store();
        let end = store.rows().end;
        let is_over = pending.is_cut
            || matches!(self.watched.at(pending.source).source, Source::Take(_))
            || matches!(&self.watched.at(pending.source).source, Source::Live { link: amber_io::LinkState::Ended });
        let rows = match pending.length {
            Length::Rows(rows) => {
                let before = (rows as f64 * share).round() as u64;
                pending.row.saturating_sub(before)..pending.row + rows as u64 - before
            }
            Length::Seconds(seconds) => {
                let last = pending.moment.plus(seconds * (1.0 - share));
                let first = store.first_at(pending.moment.plus(-seconds * share + 1e-9));
                let newest = end.checked_sub(1).and_then(|row| store.time(row));
                let is_there = share >= 1.0 || newest.is_some_and(|newest| newest > last);
                let behind = if share >= 1.0 { pending.row } else { store.first_at(last) };
                first..if is_there || is_over { behind.min(end) } else { u64::MAX }
            }
        };
        if rows.end > end && !is_over {
            return;
        }
        let short = if rows.end > end && pending.is_cut { ", cut short" } else { "" };
        let rows = rows.start.max(store.rows().start).max(rows.end.min(end).saturating_sub(MOST_ROWS as u64))
            ..rows.end.min(end);
        if rows.is_empty() {
            self.blocks.pending = None;
            return self.say("the rows of the block are not kept any more", true);
        }
        let name = format!("block {}", self.blocks.taken + 1);
        let block = Block::of(chain, &name, rows, pending.moment);
        self.blocks.pending = None;
        self.blocks.taken += 1;
        let count = counted(block.times.len() as u64, "row");
        let block = Arc::new(block);
        let mut kept = String::new();
        if let Taking::Yes { folder, .. } = &self.taking {
            let folder =
                if self.sources() > 1 { folder.join(self.name_of_source(pending.source)) } else { folder.clone() };
            self.blocks.to_write.push(Request::KeepBlock { take: folder, block: Arc::clone(&block) });
            kept = ", kept in the take too".into();
        }
        self.blocks.named.push(block);
        self.say(format!("{name}: {count}{short}{}{kept}", pending.why), false);
    }

    /// What is to be written of the blocks that were taken.
    pub(crate) fn blocks_to_write(&mut self) -> Vec<Request> {
        std::mem::take(&mut self.blocks.to_write)
    }

    /// Blocks that a take holds.
    pub(crate) fn add_blocks(&mut self, blocks: Vec<Block>) {
        let room = MOST.saturating_sub(self.blocks.named.len());
        self.blocks.taken += blocks.len() as u64;
        self.blocks.named.extend(blocks.into_iter().take(room).map(Arc::new));
    }

    /// Writes a text as CSV, under the next free number, where figures go.
    pub(crate) fn write_csv(&self, stem: &'static str, text: String) -> Request {
        Request::WriteText { folder: PathBuf::from(self.folder()), stem, ending: "csv", text }
    }
}
